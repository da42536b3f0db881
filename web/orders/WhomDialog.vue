<script setup lang="ts">
import { computed, ref, toRaw } from 'vue';
import { selectionOf, type Selection, type Subject } from '../../core/selection/tree.ts';
import OpenKept from '../selection/OpenKept.vue';
import SelectionColumn from '../selection/SelectionColumn.vue';
import AskDialog from '../ui/AskDialog.vue';

/** For whom an order is: its selection, as an account that is counted as one writes. */
const props = defineProps<{ selection: Selection | null; subjects: readonly Subject[] }>();
const emit = defineEmits<{ close: []; chosen: [selection: Selection | null] }>();
const open = computed({ get: () => true, set: () => emit('close') });
const draft = ref<Selection>(
  props.selection ? structuredClone(toRaw(props.selection)) : { ...selectionOf(), of: [], past: false },
);
const SUBJECTS = { client: 'clients', file: 'files', person: 'people' };
const subjects = computed(() => props.subjects.map((value) => ({ value, title: SUBJECTS[value] })));
/** What is asked of clients says nothing of files. */
function pickOut(subject: Subject) {
  draft.value = { ...selectionOf(), of: [], past: false, subject };
}
</script>

<template>
  <AskDialog v-model="open" label="For whom" :max-width="820" persistent>
    <div class="ask">
      <v-select
        :model-value="draft.subject"
        :items="subjects"
        aria-label="What is asked about"
        class="subject"
        :disabled="subjects.length < 2"
        @update:model-value="pickOut"
      />
      <OpenKept :subject="draft.subject" @open="(kept) => (draft = kept)" />
    </div>
    <SelectionColumn :key="draft.subject" v-model="draft" />
    <p class="quiet mt-2">
      Asked when it happens, and again before each further step, of the record as it stands then.
    </p>
    <template #answers>
      <v-btn @click="emit('close')">Leave it as it was</v-btn>
      <v-btn @click="emit('chosen', null)">For everybody</v-btn>
      <v-btn color="primary" variant="flat" @click="emit('chosen', draft)">For these</v-btn>
    </template>
  </AskDialog>
</template>

<style scoped>
.ask {
  display: flex;
  align-items: center;
  gap: 16px;
  margin-bottom: 8px;
}
.subject {
  max-width: 160px;
}
</style>
