<script setup lang="ts">
import { ref, watch } from 'vue';
import { act, ApiProblem, wordsOf } from '../api.ts';
import AskDialog from '../ui/AskDialog.vue';

/** A message that came back is sent once more, its address mended where it was wrong. */
const row = defineModel<{
  /** Where it is asked for, below `/api`. */
  path: string;
  client: string;
  address: string;
  answer: string | null;
} | null>({ required: true });
const emit = defineEmits<{ changed: [] }>();
const address = ref('');
const problem = ref('');
const busy = ref(false);
watch(row, (now) => {
  address.value = now?.address ?? '';
  problem.value = '';
});
async function again() {
  if (!row.value) return;
  busy.value = true;
  try {
    await act('POST', `${row.value.path}/again`, { address: address.value });
    row.value = null;
    emit('changed');
  } catch (error) {
    problem.value = error instanceof ApiProblem ? error.message : wordsOf(error);
  }
  busy.value = false;
}
</script>

<template>
  <AskDialog
    :model-value="row !== null"
    :max-width="480"
    :persistent="row !== null && address !== row.address"
    label="Send it again"
    @update:model-value="(open: boolean) => open || (row = null)"
  >
    <template #heading>Send {{ row?.client }} their copy again?</template>
    <p class="quiet mb-3">{{ row?.answer || 'It came back.' }}</p>
    <v-text-field
      v-model="address"
      v-first
      class="mt-2"
      label="Address"
      :error-messages="problem ? [problem] : []"
      @keydown.enter="again"
    />
    <p class="mt-2">
      Another address than this one becomes theirs in the records too, and the old one is kept as a former
      one.
    </p>
    <template #answers>
      <v-btn @click="row = null">Leave it</v-btn>
      <v-btn color="primary" variant="flat" :loading="busy" @click="again">Send it again</v-btn>
    </template>
  </AskDialog>
</template>
