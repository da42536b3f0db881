<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { z } from 'zod';
import { Fact, Wording, type Occasion } from '../../contract/index.ts';
import type { DocNode } from '../../core/merge/document.ts';
import Trouble from '../parts/Trouble.vue';
import { useLoad } from '../ui/load.ts';
import WordingsDialog from './WordingsDialog.vue';

/** What can be put into a message where one writes: stock wordings, and facts of the file it goes on. */
const props = defineProps<{
  fileId: number | null;
  /** Of the message, for what is kept of it. */
  subject: string;
  body: DocNode;
  /** What is written for. */
  occasion: Occasion | null;
}>();
const emit = defineEmits<{
  insert: [content: DocNode['content'] | string];
  subject: [words: string];
  stock: [wordings: readonly Wording[]];
  /** Kept enclosures that go with what was put in. */
  enclose: [ids: number[]];
}>();
const keeping = ref(false);
const ofFile = computed(() => ({ file: props.fileId }));
const { data: facts, problem } = useLoad(z.array(Fact), () => ({ path: '/facts', query: ofFile.value }));
const { data: wordings, load: readWordings } = useLoad(z.array(Wording), () => ({
  path: '/wordings',
  query: ofFile.value,
}));
/** A subject as a text of one line. */
const line = (words: string): DocNode => ({
  type: 'doc',
  content: [{ type: 'paragraph', ...(words ? { content: [{ type: 'text', text: words }] } : {}) }],
});
/** What usually serves an answer comes first where one is written. */
const offered = computed(() =>
  [...(wordings.value ?? [])].sort(
    (a, b) => Number(b.occasion === props.occasion) - Number(a.occasion === props.occasion),
  ),
);
watch(wordings, (now) => emit('stock', now ?? []));
function put(wording: Wording) {
  if (wording.kind === 'template' && wording.subject && !props.subject) emit('subject', wording.subject);
  emit('insert', (wording.body as DocNode).content ?? []);
  if (wording.enclosures.length)
    emit(
      'enclose',
      wording.enclosures.map(({ id }) => id),
    );
}
</script>

<template>
  <section>
    <h2>Put in</h2>
    <Trouble :words="problem" />
    <div class="offers">
      <button
        v-for="wording in props.occasion ? offered : (wordings ?? [])"
        :key="wording.id"
        type="button"
        class="plain choice"
        :title="wording.missing.length ? `Missing: ${wording.missing.join(', ')}` : wording.kind"
        @click="put(wording)"
      >
        {{ wording.name }}
        <span class="quiet">{{
          wording.missing.length ? `${wording.missing.length} missing` : wording.letters || wording.kind
        }}</span>
      </button>
      <button type="button" class="link" @click="keeping = true">keep or drop wordings…</button>
    </div>
    <p v-if="facts?.length" class="quiet mt-3">From the file</p>
    <div class="facts">
      <button
        v-for="fact in facts ?? []"
        :key="fact.key"
        type="button"
        class="plain fact"
        :title="fact.value"
        @click="emit('insert', fact.value)"
      >
        {{ fact.label }}
      </button>
    </div>
    <WordingsDialog
      v-model="keeping"
      :wordings="wordings ?? []"
      :subject="line(subject)"
      :body="body"
      @changed="readWordings"
    />
  </section>
</template>

<style scoped>
.facts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.fact {
  border: 1px solid var(--hairline);
  padding: 1px 7px;
  font-size: 13px;
  background: var(--sheet);
}
</style>
