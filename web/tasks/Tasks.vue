<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue';
import { TasksPage, type TaskRow, type TaskSort } from '../../contract/index.ts';
import KeyCap from '../parts/KeyCap.vue';
import Trouble from '../parts/Trouble.vue';
import { useKeys } from '../ui/keys.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import Tabs from '../ui/Tabs.vue';
import TaskDialog from './TaskDialog.vue';
import { useDue, useTasks } from './task.ts';

/** What is to be done: one's own tasks, everybody's, and those that are done. */
type Shown = 'mine' | 'all' | 'done';
const LIMIT = 40;
const shown = ref<Shown>('mine');
const words = ref('');
const sort = ref<TaskSort>('due');
const order = ref<'asc' | 'desc'>('asc');
const offset = ref(0);
watch([shown, words, sort, order], () => (offset.value = 0));
const { data, problem, load } = useLoad(
  TasksPage,
  () => ({
    path: '/tasks',
    query: {
      ...{ whose: shown.value === 'mine' ? 'mine' : 'all', done: shown.value === 'done' },
      ...{ words: words.value, sort: sort.value, order: order.value, offset: offset.value, limit: LIMIT },
    },
  }),
  { concerns: { tasks: true }, after: 250 },
);
const { settle, remove, takeBack, last, failed } = useTasks(load);
const due = useDue();
const TABS = [
  { value: 'mine' as const, words: 'For you' },
  { value: 'all' as const, words: 'Everybody’s' },
  { value: 'done' as const, words: 'Done' },
];
const COLUMNS = computed(() => [
  { words: 'Done', width: 56 },
  { words: 'What' },
  { words: 'Client', width: 210, ...(shown.value === 'done' ? {} : { sort: 'client' }) },
  ...(shown.value === 'mine'
    ? []
    : [{ words: 'For', width: 130, ...(shown.value === 'done' ? {} : { sort: 'for' }) }]),
  { words: 'By when', width: 120, ...(shown.value === 'done' ? {} : { sort: 'due' }) },
  { words: '', width: 90 },
]);
const rows = computed(() => data.value?.rows ?? []);
const at = ref(0);
watch(rows, (now) => (at.value = Math.min(at.value, Math.max(0, now.length - 1))));
const current = computed(() => rows.value[at.value]);
const edited = ref<TaskRow | null | 'new'>(null);
const table = ref<HTMLElement | null>(null);
function go(by: -1 | 1) {
  at.value = Math.max(0, Math.min(rows.value.length - 1, at.value + by));
  void nextTick(() => table.value?.querySelector('tr.current')?.scrollIntoView({ block: 'nearest' }));
}
useKeys(
  {
    ArrowDown: () => go(1),
    ArrowUp: () => go(-1),
    d: () => current.value && settle(current.value, current.value.doneAt === null),
    e: () => current.value && (edited.value = current.value),
    n: () => (edited.value = 'new'),
    u: takeBack,
  },
  { unless: () => edited.value !== null },
);
function kept() {
  edited.value = null;
  void load();
}
const EMPTY: Record<Shown, string> = {
  mine: 'Nothing is left for you to do.',
  all: 'Nothing is left to do.',
  done: 'Nothing was done yet.',
};
</script>

<template>
  <div class="screen">
    <header class="head mb-3">
      <div>
        <h1>Tasks</h1>
        <p class="quiet keys">
          <span><KeyCap letter="↓" /><KeyCap letter="↑" /> move</span><span><KeyCap letter="D" /> done</span
          ><span><KeyCap letter="E" /> change</span><span><KeyCap letter="N" /> new</span
          ><span><KeyCap letter="U" /> take back</span>
        </p>
      </div>
      <v-btn color="primary" variant="flat" @click="edited = 'new'">Leave a task</v-btn>
    </header>
    <Tabs v-model="shown" label="Which tasks" :tabs="TABS" class="mb-3" />
    <v-text-field v-model="words" label="Words" clearable class="find mb-2" @click:clear="words = ''" />
    <p class="said" role="status">
      <template v-if="last"
        >{{ last.words }} <button type="button" class="link" @click="takeBack">take it back</button></template
      >
    </p>
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <Trouble :words="failed" class="mb-2" />
    <div ref="table">
      <PagedTable
        v-model:offset="offset"
        :columns="COLUMNS"
        :rows="rows"
        :row-key="(row) => row.id"
        :total="data?.total ?? 0"
        :limit="LIMIT"
        :sort="shown === 'done' ? undefined : sort"
        :order="order"
        :row-class="(row) => ({ current: row.id === current?.id })"
        what="tasks"
        @sort="(by, to) => ((sort = by as TaskSort), (order = to))"
      >
        <template #row="{ row }">
          <td>
            <v-checkbox
              :model-value="row.doneAt !== null"
              :aria-label="`Done: ${row.words}`"
              @update:model-value="settle(row, row.doneAt === null)"
            />
          </td>
          <td>
            <button type="button" class="plain words" @click="edited = row">{{ row.words }}</button>
            <div class="quiet">
              <template v-if="row.order"
                >by <router-link :to="`/orders/${row.order.id}`">{{ row.order.name }}</router-link>, since
                {{ row.order.why }}</template
              ><template v-else>left by {{ row.madeBy }}</template>
            </div>
          </td>
          <td>
            <router-link
              v-if="row.client"
              :to="{ path: `/clients/${row.client.id}`, query: row.file ? { file: row.file.id } : {} }"
              >{{ row.client.name }}</router-link
            >
            <div v-if="row.file" class="quiet">{{ row.file.number }}</div>
          </td>
          <td v-if="shown !== 'mine'">{{ row.for }}</td>
          <td class="figures" :class="{ needs: row.late }">{{ due(row) }}</td>
          <td class="right">
            <button type="button" class="link" :aria-label="`Take away: ${row.words}`" @click="remove(row)">
              take away
            </button>
          </td>
        </template>
        <template #empty>
          <p v-if="data" class="quiet none">{{ words ? 'None has these words.' : EMPTY[shown] }}</p>
        </template>
      </PagedTable>
    </div>
    <TaskDialog v-if="edited" :task="edited === 'new' ? null : edited" @close="edited = null" @kept="kept" />
  </div>
</template>

<style scoped>
.find {
  max-width: 260px;
}
.words {
  font-weight: 700;
  min-height: 24px;
}
.keys {
  justify-content: start;
  gap: 4px 16px;
}
:deep(tr.current) td:first-child {
  box-shadow: inset 3px 0 0 var(--spruce);
}
.none {
  padding: 24px;
  text-align: center;
}
</style>
