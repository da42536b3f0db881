<script setup lang="ts">
import type { CriterionOf } from '../../../core/selection/tree.ts';

/** Words within name, place, people or addresses. */
const criterion = defineModel<CriterionOf<'words'>>({ required: true });
</script>

<template>
  <v-text-field v-model="criterion.text" aria-label="Words in name, place, people or addresses" />
</template>
