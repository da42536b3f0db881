<script setup lang="ts">
import { computed } from 'vue';
import type { MailingDraft } from '../../contract/index.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { fillIn } from '../../core/merge/letter.ts';
import { plain } from '../../core/merge/plain.ts';
import { explain } from '../../core/selection/explain.ts';
import { useCatalogue } from '../selection/catalogue.ts';
import AskDialog from '../ui/AskDialog.vue';
import { timingWords } from './timingWords.ts';
import { useMailingDraft } from './mailingDraft.ts';

/** What a colleague and oneself changed at once, side by side: nothing is lost before one of them is chosen. */
const open = defineModel<boolean>({ required: true });
const editing = useMailingDraft();
const catalogue = useCatalogue();

/** A text as it reads, its facts by their names in brackets. */
const read = (doc: DocNode) =>
  plain(
    fillIn(doc, { words: {} }, (key) => editing.facts.find((each) => each.key === key)?.label ?? key).doc,
  );
/** What can be told in words, by its name. */
const PARTS: Partial<Record<keyof MailingDraft, { name: string; words: (draft: MailingDraft) => string }>> = {
  name: { name: 'Its name', words: (draft) => draft.name },
  subject: { name: 'The subject', words: (draft) => read(draft.subject) },
  body: { name: 'The text', words: (draft) => read(draft.body) },
  plain: {
    name: 'The plain text',
    words: (draft) => (draft.plain ? read(draft.plain) : 'made of the text'),
  },
  selection: {
    name: 'Who should have it',
    words: (draft) => explain(draft.selection, catalogue.facts),
  },
  timing: { name: 'When it goes', words: (draft) => timingWords(draft.timing) },
};
const rows = computed(() => {
  const { draft, contested } = editing;
  if (!draft || !contested) return [];
  return contested.both.map((key) => {
    const part = PARTS[key];
    return part
      ? { name: part.name, mine: part.words(draft), theirs: part.words(contested.theirs.draft) }
      : { name: 'How it is sent', mine: 'as it stands here', theirs: 'as they chose' };
  });
});
async function settle(whose: 'mine' | 'theirs') {
  await editing.settle(whose);
  open.value = false;
}
</script>

<template>
  <AskDialog v-model="open" :max-width="860" label="Changed by two">
    <template #heading>A colleague has changed this too</template>
    <p>What only one of you changed stays either way.</p>
    <div class="scroll" tabindex="0" role="region" aria-label="What both changed">
      <table class="ledger-table">
        <thead>
          <tr>
            <th></th>
            <th>As it stands here</th>
            <th>As they wrote it</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.name">
            <th scope="row">{{ row.name }}</th>
            <td class="words">{{ row.mine }}</td>
            <td class="words">{{ row.theirs }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <template #answers>
      <v-btn @click="open = false">Look at it first</v-btn>
      <v-btn @click="settle('theirs')">Take theirs</v-btn>
      <v-btn color="primary" variant="flat" @click="settle('mine')">Keep mine</v-btn>
    </template>
  </AskDialog>
</template>

<style scoped>
.scroll {
  max-height: 50vh;
  overflow: auto;
}
.words {
  width: 42%;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  vertical-align: top;
}
</style>
