<script setup lang="ts">
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';
import { KeptPage, type KeptRow } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';
import PagedTable from '../ui/PagedTable.vue';
import { useLoad } from '../ui/load.ts';
import { many, useTimes } from '../words.ts';
import ManyLately from './ManyLately.vue';
import { READY } from './ready.ts';

/** Selections and lists that are kept, and those ready made; two of them beside each other. */
const LIMIT = 100;
const router = useRouter();
const { ago } = useTimes();
const offset = ref(0);
const {
  data: page,
  problem: unread,
  load,
} = useLoad(KeptPage, () => ({ path: '/selections', query: { offset: offset.value, limit: LIMIT } }), {
  concerns: { selections: true },
});
const COLUMNS = ['Compare', 'Name', 'Picks out', 'Kept by', 'Last changed', 'Away'].map((words) => ({
  words,
}));
const WHAT = { client: 'clients', person: 'people', file: 'files' };
const picked = ref<number[]>([]);
const pair = computed(() => picked.value.map((id) => page.value?.rows.find((row) => row.id === id)));
const alike = computed(() => pair.value[0]?.subject === pair.value[1]?.subject);
function pick(id: number, on: boolean) {
  picked.value = on ? [...picked.value, id].slice(-2) : picked.value.filter((each) => each !== id);
}
const going = ref<KeptRow | null>(null);
const problem = ref('');
async function drop() {
  if (!going.value) return;
  try {
    await act('DELETE', `/selections/${going.value.id}`);
    picked.value = picked.value.filter((id) => id !== going.value?.id);
    going.value = null;
    problem.value = '';
  } catch (error) {
    problem.value = wordsOf(error);
    going.value = null;
  }
}
const compare = () =>
  router.push({ path: '/selections/compare', query: { a: picked.value[0], b: picked.value[1] } });
</script>

<template>
  <div class="screen screen-fixed">
    <header class="head">
      <h1>Selections</h1>
      <v-btn
        v-if="picked.length === 2"
        :disabled="!alike"
        :title="alike ? '' : 'They pick out different things'"
        @click="compare"
        >Compare these two</v-btn
      >
      <v-btn color="primary" variant="flat" to="/selections/new">Begin one</v-btn>
    </header>
    <Trouble :words="problem || unread" :retry="load" class="mb-2" />
    <div class="two">
      <PagedTable
        v-model:offset="offset"
        :columns="COLUMNS"
        :rows="page?.rows ?? []"
        :row-key="(row) => row.id"
        :total="page?.total ?? 0"
        :limit="LIMIT"
        what="selections"
      >
        <template #row="{ row }">
          <td>
            <input
              type="checkbox"
              :checked="picked.includes(row.id)"
              :aria-label="`Compare ${row.name}`"
              @change="pick(row.id, ($event.target as HTMLInputElement).checked)"
            />
          </td>
          <td>
            <router-link :to="`/selections/${row.id}`" class="name">{{ row.name }}</router-link>
          </td>
          <td>
            {{
              row.fixed
                ? `a list of ${many(row.members ?? 0, WHAT[row.subject].replace(/s$/, ''), WHAT[row.subject])}`
                : `${WHAT[row.subject]}, as they are each day`
            }}
          </td>
          <td>
            {{ row.mine ? 'you' : row.owner
            }}<span v-if="row.mine" class="quiet">{{ row.shared ? ', shared' : '' }}</span>
          </td>
          <td class="quiet">{{ ago(row.savedAt) }}</td>
          <td class="right">
            <button type="button" class="plain" :aria-label="`Throw ${row.name} away`" @click="going = row">
              ×
            </button>
          </td>
        </template>
        <template #empty>
          <p v-if="page" class="quiet pa-4">
            Nothing is kept yet. Begin one, or open one of those ready made, and keep it under a name.
          </p>
        </template>
      </PagedTable>
      <aside aria-labelledby="ready">
        <h2 id="ready">Ready made</h2>
        <ul>
          <li v-for="each in READY" :key="each.name">
            <router-link :to="{ path: '/selections/new', query: { ready: each.name } }">{{
              each.name
            }}</router-link>
            <span class="quiet">{{ WHAT[each.selection.subject] }}</span>
          </li>
        </ul>
        <ManyLately />
      </aside>
    </div>
    <AskDialog
      :model-value="going !== null"
      :max-width="420"
      label="Throw away"
      @update:model-value="going = null"
    >
      <template #heading>Throw “{{ going?.name }}” away?</template>
      <p>
        {{
          going?.fixed
            ? 'The list is gone for good, and lines that ask for it will say so. Nobody’s record is touched.'
            : 'Its lines are gone for good. Mailings that were made with it keep what they have.'
        }}
      </p>
      <template #answers>
        <v-btn @click="going = null">Keep it</v-btn>
        <v-btn color="error" variant="flat" @click="drop">Throw it away</v-btn>
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  align-items: center;
  gap: 10px;
  margin-bottom: 14px;
}
.head h1 {
  flex: 1;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  gap: 24px;
  min-height: 0;
}
.name {
  font-weight: 700;
  color: var(--ink);
}
aside {
  overflow: auto;
}
aside ul {
  list-style: none;
  margin: 6px 0;
  padding: 0;
}
aside li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 6px 0;
  border-bottom: 1px solid var(--hairline);
}
@media (max-width: 1000px) {
  .two {
    grid-template-columns: minmax(0, 1fr) 220px;
    gap: 14px;
  }
}
</style>
