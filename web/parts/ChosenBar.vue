<script setup lang="ts">
import type { Editor } from '@tiptap/vue-3';
import { NodeSelection } from '@tiptap/pm/state';
import { computed } from 'vue';
import type { FactKind } from '../../core/facts/catalogue.ts';
import {
  ARTICLE,
  MERGE_FIELD,
  PASSAGE,
  PASSAGE_TESTS,
  PICTURE,
  REPEATED,
} from '../../core/merge/document.ts';
import { formatsOf } from '../../core/merge/format.ts';
import { dropArticle, moveArticle } from './nodes.ts';
import KeyCap from './KeyCap.vue';

/** What can be said of what is chosen in a text: a picture, a fact, the passage one writes in. */
const props = defineProps<{
  editor: Editor;
  facts: readonly { key: string; label: string; kind: FactKind }[];
}>();

/** The kind of what is chosen, and what it bears. */
const chosen = computed(() => {
  const { selection } = props.editor.state;
  if (selection instanceof NodeSelection) {
    const { type, attrs } = selection.node;
    if (type.name === PICTURE || type.name === MERGE_FIELD) return { name: type.name, attrs };
  }
  for (const name of [PASSAGE, REPEATED, ARTICLE])
    if (props.editor.isActive(name)) return { name, attrs: props.editor.getAttributes(name) };
  return null;
});
const attr = (name: string) =>
  computed({
    get: () => (chosen.value?.attrs[name] as string | null) ?? '',
    // Typing here goes on: the text is not given the focus.
    set: (value: string) => {
      if (chosen.value)
        props.editor
          .chain()
          .updateAttributes(chosen.value.name, { [name]: value })
          .run();
    },
  });
const alt = attr('alt');
const fallback = attr('fallback');
const format = attr('format');
const test = attr('test');
const value = attr('value');
const field = attr('field');
const formats = computed(() =>
  formatsOf(props.facts.find(({ key }) => key === field.value)?.kind ?? 'text').map(({ key, words }) => ({
    value: key,
    title: words,
  })),
);
const valued = computed(() => test.value !== 'is known' && test.value !== 'is not known');
const known = computed(() => props.facts.map(({ key, label }) => ({ value: key, title: label })));
const tests: string[] = [...PASSAGE_TESTS];
const beside = computed({
  get: () => chosen.value?.attrs.beside === true,
  set: (now: boolean) => void props.editor.chain().updateAttributes(ARTICLE, { beside: now }).run(),
});
const lift = () =>
  props.editor
    .chain()
    .focus()
    .lift(chosen.value?.name ?? PASSAGE)
    .run();
</script>

<template>
  <div v-if="chosen" class="chosen">
    <v-text-field
      v-if="chosen.name === PICTURE"
      v-model="alt"
      label="What the picture shows, for those who do not see it"
    />
    <template v-else-if="chosen.name === MERGE_FIELD">
      <v-text-field v-model="fallback" label="Else say" />
      <v-select v-model="format" :items="formats" label="Written" />
    </template>
    <template v-else-if="chosen.name === PASSAGE">
      <v-select v-model="field" :items="known" label="Stands only if" />
      <v-select v-model="test" :items="tests" label="… which" />
      <v-text-field v-if="valued" v-model="value" label="What" />
      <v-btn @click="lift">Let it always stand</v-btn>
    </template>
    <template v-else-if="chosen.name === ARTICLE">
      <v-checkbox v-model="beside" label="its picture beside the words" />
      <v-btn @click="moveArticle(editor, -1)">Up<KeyCap letter="Alt ↑" class="ml-2" /></v-btn>
      <v-btn @click="moveArticle(editor, 1)">Down<KeyCap letter="Alt ↓" class="ml-2" /></v-btn>
      <v-btn @click="dropArticle(editor)">Take the article away</v-btn>
    </template>
    <v-btn v-else @click="lift">Let it stand once</v-btn>
  </div>
</template>

<style scoped>
.chosen {
  display: flex;
  flex: none;
  align-items: center;
  gap: 10px;
  padding: 10px 12px 8px;
  border-bottom: 1px solid var(--hairline);
  background: var(--page);
}
</style>
