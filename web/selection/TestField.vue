<script setup lang="ts">
import { computed } from 'vue';
import { beginTest, OPERATORS, type SelectableFact } from '../../core/selection/catalogue.ts';
import { OPERATOR_WORDS } from '../../core/selection/explain.ts';
import { UNITS, type Operator, type Test } from '../../core/selection/tree.ts';
import LinkField from '../register/LinkField.vue';
import DateField from '../ui/DateField.vue';

/** What a fact must be: how it is tested, and against what. */
const test = defineModel<Test>({ required: true });
const props = defineProps<{ fact: SelectableFact }>();

const operators = computed(() =>
  OPERATORS[props.fact.kind].map((op) => ({
    value: op,
    title:
      op === 'yes' || op === 'no'
        ? props.fact[op] || op
        : props.fact.kind === 'choices' && op === 'one of'
          ? 'include any of'
          : OPERATOR_WORDS[op],
  })),
);
function choose(op: Operator) {
  const begun = beginTest(props.fact, op);
  // What was given already stays, wherever the new test has a place for it.
  const kept = Object.entries(test.value).filter(([key]) => key !== 'op' && key in begun);
  test.value = { ...begun, ...Object.fromEntries(kept) } as Test;
}
function put(change: object) {
  test.value = { ...test.value, ...change } as Test;
}
function number(typed: string): number | null {
  return typed !== '' && Number.isFinite(Number(typed)) ? Number(typed) : null;
}
function measure(key: 'value' | 'from' | 'to', typed: string) {
  const value = number(typed);
  if (value !== null) put({ [key]: value });
}
/** What is linked to; none where something is chosen from a list. */
const linked = computed(() =>
  props.fact.kind === 'person' || props.fact.kind === 'client' ? props.fact.kind : null,
);
const units = UNITS.map((unit) => ({ value: unit, title: unit }));
</script>

<template>
  <div class="test" :class="{ wide: test.op === 'from until' }">
    <v-select
      :model-value="test.op"
      :items="operators"
      :aria-label="`${fact.label}: how`"
      @update:model-value="choose"
    />
    <v-text-field
      v-if="'text' in test"
      :model-value="test.text"
      :aria-label="fact.label"
      :placeholder="fact.kind === 'postcode' ? 'Q12, or a letter' : ''"
      maxlength="200"
      @update:model-value="put({ text: $event })"
    />
    <v-text-field
      v-else-if="'value' in test"
      :model-value="test.value"
      type="number"
      step="any"
      :suffix="fact.unit"
      :aria-label="fact.label"
      @update:model-value="measure('value', $event)"
    />
    <template v-else-if="test.op === 'between'">
      <v-text-field
        :model-value="test.from"
        type="number"
        step="any"
        :suffix="fact.unit"
        :aria-label="`${fact.label} from`"
        @update:model-value="measure('from', $event)"
      />
      <v-text-field
        :model-value="test.to"
        type="number"
        step="any"
        :suffix="fact.unit"
        :aria-label="`${fact.label} to`"
        @update:model-value="measure('to', $event)"
      />
    </template>
    <LinkField
      v-else-if="'values' in test && linked"
      :model-value="(test.values[0] as number) ?? null"
      :to="linked"
      :label="fact.label"
      @update:model-value="put({ values: $event === null ? [] : [$event] })"
    />
    <v-autocomplete
      v-else-if="'values' in test"
      :model-value="test.values as (string | number)[]"
      :items="fact.options"
      multiple
      clearable
      :aria-label="fact.label"
      placeholder="choose"
      no-data-text="There is nothing to choose yet"
      @update:model-value="put({ values: $event })"
    />
    <DateField
      v-else-if="'day' in test"
      :model-value="test.day"
      label="Day"
      @update:model-value="put({ day: $event })"
    />
    <template v-else-if="test.op === 'from until'">
      <DateField :model-value="test.from" label="From" @update:model-value="put({ from: $event })" />
      <DateField :model-value="test.to" label="To" @update:model-value="put({ to: $event })" />
    </template>
    <div v-else-if="'count' in test" class="count">
      <v-text-field
        :model-value="test.count"
        type="number"
        min="0"
        max="1000"
        :aria-label="`${fact.label}: how many`"
        @update:model-value="put({ count: Math.min(1000, Math.max(0, Math.round(number($event) ?? 0))) })"
      />
      <v-select
        :model-value="test.unit"
        :items="units"
        :aria-label="`${fact.label}: days, weeks, months or years`"
        @update:model-value="put({ unit: $event })"
      />
    </div>
  </div>
</template>

<style scoped>
.test {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1.2fr);
  gap: 6px;
}
.test > :nth-child(3) {
  grid-column: 2;
}
.count {
  display: grid;
  grid-template-columns: 76px minmax(0, 1fr);
  gap: 6px;
}
.test :deep(.date) {
  min-width: 0;
}
</style>
