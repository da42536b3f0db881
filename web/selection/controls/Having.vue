<script setup lang="ts">
import type { CriterionOf } from '../../../core/selection/tree.ts';
import { HAS } from './has.ts';

/** Has it, or has not. */
const criterion = defineModel<CriterionOf<'email'>>({ required: true });
</script>

<template>
  <v-select v-model="criterion.has" :items="HAS" aria-label="Has or has not an email address" />
</template>
