<script setup lang="ts">
/** A time zone, by its IANA name, among those this browser knows. */
const value = defineModel<string>({ required: true });
defineProps<{ label: string; errorMessages: string[] }>();
const zones = ['UTC', ...Intl.supportedValuesOf('timeZone')];
</script>

<template>
  <v-autocomplete v-model="value" :items="zones" :label="label" :error-messages="errorMessages" />
</template>
