<script setup lang="ts">
import type { Editor } from '@tiptap/vue-3';
import { computed, ref } from 'vue';
import type { FactInfo } from '../../contract/index.ts';
import { ROWS, type FactSource, type RowsOf } from '../../core/facts/catalogue.ts';
import { PASSAGE, REPEATED } from '../../core/merge/document.ts';
import { formatsOf } from '../../core/merge/format.ts';
import { ROWS_WORDS } from '../parts/nodes.ts';

/** Facts, passages that stand only if something holds, and what stands once for each of several things. */
const props = defineProps<{
  facts: readonly FactInfo[];
  /** Where one was last writing. */
  target: Editor | undefined;
  /** Whether that may have more than a line. */
  blocks: boolean;
}>();
const field = ref<string | null>(null);
const fallback = ref('');
const format = ref('');

const SOURCES: Record<FactSource, string> = {
  recipient: 'Recipient',
  client: 'Client',
  person: 'Person',
  file: 'File',
  adviser: 'Adviser',
  firm: 'Firm',
  'fee note': 'Fee note',
  field: 'Our own fields',
  'fee notes': 'Of each open fee note',
  files: 'Of each open file',
  people: 'Of each person',
};
/** By where they come from; those of one of several things only where one writes within that. */
const items = computed(() => {
  const within = props.target?.getAttributes(REPEATED).of ?? props.target?.getAttributes('tableRow').of;
  return props.facts
    .filter(({ source }) => !ROWS.includes(source as RowsOf) || source === within)
    .map(({ key, label, source }) => ({ value: key, title: label, props: { subtitle: SOURCES[source] } }));
});
const formats = computed(() =>
  formatsOf(props.facts.find(({ key }) => key === field.value)?.kind ?? 'text').map(({ key, words }) => ({
    value: key,
    title: words,
  })),
);
function insert() {
  if (!field.value) return;
  const attrs = { field: field.value, fallback: fallback.value.trim(), format: format.value };
  props.target?.chain().focus().insertContent({ type: 'mergeField', attrs }).run();
  field.value = null;
  fallback.value = format.value = '';
}
function stands() {
  const attrs = { field: field.value ?? 'client.service', test: 'is known', value: '' };
  props.target?.chain().focus().wrapIn(PASSAGE, attrs).run();
}
const repeat = (of: RowsOf) => props.target?.chain().focus().wrapIn(REPEATED, { of }).run();
</script>

<template>
  <h2 id="fields">Put in a fact</h2>
  <p class="quiet mt-1 mb-3">It becomes each client’s own. It goes in where you were last writing.</p>
  <v-autocomplete v-model="field" :items="items" label="Fact" @update:model-value="format = ''" />
  <v-text-field
    v-model="fallback"
    label="Else say (when there is none)"
    class="mt-3"
    @keydown.enter="insert"
  />
  <v-select v-model="format" :items="formats" label="Written" class="mt-3" />
  <v-btn class="mt-3" :disabled="!field" color="primary" variant="flat" @click="insert">Put it in</v-btn>
  <template v-if="blocks">
    <h2 class="mt-6">This paragraph</h2>
    <ul class="acts-list">
      <li><button type="button" class="link" @click="stands">stands only if …</button></li>
      <li v-for="of in ROWS" :key="of">
        <button type="button" class="link" @click="repeat(of)">{{ ROWS_WORDS[of].toLowerCase() }}</button>
      </li>
    </ul>
  </template>
</template>

<style scoped>
.acts-list {
  list-style: none;
  padding: 0;
  margin: 4px 0 0;
}
.acts-list li {
  padding: 2px 0;
}
</style>
