<script setup lang="ts">
import type { SelectionFields } from '../../../contract/index.ts';
import type { CriterionOf } from '../../../core/selection/tree.ts';
import { HAS } from './has.ts';

/** Has one of the firm's interests, or has not. */
const criterion = defineModel<CriterionOf<'interest'>>({ required: true });
defineProps<{ fields: SelectionFields | null }>();
</script>

<template>
  <div class="pair">
    <v-select v-model="criterion.has" :items="HAS" aria-label="Has or has not" />
    <v-select
      v-model="criterion.interestId"
      :items="fields?.interests ?? []"
      item-title="name"
      item-value="id"
      aria-label="Interest"
    />
  </div>
</template>
