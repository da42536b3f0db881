<script setup lang="ts">
import { computed } from 'vue';
import { z } from 'zod';
import { may, StaffRecord } from '../../contract/index.ts';
import { useSession } from '../session.ts';
import Trouble from '../parts/Trouble.vue';
import { useLoad } from '../ui/load.ts';
import { FIRM_LABELS, useFirm } from './firm.ts';
import KeepBar from './KeepBar.vue';

/** When the firm reminds of what is overdue, and whether that happens by itself. */
const emit = defineEmits<{ kept: [] }>();
const { record, firm } = useFirm(['reminders']);
const { form, errorOf } = record;
const { problem, load } = firm;
const session = useSession();
const { data: staff } = useLoad(z.array(StaffRecord), () => '/office/staff', { concerns: { records: true } });
const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
const NUMBERS = [
  { key: 'after', label: 'The first, days after it is due' },
  { key: 'every', label: 'Each further one, days later' },
  { key: 'most', label: 'How many at most' },
] as const;
const releasers = computed(() => [
  { value: null, title: 'lie on the desk until somebody releases them' },
  ...(staff.value ?? [])
    .filter(({ leftAt, role }) => !leftAt && may(role, 'release paperwork'))
    .map(({ id, name }) => ({ value: id, title: `go by themselves, released by ${name}` })),
]);
</script>

<template>
  <Trouble :words="problem" :retry="load" class="mb-3" />
  <div class="numbers">
    <v-text-field
      v-for="{ key, label } in NUMBERS"
      :key="key"
      v-model.number="form.reminders[key]"
      type="number"
      min="1"
      :label="label"
    />
  </div>
  <p class="quiet mt-1">
    The first is friendly, the second plain, all further ones firm. What is paid, answered, or switched off
    for a client or a fee note is left alone.
  </p>
  <v-checkbox v-model="form.reminders.daily" label="they are prepared by themselves" class="mt-4" />
  <template v-if="form.reminders.daily">
    <v-text-field v-model="form.reminders.at" label="At" placeholder="09:30" class="at" />
    <fieldset class="days mt-2">
      <legend class="quiet">On</legend>
      <v-checkbox
        v-for="(name, index) in DAYS"
        :key="name"
        v-model="form.reminders.days"
        :value="index + 1"
        :label="name"
      />
    </fieldset>
    <p class="quiet mt-1">
      From the next such time on; never on holidays. What is missed is made up for on the next day.
    </p>
    <v-select
      v-model="form.reminders.releasedBy"
      :items="releasers"
      label="Then they"
      class="mt-3 then"
      :disabled="!session.may('run the office')"
    />
  </template>
  <p v-for="words in errorOf('reminders')" :key="words" class="needs mt-1" role="alert">{{ words }}</p>
  <KeepBar :record="record" :labels="FIRM_LABELS" @kept="emit('kept')" />
</template>

<style scoped>
.numbers {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(210px, 1fr));
  gap: 10px;
  max-width: 760px;
}
.at {
  max-width: 140px;
}
.then {
  max-width: 480px;
}
.days {
  display: flex;
  flex-wrap: wrap;
  gap: 0 14px;
  border: 0;
  padding: 0;
}
</style>
