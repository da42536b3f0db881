<script setup lang="ts">
import { computed } from 'vue';
import type { Who } from '../../core/orders/order.ts';
import { useNaming } from './order.ts';

/** Whoever has to do with a client: their adviser, who keeps the order, or a colleague by name. */
const who = defineModel<Who>({ required: true });
defineProps<{ label: string }>();
const { choices } = useNaming();
const items = computed(() => [
  { value: 'adviser' as Who, title: 'their adviser' },
  { value: 'owner' as Who, title: 'whoever keeps this order' },
  ...(choices.value?.staff ?? []).map(({ id, name }) => ({ value: id as Who, title: name })),
]);
</script>

<template>
  <v-autocomplete v-model="who" :items="items" :label="label" />
</template>
