<script setup lang="ts">
import { mdiPaperclip, mdiStar, mdiStarOutline } from '@mdi/js';
import { computed } from 'vue';
import type { MailRow } from '../../contract/index.ts';
import FileTab from '../parts/FileTab.vue';
import { many, useTimes } from '../words.ts';

/** One message of the list. */
const props = defineProps<{ row: MailRow; at: boolean; ticked: boolean }>();
defineEmits<{ open: []; tick: []; star: [] }>();
const { clock } = useTimes();
const ours = computed(() => props.row.direction !== 'received');
const tab = computed(() => {
  const { row } = props;
  if (row.state === 'logged')
    return { state: 'logged' as const, label: row.files.map((file) => file.number).join(', ') };
  if (row.state === 'suggested')
    return row.suggestion
      ? { state: 'suggested' as const, label: `${row.suggestion.number}?` }
      : { state: 'none' as const, label: undefined };
  return { state: row.state, label: undefined };
});
const spoken = computed(() =>
  [
    props.row.unread ? 'Unread.' : '',
    `${ours.value ? 'Sent' : 'Received'} from ${props.row.from} to ${props.row.to}: ${props.row.subject || '(no subject)'}`,
  ].join(' '),
);
</script>

<template>
  <div
    class="line"
    :class="{ unread: row.unread, at, ours, 'edge-received': !ours, 'edge-sent': ours }"
    :aria-current="at"
  >
    <input type="checkbox" :checked="ticked" :aria-label="`Tick ${row.subject}`" @change="$emit('tick')" />
    <button type="button" class="plain body" :title="row.snippet" :aria-label="spoken" @click="$emit('open')">
      <span class="time figures">{{ clock(row.at) }}</span>
      <span class="who"
        ><span class="name" :title="row.fromAddress">{{ row.from }}</span>
        <span class="to">to {{ row.to || 'nobody named' }}</span></span
      >
      <span class="what"
        ><span class="subject">{{ row.subject || '(no subject)' }}</span>
        <span
          v-if="row.conversationSize > 1"
          class="to figures"
          :title="many(row.conversationSize, 'message')"
        >
          {{ row.conversationSize }}</span
        >
        <span
          v-if="row.copies > 1"
          class="to figures"
          :title="`One message that lies ${row.copies} times in one mailbox`"
        >
          {{ row.copies }} copies</span
        >
        <span class="to">{{ row.snippet }}</span></span
      >
    </button>
    <span v-if="row.handler" class="owe handler" :title="`${row.handler} deals with it`">{{
      row.handler.split(' ')[0]
    }}</span>
    <span
      v-if="row.doubtful"
      class="owe needs"
      :title="`The receiving server found that this is not from ${row.fromAddress}`"
      >not theirs?</span
    >
    <span v-if="row.differs" class="owe needs" :title="`In the Sent folder ${row.differs} is different`"
      >differs</span
    >
    <span v-if="row.waits" class="owe">{{ row.waits === 'we' ? 'we owe' : 'they owe' }}</span>
    <v-icon
      v-if="row.enclosures"
      :icon="mdiPaperclip"
      size="15"
      class="soft"
      :title="many(row.enclosures, 'enclosure')"
      :aria-label="many(row.enclosures, 'enclosure')"
      role="img"
    />
    <button
      type="button"
      class="plain star"
      :class="{ lit: row.starred }"
      :aria-pressed="row.starred"
      :aria-label="row.starred ? 'Take the star away' : 'Star it'"
      @click="$emit('star')"
    >
      <v-icon :icon="row.starred ? mdiStar : mdiStarOutline" size="16" />
    </button>
    <span class="tabs"><FileTab :state="tab.state" :label="tab.label" :title="row.files[0]?.title" /></span>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  align-items: center;
  gap: 8px;
  height: 42px;
  padding: 0 12px 0 9px;
  border-bottom: 1px solid var(--hairline);
  background: var(--sheet);
}
.line.at {
  background: var(--page);
  box-shadow: inset 0 0 0 1px var(--strong);
}
.body {
  display: grid;
  grid-template-columns: 44px minmax(150px, 27%) minmax(0, 1fr);
  gap: 10px;
  flex: 1;
  min-width: 0;
  height: 100%;
  align-items: center;
}
.time,
.to {
  color: var(--ink-soft);
  font-size: 13px;
  font-weight: 400;
}
.who,
.what {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.name,
.subject {
  color: var(--indigo);
}
.ours .name,
.ours .subject {
  color: var(--spruce);
}
.unread .name,
.unread .subject {
  font-weight: 700;
}
.owe {
  color: var(--ochre);
  font-size: 13px;
  white-space: nowrap;
}
.handler {
  color: var(--spruce);
}
.soft {
  color: var(--ink-soft);
}
.star {
  color: var(--ink-soft);
  opacity: 0;
  line-height: 1;
}
.star.lit {
  color: var(--ochre);
}
.star.lit,
.star:focus-visible,
.line:hover .star,
.line.at .star {
  opacity: 1;
}
.tabs {
  min-width: 84px;
  text-align: right;
  align-self: end;
  flex: none;
}
input[type='checkbox'] {
  accent-color: var(--spruce);
  width: 14px;
  height: 14px;
}
@media (max-width: 1000px) {
  .line {
    gap: 5px;
  }
  .body {
    grid-template-columns: 40px 104px minmax(0, 1fr);
    gap: 6px;
  }
  .star:not(.lit) {
    display: none;
  }
}
</style>
