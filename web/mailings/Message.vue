<script setup lang="ts">
import { useEventListener } from '@vueuse/core';
import { computed, ref, useTemplateRef } from 'vue';
import { z } from 'zod';
import { Wording } from '../../contract/index.ts';
import { renderShort } from '../../core/merge/short.ts';
import { textLength } from '../../core/textmessage/gsm.ts';
import { many } from '../words.ts';
import KeyCap from '../parts/KeyCap.vue';
import { withoutLooks } from '../../core/merge/plain.ts';
import FormatBar from '../parts/FormatBar.vue';
import Trouble from '../parts/Trouble.vue';
import Writer from '../parts/Writer.vue';
import AsRead from './AsRead.vue';
import Enclosures from './Enclosures.vue';
import PutFact from './PutFact.vue';
import PutWording from './PutWording.vue';
import SeriesStrip from './SeriesStrip.vue';
import { useLoad } from '../ui/load.ts';
import { useSession } from '../session.ts';
import { useMailingDraft } from './mailingDraft.ts';

const editing = useMailingDraft();
const session = useSession();
const subject = useTemplateRef<InstanceType<typeof Writer>>('subject');
const body = useTemplateRef<InstanceType<typeof Writer>>('body');
const byHand = useTemplateRef<InstanceType<typeof Writer>>('byHand');
const { data: wordings, load: readWordings } = useLoad(z.array(Wording), () => ({
  path: '/wordings',
  query: { for: 'mailings' },
}));
/** The plain text is written apart, once it is begun. */
const showing = ref<'text' | 'plain'>('text');
const plain = computed(() => showing.value === 'plain' && Boolean(editing.draft?.plain));
function writePlain() {
  if (!editing.draft) return;
  editing.draft.plain ??= withoutLooks(editing.draft.body);
  showing.value = 'plain';
}
const CHANNELS = { email: 'By email', text: 'As a text message' } as const;
const short = computed(() => editing.draft?.channel === 'text' && editing.draft.colleagues === null);
/** A message of a series, or to colleagues, goes by email. */
const mayBeShort = computed(
  () =>
    editing.draft?.colleagues === null && !editing.mailing?.series.length && editing.draft.waitDays === null,
);
/** How long it is before its facts are in: each copy may be longer. */
const counted = computed(() => {
  if (!editing.draft) return '';
  const { text } = renderShort(editing.draft.body, { words: {} });
  const { parts, left, coding, dear } = textLength(text);
  const costs = dear.length
    ? ` ${dear
        .slice(0, 3)
        .map((letter) => `“${letter}”`)
        .join(', ')} makes it dear.`
    : '';
  return parts
    ? `${many(parts, 'part')} without its facts; ${many(left, coding === 'gsm' ? 'letter' : 'sign')} more fit in.${costs}`
    : '160 letters fit into one part.';
});
const trouble = ref('');
/** The text with a client's own words in the place of its chips. */
const asRead = ref(false);
useEventListener(window, 'keydown', (event) => {
  if (event.key !== 'F4') return;
  event.preventDefault();
  asRead.value = !asRead.value;
});
const last = ref<'subject' | 'body'>('body');
const label = (key: string) => editing.facts.find((each) => each.key === key)?.label ?? key;
const editor = computed(() => body.value?.editor);
const target = computed(() =>
  last.value === 'subject' ? subject.value?.editor : plain.value ? byHand.value?.editor : editor.value,
);
</script>

