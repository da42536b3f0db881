<script setup lang="ts">
import { computed } from 'vue';
import type { SelectionFields } from '../../../contract/index.ts';
import type { CriterionOf } from '../../../core/selection/tree.ts';

/** A number at least or at most so large, in its unit. */
const criterion = defineModel<CriterionOf<'number'>>({ required: true });
const props = defineProps<{ fields: SelectionFields | null; name: string }>();
const unit = computed(
  () => props.fields?.numbers.find(({ id }) => id === criterion.value.fieldId)?.unit ?? '',
);
function set(typed: string) {
  if (typed !== '' && Number.isFinite(Number(typed))) criterion.value.value = Number(typed);
}
</script>

<template>
  <div class="pair">
    <v-select v-model="criterion.test" :items="['at least', 'at most']" aria-label="At least or at most" />
    <v-text-field
      :model-value="criterion.value"
      type="number"
      step="any"
      :suffix="unit"
      :aria-label="name"
      @update:model-value="set"
    />
  </div>
</template>
