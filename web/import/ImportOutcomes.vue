<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { ImportOutcome, ImportRows, type ImportView } from '../../contract/index.ts';
import Trouble from '../parts/Trouble.vue';
import { about } from '../ui/live.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable, { type Column } from '../ui/PagedTable.vue';

/** What becomes, or became, of each row of a list. */
const props = defineProps<{ run: ImportView }>();
const LIMIT = 50;
const outcome = ref<ImportOutcome | null>(props.run.counts.refused ? 'refused' : null);
const offset = ref(0);
watch(outcome, () => (offset.value = 0));
const {
  data: page,
  problem,
  load,
} = useLoad(
  ImportRows,
  () => ({
    path: `/imports/${props.run.id}/rows`,
    query: { offset: offset.value, limit: LIMIT, outcome: outcome.value },
  }),
  { concerns: { imports: about('import', () => [props.run.id]) }, moment: 1000 },
);
const WORDS: Record<ImportOutcome, string> = {
  add: 'add a client',
  change: 'change something',
  same: 'change nothing',
  refused: 'are refused',
};
const tabs = computed(() => [
  { value: null, words: 'all', count: props.run.rows },
  ...ImportOutcome.options.map((value) => ({ value, words: WORDS[value], count: props.run.counts[value] })),
]);
const COLUMNS: readonly Column[] = [
  { words: 'Row', right: true, width: 70 },
  { words: 'What it says', width: 380 },
  { words: 'What becomes of it' },
];
</script>

<template>
  <Trouble :words="problem" :retry="load" />
  <div class="tabs" role="group" aria-label="Rows that">
    <button
      v-for="tab in tabs"
      :key="tab.words"
      type="button"
      class="plain tab"
      :class="{ on: tab.value === outcome, needs: tab.value === 'refused' && tab.count }"
      :aria-pressed="tab.value === outcome"
      @click="outcome = tab.value"
    >
      <strong class="figures">{{ (tab.count ?? 0).toLocaleString('en-GB') }}</strong> {{ tab.words }}
    </button>
  </div>
  <PagedTable
    v-model:offset="offset"
    :columns="COLUMNS"
    :rows="page?.rows ?? []"
    :row-key="(row) => row.line"
    :total="page?.total ?? 0"
    :limit="LIMIT"
    what="rows"
  >
    <template #row="{ row }">
      <td class="right figures quiet">{{ row.line }}</td>
      <td class="quiet says">{{ row.cells.filter(Boolean).join(' · ') }}</td>
      <td :class="{ needs: row.outcome === 'refused' }">
        {{ row.words || 'Nothing: it is so already.' }}
        <router-link v-if="row.clientId && run.state !== 'undone'" :to="`/clients/${row.clientId}/record`"
          >see</router-link
        >
      </td>
    </template>
    <template #empty><p v-if="page" class="quiet pa-4">None.</p></template>
  </PagedTable>
</template>

<style scoped>
.tabs {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  border-bottom: 1px solid var(--strong);
  margin: 14px 0 8px;
}
.tab {
  padding: 4px 2px 5px;
  border-bottom: 3px solid transparent;
}
.tab.on {
  border-bottom-color: var(--spruce);
}
.says {
  max-width: 380px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
