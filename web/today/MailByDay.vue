<script setup lang="ts">
import { computed } from 'vue';
import VChart from 'vue-echarts';
import type { Today } from '../../contract/index.ts';
import { bars } from '../parts/bars.ts';
import { COLOURS } from '../theme.ts';
import { useTimes } from '../words.ts';

/** Mail in and out by day: a bar each for received and sent, and how much of the client mail needed nobody. */
const props = defineProps<{ days: Today['days'] }>();
const { weekday } = useTimes();
const shown = computed(() => props.days.slice(-10));
const option = computed(() =>
  bars(
    shown.value.map((day) => weekday(day.day)),
    [
      {
        name: 'filed without help',
        type: 'bar',
        stack: 'filing',
        data: shown.value.map((day) => day.alone),
        itemStyle: { color: COLOURS.spruce },
        barWidth: 14,
      },
      {
        name: 'sorted by hand or waiting',
        type: 'bar',
        stack: 'filing',
        data: shown.value.map((day) => day.byHand),
        itemStyle: { color: COLOURS.straw },
        barWidth: 14,
      },
      {
        name: 'received',
        type: 'bar',
        stack: 'traffic',
        data: shown.value.map((day) => day.received),
        itemStyle: { color: '#FFFEFB', borderColor: COLOURS.indigo, borderWidth: 1 },
        barWidth: 9,
        barGap: '15%',
      },
      {
        name: 'sent',
        type: 'bar',
        stack: 'traffic',
        data: shown.value.map((day) => day.sent),
        itemStyle: { color: '#FFFEFB', borderColor: COLOURS.spruce, borderWidth: 1, borderType: 'dashed' },
        barWidth: 9,
      },
    ],
  ),
);
const share = computed(() => {
  const alone = props.days.reduce((sum, day) => sum + day.alone, 0);
  const all = alone + props.days.reduce((sum, day) => sum + day.byHand, 0);
  return all
    ? `${Math.round((100 * alone) / all)} % of client mail filed without help in ${props.days.length} days`
    : 'No client mail in these days';
});
const spoken = computed(() =>
  shown.value
    .map(
      (day) =>
        `${weekday(day.day)} ${day.received} received, ${day.sent} sent, ${day.alone} filed without help`,
    )
    .join('; '),
);
</script>

<template>
  <div class="sheet pa-3">
    <v-chart class="chart" :option="option" autoresize role="img" :aria-label="`Mail by day: ${spoken}`" />
    <p class="legend quiet">
      <span><i class="alone" /> filed without help</span><span><i class="hand" /> by hand or waiting</span
      ><span><i class="in" /> received</span><span><i class="out" /> sent</span>
    </p>
    <p class="mt-1">{{ share }}</p>
  </div>
</template>

<style scoped>
.chart {
  height: 150px;
}
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
}
.legend i {
  display: inline-block;
  width: 10px;
  height: 10px;
}
.alone {
  background: var(--spruce);
}
.hand {
  background: var(--straw);
}
.in {
  border: 1px solid var(--indigo);
}
.out {
  border: 1px dashed var(--spruce);
}
</style>
