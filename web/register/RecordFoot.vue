<script setup lang="ts" generic="T extends object">
import type { RecordSubject } from '../../contract/index.ts';
import type { RecordForm } from '../ui/record.ts';
import Theirs from '../ui/Theirs.vue';
import History from './History.vue';

/** Below the fields of a record in a dialog: what is wrong, its history, and keeping. */
defineProps<{
  record: RecordForm<T>;
  labels: Partial<Record<keyof T & string, string>>;
  subject: RecordSubject;
  id: number;
}>();
const emit = defineEmits<{ close: []; changed: [] }>();
</script>

<template>
  <div class="wide">
    <p v-if="record.problem.value" class="needs" role="alert">{{ record.problem.value }}</p>
    <Theirs :record="record" :labels="labels" />
  </div>
  <details class="wide">
    <summary>History</summary>
    <History :id="id" :subject="subject" @changed="emit('changed')" />
  </details>
  <div class="answers wide">
    <slot />
    <v-btn @click="emit('close')">{{ record.changed.value.length ? 'Forget what I typed' : 'Close' }}</v-btn>
    <v-btn
      type="submit"
      color="primary"
      variant="flat"
      :disabled="!record.changed.value.length"
      :loading="record.busy.value"
      >Keep</v-btn
    >
  </div>
</template>

<style scoped>
summary {
  cursor: pointer;
  color: var(--spruce);
}
</style>
