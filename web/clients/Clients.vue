<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { reactive, watch } from 'vue';
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router';
import { ClientPage, type ClientQuery } from '../../contract/index.ts';
import Pager from '../parts/Pager.vue';
import Trouble from '../parts/Trouble.vue';
import { useLoad } from '../ui/load.ts';
import { useTimes } from '../words.ts';

const LIMIT = 50;
const { brief } = useTimes();
const route = useRoute();
const router = useRouter();
const query = reactive({
  q: String(route.query.q ?? ''),
  status: (route.query.status as ClientQuery['status']) ?? null,
  sort: (route.query.sort as ClientQuery['sort']) ?? 'name',
  order: (route.query.order as ClientQuery['order']) ?? 'asc',
  offset: Number(route.query.offset ?? 0),
});
const {
  data: page,
  problem,
  load,
} = useLoad(ClientPage, () => ({ path: '/clients', query: { ...query, limit: LIMIT } }), {
  concerns: { records: true },
  after: 120,
});
const COLUMNS: { key: ClientQuery['sort'] | null; words: string; right?: boolean }[] = [
  { key: 'name', words: 'Client' },
  { key: null, words: 'Place' },
  { key: 'adviser', words: 'Adviser' },
  { key: 'service', words: 'Service' },
  { key: 'files', words: 'Open files', right: true },
  { key: 'last', words: 'Last message', right: true },
];
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
    void soon();
  },
);
function sortBy(key: ClientQuery['sort']) {
  query.order = query.sort === key && query.order === 'asc' ? 'desc' : 'asc';
  query.sort = key;
  query.offset = 0;
  void soon();
}
function move(offset: number) {
  query.offset = offset;
  void soon();
}
</script>

<template>
  <div class="screen screen-fixed">
    <header class="head">
      <h1>Clients</h1>
      <v-text-field
        v-model="query.q"
        label="Name, place, person, address or file number"
        clearable
        class="find"
        @click:clear="query.q = ''"
      />
      <v-select v-model="query.status" :items="STATUSES" label="Who" class="status" />
    </header>
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <div class="sheet rows" tabindex="0" role="region" aria-label="The register">
      <table class="ledger-table">
        <thead>
          <tr>
            <th
              v-for="column in COLUMNS"
              :key="column.words"
              scope="col"
              :class="{ right: column.right }"
              :aria-sort="
                query.sort === column.key ? (query.order === 'asc' ? 'ascending' : 'descending') : undefined
              "
            >
              <button v-if="column.key" type="button" class="plain" @click="sortBy(column.key)">
                {{ column.words }}{{ query.sort === column.key ? (query.order === 'asc' ? ' ↑' : ' ↓') : '' }}
              </button>
              <template v-else>{{ column.words }}</template>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in page?.rows ?? []" :key="row.id">
            <td>
              <router-link :to="`/clients/${row.id}`" class="client">{{ row.name }}</router-link>
              <span v-if="row.status !== 'active'" class="quiet status-word">{{ row.status }}</span>
            </td>
            <td class="quiet">{{ row.place }}</td>
            <td>{{ row.adviser }}</td>
            <td>{{ row.service }}</td>
            <td class="right figures">{{ row.openFiles }}</td>
            <td class="right figures">{{ row.lastMessageAt ? brief(row.lastMessageAt) : '' }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="page && !page.rows.length" class="quiet pa-4">
        Nobody fits.
        <button type="button" class="link" @click="((query.q = ''), (query.status = null))">
          Show everybody
        </button>
      </p>
    </div>
    <Pager
      v-if="page"
      :offset="query.offset"
      :limit="LIMIT"
      :total="page.total"
      what="clients"
      @move="move"
    />
  </div>
</template>

<style scoped>
.head {
  display: grid;
  grid-template-columns: 1fr minmax(240px, 400px) 160px;
  gap: 14px;
  align-items: center;
  margin-bottom: 14px;
}
.rows {
  overflow: auto;
  min-height: 0;
  flex: 0 1 auto;
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
