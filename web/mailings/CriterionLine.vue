<script setup lang="ts">
import { computed } from 'vue';
import type { SelectionFields } from '../../contract/index.ts';
import type { Criterion } from '../../core/selection/criteria.ts';

/** One line of a selection: the fact, the test, the value, and how many are left after it. */
const criterion = defineModel<Criterion>({ required: true });
const props = defineProps<{ fields: SelectionFields | null; count: number | null; of: number }>();
defineEmits<{ remove: [] }>();

const numberField = computed(() => {
  const now = criterion.value;
  return now.field === 'number' ? props.fields?.numbers.find((field) => field.id === now.fieldId) : undefined;
});
const name = computed(() => {
  switch (criterion.value.field) {
    case 'status':
      return 'Status';
    case 'adviser':
      return 'Adviser';
    case 'service':
      return 'Service';
    case 'interest':
      return 'Interest';
    case 'email':
      return 'Email address';
    case 'number':
      return numberField.value?.label ?? 'Number';
  }
  return '';
});
const STATUSES = [
  { value: 'active', title: 'Active' },
  { value: 'past', title: 'Past' },
  { value: 'prospect', title: 'Prospect' },
];
const HAS = [
  { value: true, title: 'has' },
  { value: false, title: 'has not' },
];
</script>

<template>
  <div class="criterion">
    <span class="name">{{ name }}</span>
    <div class="value">
      <v-select
        v-if="criterion.field === 'status'"
        v-model="criterion.values"
        :items="STATUSES"
        multiple
        aria-label="Status is one of"
        placeholder="anyone"
        persistent-placeholder
      />
      <v-select
        v-else-if="criterion.field === 'adviser'"
        v-model="criterion.values"
        :items="fields?.advisers ?? []"
        item-title="name"
        item-value="id"
        multiple
        aria-label="Adviser is one of"
        placeholder="anyone"
        persistent-placeholder
      />
      <v-select
        v-else-if="criterion.field === 'service'"
        v-model="criterion.values"
        :items="fields?.services ?? []"
        multiple
        aria-label="Service is one of"
        placeholder="any"
        persistent-placeholder
      />
      <div v-else-if="criterion.field === 'interest'" class="pair">
        <v-select v-model="criterion.has" :items="HAS" aria-label="Has or has not" />
        <v-select
          v-model="criterion.interestId"
          :items="fields?.interests ?? []"
          item-title="name"
          item-value="id"
          aria-label="Interest"
        />
      </div>
      <div v-else-if="criterion.field === 'number'" class="pair">
        <v-select
          v-model="criterion.test"
          :items="['at least', 'at most']"
          aria-label="At least or at most"
        />
        <v-text-field
          :model-value="criterion.value"
          type="number"
          step="any"
          :suffix="numberField?.unit"
          :aria-label="name"
          @update:model-value="
            (value: string) =>
              Number.isFinite(Number(value)) &&
              value !== '' &&
              criterion.field === 'number' &&
              (criterion.value = Number(value))
          "
        />
      </div>
      <v-select
        v-else-if="criterion.field === 'email'"
        v-model="criterion.has"
        :items="HAS"
        aria-label="Has or has not an email address"
      />
    </div>
    <span class="left"
      ><i :style="{ width: `${count === null ? 0 : Math.max(2, (50 * count) / Math.max(1, of))}px` }" /><b
        class="figures"
        >{{ count === null ? '…' : count.toLocaleString('en-GB') }}</b
      ></span
    >
    <button
      type="button"
      class="plain remove"
      :aria-label="`Take the line ${name} away`"
      @click="$emit('remove')"
    >
      ×
    </button>
  </div>
</template>

<style scoped>
.criterion {
  display: grid;
  grid-template-columns: 76px minmax(0, 1fr) 88px 16px;
  gap: 8px;
  align-items: center;
  padding: 6px 8px 6px 12px;
  border-bottom: 1px solid var(--hairline);
}
.pair {
  display: grid;
  grid-template-columns: 1.25fr 1fr;
  gap: 4px;
}
.left {
  display: flex;
  justify-content: end;
  align-items: center;
  gap: 6px;
}
.left i {
  height: 9px;
  background: var(--spruce);
  opacity: 0.75;
}
.remove {
  font-size: 17px;
  color: var(--ink-soft);
  line-height: 1;
}
.value :deep(.v-field) {
  padding-inline-end: 4px;
}
.value :deep(.v-field__input) {
  padding-inline: 8px 0;
}
</style>
