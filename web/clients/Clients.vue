<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { computed, reactive, ref, watch } from 'vue';
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router';
import { ClientPage, type ClientQuery, type ClientRow } from '../../contract/index.ts';
import type { SelectableFact } from '../../core/selection/catalogue.ts';
import { cellWords } from '../../core/selection/cells.ts';
import Trouble from '../parts/Trouble.vue';
import AddClient from '../register/AddClient.vue';
import ChooseColumns from '../selection/ChooseColumns.vue';
import { useCatalogue } from '../selection/catalogue.ts';
import { NAMING, useColumns } from '../selection/columns.ts';
import { useSession } from '../session.ts';
import PagedTable, { type Column } from '../ui/PagedTable.vue';
import { useLoad } from '../ui/load.ts';
import { useTimes } from '../words.ts';

const LIMIT = 50;
const { brief, day } = useTimes();
const catalogue = useCatalogue();
void catalogue.read();
const { columns, shown, offered, choose, problem: unkept } = useColumns(ref('client'), 'register');
/** The name stands first in any case. */
const others = computed(() => shown.value.filter(({ key }) => key !== NAMING.client));
const session = useSession();
const adding = ref(false);
const route = useRoute();
const router = useRouter();
const query = reactive({
  q: String(route.query.q ?? ''),
  status: (route.query.status as ClientQuery['status']) ?? null,
  sort: String(route.query.sort ?? NAMING.client),
  order: (route.query.order as ClientQuery['order']) ?? 'asc',
  offset: Number(route.query.offset ?? 0),
});
const {
  data: page,
  problem,
  load,
} = useLoad(
  ClientPage,
  () =>
    // Once it is known what there is to show.
    catalogue.facts.length
      ? {
          path: '/clients',
          query: { ...query, limit: LIMIT, columns: others.value.map(({ key }) => key).join(',') },
        }
      : null,
  {
    concerns: { records: true },
    after: 120,
  },
);
const isRight = ({ kind }: SelectableFact) => kind === 'number' || kind === 'money';
const headed = computed((): Column[] => [
  { sort: NAMING.client, words: 'Client' },
  ...others.value.map((fact) => ({
    sort: fact.key,
    words: fact.unit && isRight(fact) ? `${fact.label}, ${fact.unit}` : fact.label,
    right: isRight(fact),
  })),
]);
const cell = (row: ClientRow, at: number) => {
  const fact = others.value[at];
  if (!fact) return '';
  const value = row.cells[at] ?? null;
  return fact.kind === 'time' && value !== null
    ? brief(String(value))
    : cellWords(value, isRight(fact) ? { ...fact, unit: '' } : fact, day);
};
const STATUSES = [
  { value: null, title: 'Everybody' },
  { value: 'active', title: 'Active' },
  { value: 'past', title: 'Past' },
  { value: 'prospect', title: 'Prospects' },
];

let left = false;
// From the moment another screen is asked for, which may take a while to come.
onBeforeRouteLeave(() => {
  left = true;
});
const soon = useDebounceFn(() => {
  // Somebody who opened a client meanwhile is not called back.
  if (left) return;
  void router.replace({
    query: {
      ...(query.q ? { q: query.q } : {}),
      ...(query.status ? { status: query.status } : {}),
      sort: query.sort,
      order: query.order,
      offset: String(query.offset),
    },
  });
}, 120);
watch(
  () => [query.q, query.status],
  () => {
    query.offset = 0;
  },
);
function sortBy(by: string, order: ClientQuery['order']) {
  query.sort = by;
  query.order = order;
  query.offset = 0;
}
watch(query, () => void soon());
</script>

<template>
  <div class="screen screen-fixed">
    <header class="head">
      <h1>Clients</h1>
      <div class="acts">
        <ChooseColumns :columns="columns" :offered="offered" :naming="NAMING.client" @choose="choose" />
        <router-link v-if="session.may('bring lists in')" to="/clients/import">Bring a list in</router-link>
        <v-btn v-if="session.may('add to the records')" color="primary" variant="flat" @click="adding = true"
          >Add a client</v-btn
        >
      </div>
      <v-text-field
        v-model="query.q"
        label="Name, place, person, address or file number"
        clearable
        class="find"
        @click:clear="query.q = ''"
      />
      <v-select v-model="query.status" :items="STATUSES" label="Who" class="status" />
    </header>
    <Trouble :words="problem || unkept || catalogue.problem" :retry="load" class="mb-2" />
    <PagedTable
      v-model:offset="query.offset"
      :columns="headed"
      :rows="page?.rows ?? []"
      :row-key="(row) => row.id"
      :total="page?.total ?? 0"
      :limit="LIMIT"
      :sort="query.sort"
      :order="query.order"
      what="clients"
      @sort="sortBy"
    >
      <template #row="{ row }">
        <td>
          <router-link :to="`/clients/${row.id}`" class="client">{{ row.name }}</router-link>
          <span v-if="row.status !== 'active'" class="quiet status-word">{{ row.status }}</span>
        </td>
        <td v-for="(fact, at) in others" :key="fact.key" :class="{ 'right figures': isRight(fact) }">
          {{ cell(row, at) }}
        </td>
      </template>
      <template #empty>
        <p v-if="page" class="quiet pa-4">
          <template v-if="!query.q && !query.status"
            >Nobody is here yet. Add your first client<template v-if="session.may('bring lists in')"
              >, or <router-link to="/clients/import">bring a list in</router-link></template
            >.</template
          >
          <template v-else
            >Nobody fits.
            <button type="button" class="link" @click="((query.q = ''), (query.status = null))">
              Show everybody
            </button></template
          >
        </p>
      </template>
    </PagedTable>
    <AddClient v-model="adding" />
  </div>
</template>

<style scoped>
.head {
  display: grid;
  grid-template-columns: 1fr auto minmax(220px, 380px) 150px;
  gap: 14px;
  align-items: center;
  margin-bottom: 14px;
}
.acts {
  display: flex;
  align-items: center;
  gap: 14px;
  white-space: nowrap;
}
.client {
  font-weight: 700;
  color: var(--ink);
  text-decoration: none;
}
.status-word {
  margin-left: 8px;
}
.client:hover {
  text-decoration: underline;
}
</style>
