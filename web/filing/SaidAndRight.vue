<script setup lang="ts">
import { computed } from 'vue';
import type { FilingScore } from '../../contract/index.ts';
import { useTimes } from '../words.ts';

/** How sure filing was of what it filed alone, and how much of that was right, as far as somebody has judged it. */
const props = defineProps<{ calibration: FilingScore['calibration'] }>();
const { dayName } = useTimes();
const percent = (share: number, digits = 1) => `${(100 * share).toFixed(digits)} %`;
/** With a decimal only where there is one. */
const bound = (share: number) => `${Number((100 * share).toFixed(1))} %`;
const bands = computed(() =>
  props.calibration.bands.map((band, index, all) => {
    const next = all[index + 1]?.from;
    const from = bound(band.from);
    return { ...band, name: next ? `${from} to ${bound(next)}` : `${from} and more` };
  }),
);
const weeks = computed(() => [...props.calibration.weeks].reverse());
const wasRight = ({ judged, right }: { judged: number; right: number }) =>
  judged ? percent(right / judged) : '–';
</script>

<template>
  <section aria-labelledby="said">
    <h2 id="said">How sure it was, and how right</h2>
    <table class="ledger-table sheet">
      <thead>
        <tr>
          <th>It was so sure</th>
          <th class="right">Filed alone</th>
          <th class="right">Judged since</th>
          <th class="right">Of those right</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="band in bands" :key="band.from">
          <td>{{ band.name }}</td>
          <td class="right figures">{{ band.filed.toLocaleString('en-GB') }}</td>
          <td class="right figures">{{ band.judged.toLocaleString('en-GB') }}</td>
          <td class="right figures" :class="{ needs: band.judged && band.right / band.judged < band.from }">
            {{ wasRight(band) }}
          </td>
        </tr>
      </tbody>
    </table>
    <table v-if="weeks.length" class="ledger-table sheet mt-2">
      <thead>
        <tr>
          <th>Week of</th>
          <th class="right">Judged</th>
          <th class="right">It was so sure</th>
          <th class="right">Was right</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="week in weeks" :key="week.week">
          <td>{{ dayName(week.week) }}</td>
          <td class="right figures">{{ week.judged.toLocaleString('en-GB') }}</td>
          <td class="right figures">{{ percent(week.said) }}</td>
          <td class="right figures" :class="{ needs: week.right / week.judged < week.said - 0.01 }">
            {{ wasRight(week) }}
          </td>
        </tr>
      </tbody>
    </table>
    <p class="quiet mt-1">
      Judged is what somebody found right, moved elsewhere, or opened and left. Few look at what is right, so
      that the true share is rather higher.
    </p>
  </section>
</template>

<style scoped>
h2 {
  margin-bottom: 8px;
}
</style>
