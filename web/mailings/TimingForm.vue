<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { MOST_AT_ONE_TIME, type Timing, type TimingPlan } from '../../contract/index.ts';
import DateField from '../ui/DateField.vue';
import TimeField from '../ui/TimeField.vue';

/** When a mailing goes: from when on, how many at a time, within which hours, with room to answer. */
const timing = defineModel<Timing>({ required: true });
const props = defineProps<{
  office: TimingPlan['office'] | null;
  errorOf?: (path: string) => readonly string[];
}>();
const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];
const UNITS = [
  { title: 'minutes', value: 1 },
  { title: 'hours', value: 60 },
  { title: 'days', value: 24 * 60 },
];
const set = (change: Partial<Timing>) => (timing.value = { ...timing.value, ...change });
const wrong = (path: string) => props.errorOf?.(path) ?? [];

const begins = computed({
  get: () => (timing.value.from === null ? 'now' : 'later'),
  set: (how) => set({ from: how === 'now' ? null : nextMorning() }),
});
/** The office's next opening, for a beginning. */
function nextMorning(): string {
  const day = new Date(Date.now() + 24 * 3600 * 1000).toISOString().slice(0, 10);
  return `${day}T${props.office?.from ?? '09:00'}`;
}
const day = computed({
  get: () => timing.value.from?.slice(0, 10) ?? '',
  set: (now) => now && set({ from: `${now}T${time.value || '09:00'}` }),
});
const time = computed({
  get: () => timing.value.from?.slice(11) ?? '',
  set: (now) => now && set({ from: `${day.value}T${now}` }),
});

const goes = computed({
  get: () => (timing.value.batch ? 'paced' : 'running'),
  set: (how) =>
    set(
      how === 'running'
        ? { batch: null, room: false }
        : {
            batch: { size: 20, minutes: 180 },
            hours: timing.value.hours ?? officeHours(),
            days: timing.value.days.length ? timing.value.days : (props.office?.days ?? [1, 2, 3, 4, 5]),
            holidays: true,
          },
    ),
});
const officeHours = () => ({ from: props.office?.from ?? '09:00', until: props.office?.until ?? '17:30' });
/** In what the spacing is said; kept while one types. */
const unit = ref(60);
watch(
  () => timing.value.batch?.minutes,
  (minutes) => {
    if (minutes && minutes % unit.value) unit.value = 1;
  },
  { immediate: true },
);
const batch = (change: Partial<{ size: number; minutes: number }>) =>
  timing.value.batch && set({ batch: { ...timing.value.batch, ...change } });
function inUnit(next: number) {
  const every = (timing.value.batch?.minutes ?? unit.value) / unit.value;
  unit.value = next;
  batch({ minutes: Math.max(1, Math.round(every)) * next });
}
const within = computed({
  get: () => timing.value.hours !== null,
  set: (on) => set(on ? { hours: officeHours() } : { hours: null, room: false }),
});
const hours = (change: Partial<{ from: string; until: string }>) =>
  timing.value.hours && set({ hours: { ...timing.value.hours, ...change } });
const onDay = (number: number) => !timing.value.days.length || timing.value.days.includes(number);
function flip(number: number) {
  const all = timing.value.days.length ? timing.value.days : [1, 2, 3, 4, 5, 6, 7];
  const days = all.includes(number) ? all.filter((each) => each !== number) : [...all, number].sort();
  // Without any day nothing would ever leave.
  if (days.length) set({ days: days.length === 7 ? [] : days });
}
const limited = computed({
  get: () => timing.value.answers !== null,
  set: (on) => set({ answers: on ? 10 : null }),
});
</script>

