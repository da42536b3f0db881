<script setup lang="ts" generic="T extends object">
import type { RecordForm } from './record.ts';

/** What somebody else made of fields that are being changed here: both are shown, and one is chosen. */
defineProps<{
  record: RecordForm<T>;
  /** What each field is called. */
  labels: Partial<Record<keyof T & string, string>>;
}>();
const words = (value: unknown): string => {
  if (value === null || value === '' || (Array.isArray(value) && !value.length)) return 'nothing';
  if (Array.isArray(value)) return value.map(words).join(', ');
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'object') return Object.values(value).map(words).join(' ');
  return String(value);
};
const fieldsOf = (theirs: object) => Object.keys(theirs) as (keyof T & string)[];
</script>

<template>
  <div v-if="fieldsOf(record.theirs.value).length" class="sheet theirs" role="alert">
    <p>
      <strong>Somebody else changed this while you were at it.</strong> Nothing you typed is lost: choose
      which is to stand.
    </p>
    <div v-for="field in fieldsOf(record.theirs.value)" :key="field" class="both">
      <strong>{{ labels[field] ?? field }}</strong>
      <span
        >theirs: {{ words(record.theirs.value[field]) }}
        <button type="button" class="link" @click="record.takeTheirs(field)">take theirs</button></span
      >
      <span
        >yours: {{ words(record.form[field]) }}
        <button type="button" class="link" @click="record.keepMine(field)">keep yours</button></span
      >
    </div>
  </div>
</template>

<style scoped>
.theirs {
  border-left: 4px double var(--brick);
  padding: 8px 12px;
  margin-bottom: 10px;
}
.both {
  display: grid;
  grid-template-columns: 150px 1fr 1fr;
  gap: 12px;
  margin-top: 6px;
  overflow-wrap: anywhere;
}
</style>
