<script setup lang="ts">
import { computed } from 'vue';
import Trouble from '../parts/Trouble.vue';
import { asLines, FIRM_LABELS, useFirm } from './firm.ts';
import KeepBar from './KeepBar.vue';
import CountryField from '../parts/CountryField.vue';
import ZoneField from './ZoneField.vue';

const emit = defineEmits<{ kept: [] }>();
const { record, firm } = useFirm([
  'name',
  'domains',
  'postal',
  'phone',
  'country',
  'webAddress',
  'counting',
  'pageDays',
  'zone',
  'notice',
]);
const { form, errorOf } = record;
const { problem, load } = firm;
const lines = (field: 'domains' | 'postal') =>
  computed({
    get: () => asLines.read(form[field]),
    set: (text: string) => {
      form[field] = asLines.write(text);
    },
  });
const postal = lines('postal');
const domains = lines('domains');
</script>

<template>
  <Trouble :words="problem" :retry="load" class="mb-3" />
  <form class="form-grid" @submit.prevent>
    <v-text-field v-model="form.name" :label="FIRM_LABELS.name" :error-messages="errorOf('name')" />
    <v-text-field v-model="form.phone" :label="FIRM_LABELS.phone" :error-messages="errorOf('phone')" />
    <v-textarea
      v-model="postal"
      label="Postal address, as it stands on an envelope"
      rows="4"
      :error-messages="errorOf('postal')"
    />
    <v-textarea
      v-model="domains"
      label="Domains of the office’s own mail, one a line"
      rows="4"
      :error-messages="errorOf('domains')"
    />
    <CountryField v-model="form.country" :label="FIRM_LABELS.country" :error-messages="errorOf('country')" />
    <ZoneField v-model="form.zone" :label="FIRM_LABELS.zone" :error-messages="errorOf('zone')" />
    <v-text-field
      v-model="form.webAddress"
      label="Where the office opens Patient Clerk"
      :error-messages="errorOf('webAddress')"
    />
    <v-text-field
      v-model.number="form.pageDays"
      type="number"
      min="1"
      :label="FIRM_LABELS.pageDays"
      hint="What is laid out on a client’s page, and the link to it, last so long."
      persistent-hint
      :error-messages="errorOf('pageDays')"
    />
    <v-checkbox
      v-model="form.counting"
      class="wide"
      label="Count which mailings are opened and which of their links are followed"
    />
    <v-textarea
      v-model="form.notice"
      class="wide"
      label="Notice below every signature"
      rows="3"
      :error-messages="errorOf('notice')"
    />
  </form>
  <KeepBar :record="record" :labels="FIRM_LABELS" @kept="emit('kept')" />
</template>

<style scoped>
@media (max-width: 1000px) {
}
</style>
