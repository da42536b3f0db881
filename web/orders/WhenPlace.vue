<script setup lang="ts">
import { computed } from 'vue';
import type { On, When } from '../../core/orders/order.ts';
import { WHEN_WORDS } from '../../core/orders/sentence.ts';
import DateField from '../ui/DateField.vue';
import { useNaming, whenOf } from './order.ts';

/** What an order waits for: which occasion, and what has to be said of it. */
const when = defineModel<When>({ required: true });
const { choices, fieldOf } = useNaming();
const occasions = Object.entries(WHEN_WORDS).map(([value, title]) => ({ value: value as On, title }));
const mailings = computed(() => [
  { value: null, title: 'any mailing' },
  ...(choices.value?.mailings ?? []).map(({ id, name }) => ({ value: id, title: name })),
]);
const OF = { client: 'of the client', file: 'of the file', person: 'of the person' };
const fields = computed(() => {
  const { on } = when.value;
  return (choices.value?.fields ?? [])
    .filter(({ kind }) => on !== 'day' || kind === 'day')
    .map(({ of, fact, label }) => ({ value: `${of} ${fact}`, title: `${label}, ${OF[of]}` }));
});
const field = computed(() => ('fact' in when.value ? fieldOf(when.value.of, when.value.fact) : undefined));
const chosen = computed({
  get: () => ('fact' in when.value ? `${when.value.of} ${when.value.fact}` : ''),
  set: (key: string) => {
    const [of, fact] = [key.slice(0, key.indexOf(' ')), key.slice(key.indexOf(' ') + 1)];
    const next = choices.value?.fields.find((each) => each.of === of && each.fact === fact);
    if (!next || !('fact' in when.value)) return;
    const place = { of: next.of, fact: next.fact };
    when.value =
      when.value.on === 'becomes'
        ? { ...when.value, ...place, value: next.options[0]?.value ?? null }
        : { ...when.value, ...place };
  },
});
/** To whatever it is set, or to one of these. */
const values = computed(() => [
  { value: null, title: 'anything' },
  ...(field.value?.kind === 'yes or no'
    ? [
        { value: true, title: 'yes' },
        { value: false, title: 'no' },
      ]
    : (field.value?.options ?? [])),
]);
const listed = computed(() => values.value.length > 1);
function put(change: Record<string, unknown>) {
  when.value = { ...when.value, ...change } as When;
}
const number = (text: string) => (text.trim() === '' ? NaN : Number(text));
</script>

<template>
  <div class="form-grid">
    <v-autocomplete
      :model-value="when.on"
      :items="occasions"
      label="What happens"
      class="wide"
      @update:model-value="(on: On | null) => on && (when = whenOf(on, choices))"
    />
    <v-autocomplete v-if="'fact' in when" v-model="chosen" :items="fields" label="Which field" />
    <template v-if="when.on === 'becomes'">
      <v-autocomplete
        v-if="listed"
        :model-value="when.value"
        :items="values"
        :label="field?.kind === 'choices' ? 'Gets' : 'Becomes'"
        @update:model-value="(value: string | number | boolean | null) => put({ value })"
      />
      <DateField
        v-else-if="field?.kind === 'day'"
        :model-value="String(when.value ?? '')"
        label="Becomes; empty for any day"
        clearable
        @update:model-value="(value: string) => put({ value: value || null })"
      />
      <v-text-field
        v-else
        :model-value="when.value"
        label="Becomes; empty for anything"
        @update:model-value="
          (text: string) =>
            put({ value: text === '' ? null : field?.kind === 'number' ? number(text) : text })
        "
      />
    </template>
    <template v-if="when.on === 'day'">
      <div class="pair">
        <v-text-field
          :model-value="when.days"
          type="number"
          min="0"
          label="Days"
          @update:model-value="(text: string) => put({ days: number(text) })"
        />
        <v-select
          :model-value="when.side"
          :items="['before', 'after']"
          label="Before or after it"
          @update:model-value="(side: string) => put({ side })"
        />
      </div>
      <v-checkbox
        :model-value="when.yearly"
        label="every year, as an anniversary"
        class="wide"
        @update:model-value="(yearly: boolean | null) => put({ yearly: Boolean(yearly) })"
      />
    </template>
    <v-text-field
      v-if="when.on === 'month'"
      :model-value="when.day"
      type="number"
      min="1"
      max="31"
      label="Day of the month"
      hint="In shorter months the last."
      persistent-hint
      @update:model-value="(text: string) => put({ day: number(text) })"
    />
    <v-text-field
      v-if="'words' in when"
      :model-value="when.words"
      :label="
        when.on === 'document comes' || when.on === 'document shared'
          ? 'Words in its name; empty for all'
          : 'With these words; empty for all'
      "
      class="wide"
      @update:model-value="(words: string) => put({ words })"
    />
    <v-autocomplete
      v-if="'mailingId' in when"
      :model-value="when.mailingId"
      :items="mailings"
      label="Which mailing"
      @update:model-value="(mailingId: number | null) => put({ mailingId })"
    />
    <v-text-field
      v-if="'days' in when && when.on !== 'day'"
      :model-value="when.days"
      type="number"
      :min="when.on === 'fee note due' ? 0 : 1"
      :label="when.on === 'fee note due' ? 'Days before' : 'For so many days'"
      @update:model-value="(text: string) => put({ days: number(text) })"
    />
  </div>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: 1fr 1.4fr;
  gap: 12px;
}
</style>
