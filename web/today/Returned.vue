<script setup lang="ts">
import { ref } from 'vue';
import { ReturnedPage } from '../../contract/index.ts';
import { get, wordsOf } from '../api.ts';
import { useLive } from '../live.ts';
import MessageDialog from '../message/MessageDialog.vue';
import Pager from '../parts/Pager.vue';
import Trouble from '../parts/Trouble.vue';
import { useTimes } from '../words.ts';

const LIMIT = 50;
const { full } = useTimes();
const page = ref<ReturnedPage | null>(null);
const offset = ref(0);
const problem = ref('');
const opened = ref<number | null>(null);

async function load() {
  try {
    page.value = await get(ReturnedPage, '/returned', { offset: offset.value, limit: LIMIT });
    problem.value = '';
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
function move(to: number) {
  offset.value = to;
  void load();
}
void load();
useLive(['mail'], () => void load());
</script>

<template>
  <div class="screen screen-fixed">
    <h1>Returned messages</h1>
    <p class="quiet mb-3">
      What other servers sent back in the last 60 days. Addresses that do not exist are left out of mailings
      until they are mended.
    </p>
    <Trouble :words="problem" :retry="load" />
    <div class="sheet rows" tabindex="0" role="region" aria-label="Returned messages">
      <table v-if="page?.rows.length" class="ledger-table">
        <thead>
          <tr>
            <th scope="col">When</th>
            <th scope="col">Address</th>
            <th scope="col">Why</th>
            <th scope="col">Client</th>
            <th scope="col">Our message</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in page.rows" :key="row.messageId">
            <td class="figures">{{ full(row.at) }}</td>
            <td>{{ row.address }}</td>
            <td class="needs">{{ row.why }}</td>
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
          </tr>
        </tbody>
      </table>
      <p v-else-if="page" class="quiet pa-4">Nothing has come back.</p>
    </div>
    <Pager
      v-if="page"
      :offset="offset"
      :limit="LIMIT"
      :total="page.total"
      what="returned messages"
      @move="move"
    />
    <MessageDialog v-model="opened" @changed="load" />
  </div>
</template>

<style scoped>
.rows {
  overflow: auto;
  flex: 0 1 auto;
  min-height: 0;
}
</style>
