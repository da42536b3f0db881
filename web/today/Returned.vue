<script setup lang="ts">
import { computed, ref } from 'vue';
import { Count, ReturnedPage, type ReturnedRow } from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';
import MessageDialog from '../message/MessageDialog.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import PagedTable from '../ui/PagedTable.vue';
import { useLoad } from '../ui/load.ts';
import { many, useTimes } from '../words.ts';

const LIMIT = 50;
const COLUMNS = ['When', 'Address', 'Why', 'Client', 'Our message'].map((words) => ({ words }));
const { full } = useTimes();
const offset = ref(0);
const {
  data: page,
  problem,
  load,
} = useLoad(ReturnedPage, () => ({ path: '/returned', query: { offset: offset.value, limit: LIMIT } }), {
  concerns: { mail: true },
});
const opened = ref<number | null>(null);
const said = ref('');
const session = useSession();
const maySettle = computed(() => session.may('settle returns'));
const states: Record<ReturnedRow['state'], string> = {
  noted: '',
  applied: '',
  held: '· waits for your word',
  dismissed: '· found to be alive',
  unknown: '· about nothing that we sent: it changed nothing',
};
async function settle(apply: boolean) {
  try {
    const { count } = await send('POST', Count, '/returned/held', { apply });
    const addresses = many(count, 'address', 'addresses');
    said.value = apply ? `${addresses} switched off.` : `${addresses} left as they were.`;
    await load();
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
</script>

<template>
  <div class="screen screen-fixed">
    <h1>Returned messages</h1>
    <p class="quiet mb-3">
      What other servers sent back in the last 60 days. Addresses that do not exist are left out of mailings
      until they are mended. A report counts only for a message that we sent to that very address.
    </p>
    <Trouble :words="problem" :retry="load" />
    <div v-if="page?.held" class="held mb-3" role="note">
      <p>
        <strong class="needs"
          >{{ many(page.held, 'address', 'addresses') }} reported dead within an hour.</strong
        >
        So many at once may be a fault of a mail server, or somebody’s forgery. They are still written to.
      </p>
      <div v-if="maySettle" class="answers">
        <v-btn size="small" @click="settle(false)">They are alive: forget it</v-btn>
        <v-btn size="small" color="primary" variant="flat" @click="settle(true)">Switch them off</v-btn>
      </div>
      <p v-else class="quiet">An adviser or the office manager says what is to be done.</p>
    </div>
    <p class="quiet" role="status">{{ said }}</p>
    <PagedTable
      v-model:offset="offset"
      :columns="COLUMNS"
      :rows="page?.rows ?? []"
      :row-key="(row) => row.messageId"
      :total="page?.total ?? 0"
      :limit="LIMIT"
      what="returned messages"
    >
      <template #row="{ row }">
        <td class="figures">{{ full(row.at) }}</td>
        <td>{{ row.address }}</td>
        <td>
          <span :class="{ needs: row.state === 'applied' || row.state === 'held' }">{{ row.why }}</span>
          <span class="quiet">{{ states[row.state] }}</span>
        </td>
        <td>
          <router-link v-if="row.client" :to="`/clients/${row.client.id}`">{{
            row.client.name
          }}</router-link><span v-else class="quiet">nobody known</span>
        </td>
        <td>
          <button type="button" class="link" @click="opened = row.messageId">
            {{ row.subject || 'the report' }}
          </button>
        </td>
      </template>
      <template #empty><p v-if="page" class="quiet pa-4">Nothing has come back.</p></template>
    </PagedTable>
    <MessageDialog v-model="opened" @changed="load" />
  </div>
</template>

<style scoped>
.held {
  border: 1px solid var(--brick);
  padding: 10px 14px;
  max-width: 90ch;
}
</style>
