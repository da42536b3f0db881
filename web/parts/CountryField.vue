<script setup lang="ts">
import { COUNTRIES, countryName } from '../../core/address/country.ts';

/** A country, by its name; kept by its two letters. */
const country = defineModel<string>({ required: true });
defineProps<{ label: string; errorMessages: string[]; clearable?: boolean }>();
const items = COUNTRIES.map((code) => ({ value: code, title: countryName(code) })).sort((a, b) =>
  a.title.localeCompare(b.title),
);
</script>

<template>
  <v-autocomplete
    :model-value="country || null"
    :items="items"
    :label="label"
    :clearable="clearable"
    :error-messages="errorMessages"
    @update:model-value="(code: string | null) => (country = code ?? '')"
  />
</template>