<template>
  <div class="timing-form">
    <div class="row">
      <span id="begins" class="quiet">Begins</span>
      <v-radio-group v-model="begins" aria-labelledby="begins" density="compact" hide-details>
        <v-radio value="now" label="as soon as it is released" />
        <v-radio value="later" label="on a day and at a time" />
      </v-radio-group>
      <div v-if="timing.from !== null" class="two under">
        <DateField v-model="day" label="Day" :error-messages="wrong('from')" />
        <TimeField v-model="time" label="Time" />
      </div>
    </div>
    <div class="row">
      <span id="sends" class="quiet">Sends</span>
      <v-radio-group v-model="goes" aria-labelledby="sends" density="compact" hide-details>
        <v-radio value="running" label="one after another" />
        <v-radio value="paced" label="some at a time, then a pause" />
      </v-radio-group>
      <div v-if="timing.batch" class="three under">
        <v-text-field
          :model-value="timing.batch.size"
          type="number"
          min="1"
          :max="MOST_AT_ONE_TIME"
          label="So many"
          :error-messages="wrong('batch.size')"
          @update:model-value="batch({ size: Math.round(Number($event)) })"
        />
        <v-text-field
          :model-value="timing.batch.minutes / unit"
          type="number"
          min="1"
          label="every"
          :error-messages="wrong('batch.minutes')"
          @update:model-value="batch({ minutes: Math.round(Number($event) * unit) })"
        />
        <v-select :model-value="unit" :items="UNITS" label="of" @update:model-value="inUnit" />
      </div>
    </div>
    <div class="row">
      <span class="quiet">Between</span>
      <v-checkbox v-model="within" density="compact" hide-details label="only within these hours" />
      <div v-if="timing.hours" class="two under">
        <TimeField
          :model-value="timing.hours.from"
          label="From"
          :error-messages="wrong('hours.from')"
          @update:model-value="hours({ from: $event })"
        />
        <TimeField
          :model-value="timing.hours.until"
          label="Until"
          :error-messages="wrong('hours.until')"
          @update:model-value="hours({ until: $event })"
        />
      </div>
    </div>
    <div class="row">
      <span id="on-days" class="quiet">On</span>
      <div class="days" role="group" aria-labelledby="on-days">
        <button
          v-for="(name, index) in DAYS"
          :key="name"
          type="button"
          class="plain day"
          :class="{ on: onDay(index + 1) }"
          :aria-pressed="onDay(index + 1)"
          @click="flip(index + 1)"
        >
          {{ name }}
        </button>
      </div>
      <v-checkbox
        class="under"
        density="compact"
        hide-details
        :model-value="timing.holidays"
        label="not on the firm’s holidays"
        @update:model-value="set({ holidays: Boolean($event) })"
      />
    </div>
    <div class="row last">
      <span class="quiet">Room</span>
      <div>
        <v-checkbox
          v-if="timing.batch && timing.hours"
          density="compact"
          hide-details
          :model-value="timing.room"
          :label="`leave room to answer: none begins unless the whole pause fits before ${timing.hours.until}`"
          @update:model-value="set({ room: Boolean($event) })"
        />
        <v-checkbox
          v-model="limited"
          density="compact"
          hide-details
          label="expect only so many answers a day"
        />
      </div>
      <v-text-field
        v-if="timing.answers !== null"
        class="answers under"
        :model-value="timing.answers"
        type="number"
        min="1"
        label="Answers a day at most"
        :error-messages="wrong('answers')"
        @update:model-value="set({ answers: Math.round(Number($event)) })"
      />
    </div>
  </div>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 76px minmax(0, 1fr);
  align-items: start;
  padding: 6px 0;
  border-bottom: 1px solid var(--hairline);
}
.row > .quiet {
  padding-top: 7px;
}
.last {
  border-bottom: 0;
}
.under {
  grid-column: 2;
  margin: 4px 0 6px;
}
.two,
.three {
  display: grid;
  gap: 10px;
  grid-template-columns: minmax(0, 1.5fr) minmax(0, 1fr);
}
.three {
  grid-template-columns: 92px 92px minmax(110px, 1fr);
}
.answers {
  max-width: 190px;
}
@media (max-width: 1000px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
  .three {
    grid-template-columns: 1fr 1fr;
  }
  .three > :last-child {
    grid-column: span 2;
  }
}
.days {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  padding: 4px 0;
}
.day {
  min-width: 40px;
  min-height: 28px;
  text-align: center;
  border: 1px solid var(--strong);
  border-radius: 2px;
  color: var(--ink-soft);
}
.day.on {
  background: var(--spruce);
  border-color: var(--spruce);
  color: #fff;
  font-weight: 600;
}
</style>
