<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { OrdersPage, type OrderRow } from '../../contract/index.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import Tabs from '../ui/Tabs.vue';
import { many, useTimes } from '../words.ts';
import { STATES } from './order.ts';
import Prepared from './Prepared.vue';

/** The office's standing orders, and what they have prepared. */
type Shown = 'prepared' | 'on' | 'off' | 'ended';
const LIMIT = 30;
const route = useRoute();
const router = useRouter();
const session = useSession();
const { full } = useTimes();
const shown = ref<Shown>(route.query.show === 'prepared' ? 'prepared' : 'on');
const words = ref('');
const offset = ref(0);
watch([shown, words], () => (offset.value = 0));
const { data, problem, load } = useLoad(
  OrdersPage,
  () =>
    shown.value === 'prepared'
      ? null
      : {
          path: '/orders',
          query: { state: shown.value, words: words.value, offset: offset.value, limit: LIMIT },
        },
  { concerns: { orders: true }, after: 250 },
);
const TABS = [
  { value: 'on' as const, words: 'On' },
  { value: 'off' as const, words: 'Switched off' },
  { value: 'ended' as const, words: 'Ended' },
  { value: 'prepared' as const, words: 'Prepared, to be released' },
];
const COLUMNS = computed(() => [
  { words: 'Order' },
  { words: 'Kept by', width: 130 },
  { words: 'In 30 days', right: true, width: 90 },
  { words: 'Stands', width: 230 },
]);
function stands({ state, sends, counts, actedAt }: OrderRow): string {
  const parts = [
    state === 'on' ? (sends ? 'on, and sends' : 'on, and prepares') : STATES[state],
    counts.going ? `${many(counts.going, 'step')} to come` : '',
    counts.prepared ? `${counts.prepared} to be released` : '',
    actedAt ? `last ${full(actedAt)}` : '',
  ];
  return parts.filter(Boolean).join('; ');
}
const EMPTY: Record<Exclude<Shown, 'prepared'>, string> = {
  on: 'No order is on. Write one, or switch one on that lies ready.',
  off: 'None lies ready.',
  ended: 'None was ended.',
};
</script>

<template>
  <div class="screen">
    <header class="head mb-3">
      <div>
        <h1>Standing orders</h1>
        <p class="quiet">What always follows, done or prepared by itself when it is due.</p>
      </div>
      <v-btn
        v-if="session.may('keep orders')"
        color="primary"
        variant="flat"
        @click="router.push('/orders/new')"
        >Write an order</v-btn
      >
    </header>
    <Tabs v-model="shown" label="Which" :tabs="TABS" class="mb-3" />
    <Prepared v-if="shown === 'prepared'" />
    <template v-else>
      <v-text-field v-model="words" label="Name" clearable class="find mb-3" @click:clear="words = ''" />
      <Trouble :words="problem" :retry="load" class="mb-2" />
      <PagedTable
        v-model:offset="offset"
        :columns="COLUMNS"
        :rows="data?.rows ?? []"
        :row-key="(row) => row.id"
        :total="data?.total ?? 0"
        :limit="LIMIT"
        what="standing orders"
      >
        <template #row="{ row }">
          <td>
            <router-link :to="`/orders/${row.id}`" class="name">{{ row.name }}</router-link>
            <div class="sentence">{{ row.sentence }}</div>
          </td>
          <td>{{ row.owner }}</td>
          <td class="right figures">{{ row.counts.lately }}</td>
          <td class="quiet">
            {{ stands(row) }}
            <div v-if="row.counts.held" class="needs">
              asks about {{ many(row.counts.held, 'more', 'more') }}
            </div>
          </td>
        </template>
        <template #empty>
          <p v-if="data" class="quiet none">{{ words ? 'None is called so.' : EMPTY[shown] }}</p>
        </template>
      </PagedTable>
    </template>
  </div>
</template>

<style scoped>
.find {
  max-width: 260px;
}
.name {
  font-weight: 700;
}
.sentence {
  font: 14px/1.45 var(--serif);
}
.none {
  padding: 24px;
  text-align: center;
}
</style>
