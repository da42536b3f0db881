<script setup lang="ts">
import type { FieldDefinition } from '../../contract/index.ts';
import DateField from '../ui/DateField.vue';
import LinkField from './LinkField.vue';

/** Fields of the firm's own, each with the control of its kind. */
const props = defineProps<{
  fields: readonly FieldDefinition[];
  /** By `field:12`; changed in place. */
  values: Record<string, unknown>;
  errorOf: (field: string) => string[];
}>();
const words = (field: FieldDefinition) => valueOf(field) as string | null;
const number = (field: FieldDefinition) => valueOf(field) as number | null;
const keyOf = ({ id }: FieldDefinition) => `field:${id}`;
const valueOf = (field: FieldDefinition) => props.values[keyOf(field)] ?? null;
function put(field: FieldDefinition, value: unknown) {
  const empty = value === '' || value === undefined || (Array.isArray(value) && !value.length);
  // eslint-disable-next-line vue/no-mutating-props -- the record's own form, as v-model would
  props.values[keyOf(field)] = empty ? null : value;
}
function putNumber(field: FieldDefinition, text: string | null) {
  const typed = (text ?? '').trim().replace(/[\s,](?=\d{3}(?:\D|$))/g, '');
  const number = Number(typed.replace(',', '.'));
  // What is no number is sent as it stands: the server says so at its field.
  put(field, typed === '' ? null : Number.isNaN(number) ? typed : number);
}
const YES_NO = [
  { title: 'yes', value: true },
  { title: 'no', value: false },
];
const choicesOf = ({ choices }: FieldDefinition) =>
  choices.map(({ id, label }) => ({ title: label, value: id }));
</script>

<template>
  <template v-for="field in fields" :key="field.id">
    <v-textarea
      v-if="field.kind === 'long text'"
      :model-value="words(field)"
      :label="field.label"
      rows="3"
      auto-grow
      class="wide"
      :error-messages="errorOf(keyOf(field))"
      @update:model-value="(value: string) => put(field, value)"
    />
    <DateField
      v-else-if="field.kind === 'date'"
      :model-value="words(field) ?? ''"
      :label="field.label"
      clearable
      :error-messages="errorOf(keyOf(field))"
      @update:model-value="(value: string) => put(field, value)"
    />
    <v-select
      v-else-if="field.kind === 'yes or no'"
      :model-value="valueOf(field)"
      :items="YES_NO"
      :label="field.label"
      clearable
      :error-messages="errorOf(keyOf(field))"
      @update:model-value="(value: unknown) => put(field, value)"
    />
    <v-select
      v-else-if="field.kind === 'choice' || field.kind === 'choices'"
      :model-value="valueOf(field)"
      :items="choicesOf(field)"
      :label="field.label"
      :multiple="field.kind === 'choices'"
      clearable
      :error-messages="errorOf(keyOf(field))"
      @update:model-value="(value: unknown) => put(field, value)"
    />
    <LinkField
      v-else-if="field.kind === 'person' || field.kind === 'client'"
      :model-value="number(field)"
      :to="field.kind"
      :label="field.label"
      :error-messages="errorOf(keyOf(field))"
      @update:model-value="(value) => put(field, value)"
    />
    <v-text-field
      v-else-if="field.kind === 'number' || field.kind === 'money'"
      :model-value="number(field)"
      :label="field.label"
      :suffix="field.unit"
      inputmode="decimal"
      :error-messages="errorOf(keyOf(field))"
      @update:model-value="(value: string) => putNumber(field, value)"
    />
    <v-text-field
      v-else
      :model-value="words(field)"
      :label="field.label"
      :error-messages="errorOf(keyOf(field))"
      @update:model-value="(value: string) => put(field, value)"
    />
  </template>
</template>
