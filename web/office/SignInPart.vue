<script setup lang="ts">
import { computed } from 'vue';
import { z } from 'zod';
import { StaffRecord } from '../../contract/index.ts';
import Trouble from '../parts/Trouble.vue';
import { useLoad } from '../ui/load.ts';
import { list } from '../words.ts';
import { FIRM_LABELS, useFirm } from './firm.ts';
import KeepBar from './KeepBar.vue';

const { record, firm } = useFirm(['secondStep']);
const { form } = record;
const { problem, load } = firm;
const { data: staff } = useLoad(z.array(StaffRecord), () => '/office/staff', { concerns: { records: true } });
const without = computed(
  () => staff.value?.filter(({ leftAt, secondStep }) => !leftAt && !secondStep).map(({ name }) => name) ?? [],
);
</script>

<template>
  <Trouble :words="problem" :retry="load" class="mb-3" />
  <v-checkbox v-model="form.secondStep" label="Everybody signs in with a second step" />
  <p class="quiet mt-1">
    Besides the password, six figures that a program on one’s telephone shows and that change every half
    minute. A password that somebody else has come by is then of no use to them.
  </p>
  <p v-if="without.length" class="mt-3">
    {{ list(without) }} {{ without.length === 1 ? 'has' : 'have' }} none yet{{
      form.secondStep ? ', and set it up the next time they do anything here' : ''
    }}.
  </p>
  <p v-else-if="staff" class="mt-3">Everybody has one.</p>
  <KeepBar :record="record" :labels="FIRM_LABELS" />
</template>
