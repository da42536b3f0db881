<script setup lang="ts">
import type { TimelineEntry } from '../../contract/index.ts';
import { useTimes } from '../words.ts';
import { company, KIND_WORDS, STATE_WORDS } from './words.ts';

/** A note, a call or a meeting as it stands across the middle of the ledger. */
defineProps<{ entry: TimelineEntry; may: boolean }>();
defineEmits<{ open: []; message: [id: number] }>();
const { clock } = useTimes();
</script>

<template>
  <div class="across" :class="[entry.kind, entry.state]">
    <span v-if="entry.kind !== 'note'" class="kind">
      {{ KIND_WORDS[entry.kind] }} {{ company(entry) }}
      <em v-if="STATE_WORDS[entry.state]">{{ STATE_WORDS[entry.state] }}</em>
    </span>
    <strong class="words">{{ entry.words }}</strong>
    <span v-if="entry.outcome" class="words">{{ entry.outcome }}</span>
    <span class="quiet"
      >{{ clock(entry.at) }}{{ entry.endsAt ? `–${clock(entry.endsAt)}` : ''
      }}{{ entry.place ? `, ${entry.place}` : '' }}, {{ entry.by }}, {{ entry.file.number }}
      <template v-if="entry.messageId !== null">
        ·
        <button type="button" class="link" @click="$emit('message', entry.messageId)">the message</button>
      </template>
      <template v-if="may">
        ·
        <button
          type="button"
          class="link"
          :aria-label="`Change: ${entry.words.slice(0, 60)}`"
          @click="$emit('open')"
        >
          change
        </button>
      </template>
    </span>
  </div>
</template>

<style scoped>
.across {
  width: 70%;
  margin: 0 auto 10px;
  padding: 8px 14px;
  text-align: center;
  background: #fbf7ea;
  border: 1px solid var(--hairline);
  overflow-wrap: anywhere;
}
.across > * {
  display: block;
}
.words {
  white-space: pre-line;
}
.kind {
  color: var(--ink-soft);
  font-size: 13px;
}
.kind em {
  color: var(--ochre);
  font-style: normal;
  font-weight: 700;
}
.planned {
  border: 1px dashed var(--ochre);
  background: var(--sheet);
}
.off .words {
  text-decoration: line-through;
}
</style>
