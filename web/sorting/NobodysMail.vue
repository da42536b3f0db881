<script setup lang="ts">
import type { SortingQueue } from '../../contract/index.ts';
import { useTimes } from '../words.ts';

/** What was set aside because nothing connects it with a client: one line a day, to be looked over. */
defineProps<{ days: SortingQueue['unconnected'] }>();
const { dayName } = useTimes();
</script>

<template>
  <section v-if="days.length" aria-labelledby="nobodys">
    <h2 id="nobodys" class="heading">Set aside as nobody’s</h2>
    <router-link
      v-for="{ day, count } in days"
      :key="day"
      :to="{ path: '/sorting/over', query: { kind: 'unconnected', day } }"
      class="day"
      ><span>{{ dayName(day) }}</span
      ><span class="figures">{{ count.toLocaleString('en-GB') }}</span></router-link
    >
    <router-link :to="{ path: '/sorting/over', query: { kind: 'unconnected' } }" class="day quiet"
      >All days</router-link
    >
  </section>
</template>

<style scoped>
.heading {
  font: 700 13px/1.4 var(--sans);
  background: var(--rail);
  padding: 7px 12px;
  border-top: 1px solid var(--hairline);
  border-bottom: 1px solid var(--hairline);
}
.day {
  display: flex;
  justify-content: space-between;
  padding: 5px 12px;
  border-bottom: 1px solid var(--hairline);
}
</style>
