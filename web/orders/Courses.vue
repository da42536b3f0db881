<script setup lang="ts">
import { ref, watch } from 'vue';
import { CoursesPage, type CourseRow } from '../../contract/index.ts';
import Trouble from '../parts/Trouble.vue';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import { useTimes } from '../words.ts';

/** What an order has under way, and what it did: for whom, why, and what came of each step. */
const props = defineProps<{ orderId: number }>();
const LIMIT = 25;
const { full } = useTimes();
const state = ref<'all' | CourseRow['state']>('all');
const offset = ref(0);
watch(state, () => (offset.value = 0));
const { data, problem, load } = useLoad(
  CoursesPage,
  () => ({
    path: `/orders/${props.orderId}/courses`,
    query: { state: state.value, offset: offset.value, limit: LIMIT },
  }),
  { concerns: { orders: true, drafts: true } },
);
const STATES = [
  { value: 'all', title: 'all of them' },
  { value: 'going', title: 'under way' },
  { value: 'held', title: 'those it asks about' },
  { value: 'done', title: 'done' },
  { value: 'stopped', title: 'stopped' },
];
const COLUMNS = [
  { words: 'When', width: 150 },
  { words: 'Client', width: 210 },
  { words: 'Why' },
  { words: 'What was done' },
];
const WORDS = { prepared: 'waits to be released: ', left: 'thrown away: ', skipped: 'not done: ', done: '' };
function stands({ state: now, stoppedWhy, dueAt }: CourseRow): string {
  if (now === 'stopped') return `stopped: ${stoppedWhy}`;
  if (now === 'held') return 'waits to be asked about';
  return now === 'going' && dueAt ? `next ${full(dueAt)}` : '';
}
</script>

<template>
  <section aria-label="What it did">
    <div class="filter">
      <v-select v-model="state" :items="STATES" aria-label="Which" />
    </div>
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <PagedTable
      v-model:offset="offset"
      :columns="COLUMNS"
      :rows="data?.rows ?? []"
      :row-key="(row) => row.id"
      :total="data?.total ?? 0"
      :limit="LIMIT"
      what="occasions"
    >
      <template #row="{ row }">
        <td class="figures">{{ full(row.at) }}</td>
        <td>
          <router-link v-if="row.client" :to="`/clients/${row.client.id}`">{{ row.client.name }}</router-link>
        </td>
        <td>{{ row.why }}</td>
        <td>
          <div
            v-for="(each, at) in row.acts"
            :key="at"
            :class="{ quiet: each.state === 'skipped' || each.state === 'left' }"
          >
            <router-link v-if="each.draftId && each.state === 'prepared'" :to="`/writing/${each.draftId}`"
              >{{ WORDS[each.state] }}{{ each.words }}</router-link
            ><router-link v-else-if="each.runId" :to="`/paperwork/${each.runId}`">{{
              each.words
            }}</router-link
            ><template v-else>{{ WORDS[each.state] }}{{ each.words }}</template>
          </div>
          <div v-if="stands(row)" class="quiet">{{ stands(row) }}</div>
        </td>
      </template>
      <template #empty>
        <p v-if="data" class="quiet none">
          {{
            state === 'all' ? 'It has not acted yet. What it does stands here, with why.' : 'None of these.'
          }}
        </p>
      </template>
    </PagedTable>
  </section>
</template>

<style scoped>
.filter {
  max-width: 200px;
  margin-bottom: 8px;
}
.none {
  padding: 20px;
  text-align: center;
}
</style>
