<script setup lang="ts">
import type { Editor } from '@tiptap/vue-3';
import { computed, ref } from 'vue';
import { KeptWording, type Wording } from '../../contract/index.ts';
import { isEmptyText, type DocNode } from '../../core/merge/document.ts';
import { act, get, wordsOf } from '../api.ts';
import { putBlocks } from '../parts/nodes.ts';
import Trouble from '../parts/Trouble.vue';
import { putIn } from '../wordings/putIn.ts';
import WordingsDialog from '../writing/WordingsDialog.vue';

/** The firm's wordings for a mailing: put in where one writes, their facts still each recipient's own. */
const subject = defineModel<DocNode>('subject', { required: true });
const props = defineProps<{
  /** The mailing that its enclosures go with; left out: they are not wanted. */
  mailingId?: number;
  wordings: readonly Wording[];
  editor: Editor | undefined;
  body: DocNode;
}>();
const emit = defineEmits<{ changed: [] }>();
const chosen = ref<number | null>(null);
const keeping = ref(false);
const problem = ref('');
const items = computed(() =>
  props.wordings.map(({ id: value, name: title, kind, letters }) => ({
    value,
    title,
    props: { subtitle: letters ? `${kind}, ${letters} and Tab` : kind },
  })),
);
async function put() {
  if (chosen.value === null) return;
  try {
    const wording = await get(KeptWording, `/wordings/kept/${chosen.value}`);
    if (isEmptyText(subject.value) && !isEmptyText(wording.subject)) subject.value = wording.subject;
    if (props.editor) putBlocks(props.editor, putIn(wording));
    chosen.value = null;
    if (wording.enclosureIds.length && props.mailingId)
      await act('POST', `/mailings/${props.mailingId}/enclosures/kept`, { wordingIds: wording.enclosureIds });
    problem.value = '';
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
</script>

<template>
  <h2 class="mt-6">Put in a wording</h2>
  <v-autocomplete v-model="chosen" :items="items" label="Template, paragraph or article" class="mt-3" />
  <Trouble :words="problem" class="mt-2" />
  <v-btn class="mt-3" :disabled="chosen === null" @click="put">Put the wording in</v-btn>
  <p class="mt-2">
    <button type="button" class="link" @click="keeping = true">keep this text as a wording…</button>
  </p>
  <WordingsDialog
    v-model="keeping"
    :wordings="wordings"
    :subject="subject"
    :body="body"
    @changed="emit('changed')"
  />
</template>
