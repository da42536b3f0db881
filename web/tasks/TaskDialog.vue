<script setup lang="ts">
import { computed, ref } from 'vue';
import { z } from 'zod';
import { Made, TaskChange, TaskFields, type TaskRow } from '../../contract/index.ts';
import { act, send } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';
import DateField from '../ui/DateField.vue';
import { useForm } from '../ui/form.ts';

/** A task, new or changed: what, for whom, by when. */
const props = defineProps<{
  /** The one that is changed; null for a new one. */
  task: TaskRow | null;
  /** What a new one is about. */
  about?: { clientId?: number | null; fileId?: number | null; messageId?: number | null; words?: string };
}>();
const emit = defineEmits<{ close: []; kept: [words: string] }>();
const session = useSession();
const open = computed({ get: () => true, set: () => emit('close') });
const words = ref(props.task?.words ?? props.about?.words ?? '');
const forId = ref(props.task?.forId ?? session.session?.staff.id ?? 0);
const dueOn = ref(props.task?.dueOn ?? '');
const FIELDS = ['words', 'forId', 'dueOn'];
const form = useForm(z.union([TaskChange, TaskFields]), FIELDS);
const keep = async () => {
  const fields = { words: words.value, forId: forId.value, dueOn: dueOn.value || null };
  const value = props.task
    ? { ...fields, version: props.task.version }
    : { ...fields, clientId: null, fileId: null, messageId: null, ...props.about, words: words.value };
  const done = await form.submit(value, async () => {
    if (props.task) await act('PUT', `/tasks/${props.task.id}`, value);
    else await send('POST', Made, '/tasks', value);
  });
  if (done) emit('kept', props.task ? 'The task was changed.' : 'The task was left.');
};
</script>

<template>
  <AskDialog v-model="open" :label="task ? 'The task' : 'Leave a task'" :max-width="520" persistent>
    <form class="form-grid" @submit.prevent="keep" @keydown.ctrl.enter="keep">
      <v-textarea
        v-model="words"
        v-first
        label="What is to be done"
        rows="2"
        auto-grow
        class="wide"
        :error-messages="form.errorOf('words')"
      />
      <v-autocomplete
        v-model="forId"
        :items="session.session?.colleagues ?? []"
        item-title="name"
        item-value="id"
        label="For whom"
        :error-messages="form.errorOf('forId')"
      />
      <DateField
        v-model="dueOn"
        label="By when; empty for some day"
        clearable
        :error-messages="form.errorOf('dueOn')"
      />
    </form>
    <Trouble :words="form.problem.value" class="mt-2" />
    <template #answers>
      <v-btn @click="emit('close')">Not now</v-btn>
      <v-btn color="primary" variant="flat" :loading="form.busy.value" @click="keep">{{
        task ? 'Keep' : 'Leave it'
      }}</v-btn>
    </template>
  </AskDialog>
</template>
