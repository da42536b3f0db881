<script setup lang="ts">
import { DateTime } from 'luxon';
import { computed, reactive, ref } from 'vue';
import { dayWords } from '../../core/office/day.ts';
import Trouble from '../parts/Trouble.vue';
import DateField from '../ui/DateField.vue';
import { FIRM_LABELS, useFirm } from './firm.ts';
import KeepBar from './KeepBar.vue';

const emit = defineEmits<{ kept: [] }>();
const { record, firm } = useFirm(['hours', 'holidays']);
const { form, errorOf } = record;
const { problem, load } = firm;
const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
const next = reactive({ day: '', name: '' });
const wrong = ref('');
const sorted = computed(() => [...form.holidays].sort((a, b) => a.day.localeCompare(b.day)));
const weekday = (day: string) => DateTime.fromISO(day, { locale: 'en-GB' }).toFormat('cccc');
function add() {
  wrong.value = next.day ? '' : 'Give the day first.';
  if (form.holidays.some(({ day }) => day === next.day)) wrong.value = 'That day stands there already.';
  if (wrong.value) return;
  form.holidays = [...form.holidays, { ...next }].sort((a, b) => a.day.localeCompare(b.day));
  Object.assign(next, { day: '', name: '' });
}
const remove = (gone: string) => {
  form.holidays = form.holidays.filter(({ day }) => day !== gone);
};
</script>

<template>
  <Trouble :words="problem" :retry="load" class="mb-3" />
  <fieldset class="days">
    <legend class="quiet">The office works on</legend>
    <v-checkbox
      v-for="(name, index) in DAYS"
      :key="name"
      v-model="form.hours.days"
      :value="index + 1"
      :label="name"
    />
  </fieldset>
  <div class="hours">
    <v-text-field v-model="form.hours.from" label="From" placeholder="09:00" />
    <v-text-field v-model="form.hours.until" label="Until" placeholder="17:30" />
  </div>
  <p v-for="words in errorOf('hours')" :key="words" class="needs mt-1" role="alert">{{ words }}</p>
  <h3 class="mt-5 mb-2">Holidays</h3>
  <form class="adding" @submit.prevent="add">
    <DateField v-model="next.day" label="Day" :error-messages="wrong" />
    <v-text-field v-model="next.name" label="What it is called" maxlength="80" />
    <v-btn type="submit">Add</v-btn>
  </form>
  <table v-if="sorted.length" class="ledger-table mt-2">
    <tbody>
      <tr v-for="holiday in sorted" :key="holiday.day">
        <td class="figures">{{ dayWords(holiday.day) }}</td>
        <td class="quiet">{{ weekday(holiday.day) }}</td>
        <td>{{ holiday.name }}</td>
        <td class="right">
          <button
            type="button"
            class="link"
            :aria-label="`Take away ${dayWords(holiday.day)}`"
            @click="remove(holiday.day)"
          >
            take away
          </button>
        </td>
      </tr>
    </tbody>
  </table>
  <p v-else class="quiet mt-2">None yet.</p>
  <KeepBar :record="record" :labels="FIRM_LABELS" @kept="emit('kept')" />
</template>

<style scoped>
.days {
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
  border: 0;
  padding: 0;
}
.hours,
.adding {
  display: grid;
  grid-template-columns: 190px 190px auto;
  gap: 12px;
  align-items: start;
  justify-content: start;
}
.adding {
  grid-template-columns: 190px minmax(0, 1fr) auto;
  justify-content: stretch;
}
.hours {
  margin-top: 8px;
}
</style>