<template>
  <div v-if="editing.draft" class="message">
    <div class="write">
      <SeriesStrip v-if="!short" />
      <div v-if="mayBeShort" class="channel" role="group" aria-label="How it goes">
        <button
          v-for="(words, channel) in CHANNELS"
          :key="channel"
          type="button"
          class="plain part"
          :class="{ on: editing.draft.channel === channel }"
          :aria-pressed="editing.draft.channel === channel"
          @click="editing.draft.channel = channel"
        >
          {{ words }}
        </button>
        <span v-if="short" class="quiet" role="status">{{ counted }}</span>
      </div>
      <div v-if="!short" class="sheet subject">
        <span class="quiet subject-name">Subject</span>
        <Writer
          ref="subject"
          v-model="editing.draft.subject"
          line
          label="Subject"
          :field-label="label"
          class="subject-writer"
          @focus="last = 'subject'"
        />
      </div>
      <AsRead v-if="asRead" />
      <div v-show="!asRead" class="sheet body">
        <div v-if="plain" class="plain-head">
          <span class="quiet"
            >The plain text, for those who read no other. It does not follow the text any more.</span
          >
          <button type="button" class="link" @click="editing.draft.plain = null">
            make it of the text again
          </button>
        </div>
        <FormatBar
          v-else-if="!short"
          :editor="editor"
          :facts="editing.facts"
          articles
          @pictures="(files) => body?.insertPictures(files)"
        />
        <Trouble :words="trouble" class="ma-2" />
        <div class="scroll">
          <Writer
            v-if="plain && editing.draft.plain"
            ref="byHand"
            v-model="editing.draft.plain"
            plain
            label="Plain text"
            :field-label="label"
            @focus="last = 'body'"
          />
          <Writer
            v-show="!plain"
            ref="body"
            v-model="editing.draft.body"
            label="Message"
            :field-label="label"
            :stock="wordings ?? []"
            @focus="last = 'body'"
            @trouble="trouble = $event"
          />
        </div>
      </div>
    </div>
    <aside class="fields" aria-label="What is put in">
      <v-btn class="mb-4" :aria-pressed="asRead" @click="asRead = !asRead"
        >{{ asRead ? 'Go on writing' : 'As a client reads it' }}<KeyCap letter="F4" class="ml-2"
      /></v-btn>
      <p v-if="!short" class="mb-4">
        <button v-if="plain" type="button" class="link" @click="showing = 'text'">back to the text</button>
        <button v-else type="button" class="link" @click="writePlain">
          {{ editing.draft.plain ? 'the plain text, written by hand' : 'write the plain text by hand' }}
        </button>
      </p>
      <PutFact :facts="editing.facts" :target="target" :blocks="last === 'body'" />
      <PutWording
        v-model:subject="editing.draft.subject"
        :mailing-id="editing.mailing?.id ?? 0"
        :wordings="wordings ?? []"
        :editor="plain ? byHand?.editor : editor"
        :body="editing.draft.body"
        @changed="readWordings"
      />
      <Enclosures
        v-if="!short"
        v-model:laid-out="editing.draft.laidOut"
        :mailing-id="editing.mailing?.id ?? 0"
        :colleagues="editing.draft.colleagues !== null"
      />
      <template v-if="!short">
        <h2 class="mt-6">Around it</h2>
        <v-checkbox
          v-model="editing.draft.framed"
          class="mt-1"
          label="the firm’s frame, as of a newsletter"
        />
        <p v-if="session.may('run the office')" class="quiet">
          <router-link to="/settings/frame">what the frame looks like</router-link>
        </p>
        <h2 class="mt-6">Below each copy</h2>
        <v-checkbox
          v-model="editing.draft.optOut"
          class="mt-1"
          label="the firm’s address, and how to have no more of its kind"
        />
        <h2 class="mt-6">Counted</h2>
        <v-checkbox
          v-model="editing.draft.counted"
          class="mt-1"
          label="who opens it, and which links are followed"
        />
      </template>
    </aside>
  </div>
</template>

<style scoped>
.message {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 270px;
  gap: 18px;
}
.channel {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 14px;
}
.part {
  padding: 2px 6px;
  min-height: 24px;
  color: var(--ink-soft);
}
.part.on {
  color: var(--spruce);
  font-weight: 700;
  box-shadow: 0 2px 0 -1px var(--spruce);
}
.write {
  display: flex;
  flex-direction: column;
  gap: 10px;
  min-height: 0;
}
.subject {
  display: flex;
  align-items: center;
}
.subject-name {
  padding-left: 14px;
}
.subject-writer {
  flex: 1;
  min-width: 0;
}
.fields {
  overflow: auto;
  min-height: 0;
  padding-right: 4px;
}
.body {
  display: flex;
  flex-direction: column;
  min-height: 0;
  flex: 1;
}
.scroll {
  overflow: auto;
}
@media (max-width: 1000px) {
  .message {
    grid-template-columns: minmax(0, 1fr) 200px;
  }
}
.plain-head {
  display: flex;
  justify-content: space-between;
  gap: 16px;
  padding: 8px 16px;
  border-bottom: 1px solid var(--hairline);
}
</style>
