<script setup lang="ts">
import { ref, watch } from 'vue';
import { WordingDraft, type Wording } from '../../contract/index.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { act, wordsOf } from '../api.ts';
import { useForm } from '../ui/form.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';

/** Keeps what is written now as a wording that anybody can put into a message, and drops others. */
const open = defineModel<boolean>({ required: true });
const props = defineProps<{ wordings: readonly Wording[]; subject: DocNode; body: DocNode }>();
const emit = defineEmits<{ changed: [] }>();
const name = ref('');
const { errorOf, problem, submit, clear } = useForm(WordingDraft, ['name']);
const dropProblem = ref('');
watch(open, () => {
  clear();
  dropProblem.value = '';
});

const keep = (kind: 'paragraph' | 'template') =>
  submit({ kind, name: name.value, subject: props.subject, body: props.body }, async (wording) => {
    await act('POST', '/wordings', wording);
    name.value = '';
    open.value = false;
    emit('changed');
  });
async function drop(wording: Wording) {
  try {
    await act('DELETE', `/wordings/${wording.id}`);
    emit('changed');
  } catch (error) {
    dropProblem.value = wordsOf(error);
  }
}
</script>

<template>
  <AskDialog v-model="open" label="Wordings">
    <p class="quiet mb-2">Keeps what is written now, so that anybody can put it into a message.</p>
    <v-text-field v-model="name" label="Its name" maxlength="120" :error-messages="errorOf('name')" />
    <Trouble :words="problem || dropProblem" class="mt-2" />
    <div class="answers">
      <v-btn :disabled="!name.trim()" @click="keep('paragraph')">Keep as a paragraph</v-btn>
      <v-btn :disabled="!name.trim()" @click="keep('template')">Keep as a template, with the subject</v-btn>
    </div>
    <div class="mt-3">
      <p v-for="wording in wordings" :key="wording.id" class="kept">
        {{ wording.name }} <span class="quiet">{{ wording.kind }}</span> <v-spacer /><button
          type="button"
          class="link"
          @click="drop(wording)"
        >
          drop
        </button>
      </p>
    </div>
  </AskDialog>
</template>

<style scoped>
.kept {
  display: flex;
  gap: 8px;
  padding: 4px 0;
  border-bottom: 1px solid var(--hairline);
}
</style>
