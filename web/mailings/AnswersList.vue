<script setup lang="ts">
import { ref } from 'vue';
import { Answers } from '../../contract/index.ts';
import MessageDialog from '../message/MessageDialog.vue';
import Trouble from '../parts/Trouble.vue';
import { about } from '../ui/live.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import { many, useTimes } from '../words.ts';

/** Answers to a mailing in one place, those that wait for us first. */
const props = defineProps<{ mailingId: number }>();
const LIMIT = 50;
const COLUMNS = [
  { words: 'Client' },
  { words: 'Wrote' },
  { words: 'What they say' },
  { words: 'When', width: 76 },
];
const { brief } = useTimes();
const offset = ref(0);
const opened = ref<number | null>(null);
const { data, problem, load } = useLoad(
  Answers,
  () => ({ path: `/mailings/${props.mailingId}/answers`, query: { offset: offset.value, limit: LIMIT } }),
  { concerns: { mailings: about('mailing', () => [props.mailingId]), mail: true } },
);
</script>

<template>
  <Trouble :words="problem" :retry="load" class="mb-2" />
  <p v-if="data?.hidden" class="quiet mb-2">
    {{ many(data.hidden, 'answer') }} more {{ data.hidden === 1 ? 'is' : 'are' }} private to a colleague.
  </p>
  <PagedTable
    v-model:offset="offset"
    :columns="COLUMNS"
    :rows="data?.rows ?? []"
    :row-key="(row) => row.dispatchId"
    :total="data?.total ?? 0"
    :limit="LIMIT"
    what="answers"
  >
    <template #row="{ row }">
      <td>
        <router-link v-if="row.clientId" :to="`/clients/${row.clientId}`">{{ row.client }}</router-link>
      </td>
      <td>{{ row.from }}</td>
      <td>
        <button type="button" class="link words" @click="opened = row.messageId">
          {{ row.words || '(no words)' }}
        </button>
        <span v-if="row.weOwe" class="owe"> · we owe an answer</span>
      </td>
      <td class="figures">{{ brief(row.at) }}</td>
    </template>
    <template #empty><p v-if="data" class="quiet pa-4">Nobody has answered yet.</p></template>
  </PagedTable>
  <MessageDialog v-model="opened" @changed="load" />
</template>

<style scoped>
.words {
  text-align: left;
}
.owe {
  color: var(--ochre);
}
</style>
