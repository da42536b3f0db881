<script setup lang="ts">
import { computed, ref } from 'vue';
import { Ask, type ClientPages } from '../../contract/index.ts';
import { act } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';
import DateField from '../ui/DateField.vue';
import { useForm } from '../ui/form.ts';

/** Asks one of a client's people for things, on their page. */
const props = defineProps<{
  clientId: number;
  pages: ClientPages;
  personId: number;
  fileId: number | null;
}>();
const emit = defineEmits<{ close: []; done: [words: string] }>();
const open = computed({ get: () => true, set: () => emit('close') });
const personId = ref(props.personId);
const fileId = ref(props.fileId ?? props.pages.files[0]?.id ?? 0);
const names = ref('');
const note = ref('');
const byDay = ref('');
/** What is wrong with a line is told at the lines. */
const LINES = Array.from({ length: 30 }, (_, line) => `names.${line}`);
const form = useForm(Ask, ['personId', 'fileId', 'names', 'note', 'byDay', ...LINES]);
const files = computed(() =>
  props.pages.files.map(({ id, number, title }) => ({ id, title: `${number} ${title}` })),
);
const errors = computed(() => ['names', ...LINES].flatMap((field) => form.errorOf(field)));
async function ask() {
  const value = {
    personId: personId.value,
    fileId: fileId.value,
    names: names.value.split('\n').flatMap((line) => line.trim() || []),
    note: note.value,
    byDay: byDay.value || null,
  };
  if (await form.submit(value, () => act('POST', `/clients/${props.clientId}/pages/wanted`, value)))
    emit('done', 'It stands on their page now. Write to them, so that they know.');
}
</script>

<template>
  <AskDialog v-model="open" label="Ask for something" :max-width="620" persistent>
    <form class="form-grid" @submit.prevent="ask" @keydown.ctrl.enter="ask">
      <v-select
        v-model="personId"
        :items="pages.pages.map(({ personId: id, name }) => ({ id, name }))"
        item-title="name"
        item-value="id"
        label="Whom"
        :error-messages="form.errorOf('personId')"
      />
      <v-select
        v-model="fileId"
        :items="files"
        item-title="title"
        item-value="id"
        label="For which file"
        :error-messages="form.errorOf('fileId')"
      />
      <v-textarea
        v-model="names"
        v-first
        label="What is wanted, a thing a line"
        rows="4"
        class="wide"
        :error-messages="errors"
      />
      <v-text-field
        v-model="note"
        label="A word about it, as they read it"
        class="wide"
        :error-messages="form.errorOf('note')"
      />
      <DateField
        v-model="byDay"
        label="By when; empty for some day"
        clearable
        :error-messages="form.errorOf('byDay')"
      />
    </form>
    <Trouble :words="form.problem.value" class="mt-2" />
    <template #answers>
      <v-btn @click="emit('close')">Not now</v-btn>
      <v-btn color="primary" variant="flat" :loading="form.busy.value" @click="ask">Ask for it</v-btn>
    </template>
  </AskDialog>
</template>
