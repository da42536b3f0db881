<script setup lang="ts">
import Trouble from '../parts/Trouble.vue';
import { DELIVERY_KINDS, DELIVERY_WAYS } from '../register/register.ts';
import { FIRM_LABELS, useFirm } from './firm.ts';
import KeepBar from './KeepBar.vue';

/** How each kind of communication goes to a client who is new. */
const emit = defineEmits<{ kept: [] }>();
const { record, firm } = useFirm(['ways']);
const { form, errorOf } = record;
const { problem, load } = firm;
const ways = Object.entries(DELIVERY_WAYS).map(([value, title]) => ({ value, title }));
const KINDS = ['letters', 'statements', 'mailings'] as const;
</script>

<template>
  <Trouble :words="problem" :retry="load" class="mb-3" />
  <div class="ways">
    <v-select
      v-for="kind in KINDS"
      :key="kind"
      v-model="form.ways[kind]"
      :items="ways"
      :label="DELIVERY_KINDS[kind]"
    />
  </div>
  <p v-for="words in errorOf('ways')" :key="words" class="needs mt-1" role="alert">{{ words }}</p>
  <p class="quiet mt-2">Clients who are here already stay as they are.</p>
  <KeepBar :record="record" :labels="FIRM_LABELS" @kept="emit('kept')" />
</template>

<style scoped>
.ways {
  display: flex;
  flex-direction: column;
  gap: 10px;
  max-width: 360px;
}
</style>
