<script setup lang="ts">
import { mdiCalendarBlankOutline } from '@mdi/js';
import { DateTime } from 'luxon';
import { computed, ref, watch } from 'vue';
import { dayWords, readDay } from '../../core/office/day.ts';
import { useSession } from '../session.ts';

/** A calendar day, typed in any usual way or picked; shown as the office writes it. Empty for none. */
const day = defineModel<string>({ required: true });
const props = defineProps<{
  label: string;
  /** What the server says of it. */
  errorMessages?: string | readonly string[];
  clearable?: boolean;
}>();
const session = useSession();
const typed = ref('');
const wrong = ref('');
const open = ref(false);
const errors = computed(() => (wrong.value ? [wrong.value] : [...[props.errorMessages ?? []].flat()]));
watch(
  day,
  (now) => {
    typed.value = now ? dayWords(now) : '';
    wrong.value = '';
  },
  { immediate: true },
);
function read() {
  const words = typed.value?.trim() ?? '';
  const today = DateTime.now().setZone(session.zone).toISODate() ?? '';
  const found = words ? readDay(words, today) : '';
  wrong.value = found === null ? 'Give a day, such as 3 May 2026.' : '';
  if (found === null) return;
  day.value = found;
  typed.value = found ? dayWords(found) : '';
}
const picked = computed({
  // Noon, so that no zone moves it to another day.
  get: () => (day.value ? new Date(`${day.value}T12:00:00`) : null),
  set: (date: Date | null) => {
    if (date) day.value = DateTime.fromJSDate(date).toISODate() ?? '';
    open.value = false;
  },
});
</script>

<template>
  <v-text-field
    v-model="typed"
    :label="label"
    :error-messages="errors"
    :clearable="clearable"
    autocomplete="off"
    placeholder="3 May 2026"
    class="date"
    @blur="read"
    @keydown.enter="read"
    @click:clear="day = ''"
  >
    <template #append-inner>
      <v-menu v-model="open" :close-on-content-click="false" location="bottom end">
        <template #activator="{ props: opener }">
          <button v-bind="opener" type="button" class="plain calendar" :aria-label="`Pick: ${label}`">
            <v-icon :icon="mdiCalendarBlankOutline" size="18" />
          </button>
        </template>
        <v-date-picker
          v-model="picked"
          hide-header
          :first-day-of-week="1"
          color="primary"
          border
          elevation="0"
          rounded="sm"
        />
      </v-menu>
    </template>
  </v-text-field>
</template>

<style scoped>
.date {
  min-width: 150px;
}
.calendar {
  color: var(--ink-soft);
  display: grid;
  place-items: center;
  width: 24px;
  height: 24px;
}
</style>
