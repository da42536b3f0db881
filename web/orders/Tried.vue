<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { OrderTold, OrderTried } from '../../contract/index.ts';
import { send } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useLatest } from '../ui/latest.ts';
import PagedTable from '../ui/PagedTable.vue';
import { many, useTimes } from '../words.ts';

/** What an order would have done of late, as it stands on the screen. */
const props = defineProps<{ told: OrderTold; mostADay: number }>();
const LIMIT = 20;
const { full, date } = useTimes();
const days = ref(90);
const offset = ref(0);
const tried = ref<OrderTried | null>(null);
const { ask, asking, problem } = useLatest();
/** Nothing is asked while something has still to be said. */
const whole = computed(() => OrderTold.safeParse(props.told).data ?? null);
async function look() {
  if (!whole.value) return void (tried.value = null);
  const body = { told: whole.value, days: days.value, offset: offset.value, limit: LIMIT };
  tried.value = (await ask(() => send('POST', OrderTried, '/orders/tried', body))) ?? tried.value;
}
const soon = useDebounceFn(look, 300);
watch(
  [whole, days],
  () => {
    offset.value = 0;
    void soon();
  },
  { deep: true },
);
watch(offset, () => void look());
void look();
const SPANS = [30, 90, 365].map((value) => ({ value, title: `the last ${value} days` }));
const COLUMNS = computed(() => [
  { words: 'When', width: 150 },
  { words: 'Client', width: 220 },
  { words: 'What happened' },
  ...(props.told.steps.length ? [{ words: 'It would have acted', width: 190 }] : []),
]);
const sentence = computed(() => {
  const now = tried.value;
  if (!now) return '';
  if (!now.total) return `In the last ${days.value} days nothing happened that it would have acted on.`;
  const busiest =
    now.busiest && now.busiest.count > 1
      ? ` At most ${now.busiest.count} on one day, on ${date(`${now.busiest.day}T12:00:00Z`)}.`
      : '';
  const over =
    now.busiest && now.busiest.count > props.mostADay
      ? ` For more than ${props.mostADay} it would have asked.`
      : '';
  return `In the last ${days.value} days it would have acted ${now.more ? 'more than ' : ''}${many(now.total, 'time')}.${busiest}${over}`;
});
</script>

<template>
  <section aria-label="Tried on the past">
    <div class="said">
      <p role="status">
        <template v-if="!whole">Something of the sentence has still to be said.</template>
        <template v-else-if="asking && !tried">Looking at what has been …</template>
        <template v-else>{{ sentence }}</template>
      </p>
      <v-select v-model="days" :items="SPANS" aria-label="How far back" class="span" />
    </div>
    <Trouble :words="problem" :retry="look" class="mb-2" />
    <PagedTable
      v-if="tried?.total"
      v-model:offset="offset"
      :columns="COLUMNS"
      :rows="tried.rows"
      :row-key="(row) => `${row.at} ${row.clientId} ${row.why}`"
      :total="tried.total"
      :limit="LIMIT"
      what="occasions"
    >
      <template #row="{ row }">
        <td class="figures">{{ full(row.at) }}</td>
        <td>
          <router-link :to="`/clients/${row.clientId}`">{{ row.client }}</router-link>
        </td>
        <td>{{ row.why }}</td>
        <td v-if="told.steps.length" class="figures quiet">
          <div v-for="(step, at) in row.steps" :key="at">{{ full(step) }}</div>
        </td>
      </template>
    </PagedTable>
    <p v-if="tried?.total" class="quiet mt-2">
      Asked of the records as they stand today: whoever fits now is taken for whoever fitted then. Nothing is
      done.
    </p>
  </section>
</template>

<style scoped>
.said {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 16px;
  margin-bottom: 8px;
}
.span {
  flex: 0 0 180px;
}
</style>
