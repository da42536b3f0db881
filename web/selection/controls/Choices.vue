<script setup lang="ts">
import { computed } from 'vue';
import type { SelectionFields } from '../../../contract/index.ts';
import type { CriterionOf } from '../../../core/selection/tree.ts';

/** One of several; nothing chosen means anyone. */
const criterion = defineModel<CriterionOf<'status' | 'adviser' | 'service'>>({ required: true });
const props = defineProps<{ fields: SelectionFields | null; name: string }>();

const STATUSES = [
  { value: 'active', title: 'Active' },
  { value: 'past', title: 'Past' },
  { value: 'prospect', title: 'Prospect' },
];
const items = computed(() => {
  if (criterion.value.field === 'status') return STATUSES;
  if (criterion.value.field === 'adviser')
    return (props.fields?.advisers ?? []).map(({ id, name }) => ({ value: id, title: name }));
  return (props.fields?.services ?? []).map((service) => ({ value: service, title: service }));
});
</script>

<template>
  <v-select
    v-model="criterion.values"
    :items="items"
    multiple
    :aria-label="`${name} is one of`"
    :placeholder="criterion.field === 'service' ? 'any' : 'anyone'"
    persistent-placeholder
  />
</template>
