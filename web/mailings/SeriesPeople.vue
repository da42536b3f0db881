<script setup lang="ts">
import { ref } from 'vue';
import { SeriesPage } from '../../contract/index.ts';
import Trouble from '../parts/Trouble.vue';
import { about } from '../ui/live.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import { useTimes } from '../words.ts';

/** Who stands where in a series, by client. */
const props = defineProps<{ mailingId: number }>();
const LIMIT = 100;
const COLUMNS = ['Client', 'To', 'Message', 'Where they stand', 'When'].map((words) => ({ words }));
const { full } = useTimes();
const offset = ref(0);
const { data, problem, load } = useLoad(
  SeriesPage,
  () => ({ path: `/mailings/${props.mailingId}/series`, query: { offset: offset.value, limit: LIMIT } }),
  { concerns: { mailings: about('mailing', () => [props.mailingId]), mail: true } },
);
const STATES: Record<SeriesPage['rows'][number]['state'], string> = {
  waits: 'comes to it',
  goes: 'is on its way',
  left: 'left before it',
  'had all': 'had all',
  returned: 'returned',
  uncertain: 'uncertain',
  cancelled: 'cancelled',
};
</script>

<template>
  <section class="people" aria-label="Who stands where">
    <h2>Who stands where</h2>
    <Trouble :words="problem" :retry="load" class="mt-2" />
    <PagedTable
      v-model:offset="offset"
      :columns="COLUMNS"
      :rows="data?.rows ?? []"
      :row-key="(row) => `${row.clientId}-${row.to}`"
      :total="data?.total ?? 0"
      :limit="LIMIT"
      what="people"
    >
      <template #row="{ row }">
        <td>
          <router-link v-if="row.clientId" :to="`/clients/${row.clientId}`">{{ row.client }}</router-link>
          <template v-else>{{ row.client }}</template>
        </td>
        <td class="quiet">{{ row.to }}</td>
        <td class="figures">{{ row.step }}</td>
        <td>
          <strong :class="row.state.replace(' ', '-')">{{ STATES[row.state] }}</strong><span
            v-if="row.why"
            class="quiet"
            >: {{ row.why }}</span
          >
        </td>
        <td class="figures quiet">{{ row.at ? full(row.at) : '' }}</td>
      </template>
    </PagedTable>
  </section>
</template>

<style scoped>
.people {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.waits,
.goes {
  color: var(--ochre);
}
.had-all {
  color: var(--spruce);
}
.returned,
.uncertain {
  color: var(--brick);
}
</style>
