<script setup lang="ts">
import { ref } from 'vue';
import { useRoute } from 'vue-router';
import { z } from 'zod';
import { DraftRow } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { about } from '../ui/live.ts';
import { useLoad } from '../ui/load.ts';
import { useTimes } from '../words.ts';

/** One's messages that are being written, wait to leave, or did not go as meant. */
const route = useRoute();
const { brief, full } = useTimes();
const session = useSession();
const {
  data: rows,
  problem,
  load,
} = useLoad(z.array(DraftRow), () => '/drafts', {
  concerns: { drafts: about('staff', () => [session.session?.staff.id]) },
});
const thrown = ref<number | null>(Number(route.query.thrown ?? 0) || null);

async function attempt(work: () => Promise<void>) {
  try {
    await work();
    await load();
  } catch (error) {
    await load();
    problem.value = wordsOf(error);
  }
}
const throwAway = (id: number) =>
  attempt(async () => {
    await act('DELETE', `/drafts/${id}`);
    thrown.value = id;
  });
const restore = () =>
  attempt(async () => {
    await act('POST', `/drafts/${thrown.value}/restore`);
    thrown.value = null;
  });
const recall = (id: number) => attempt(() => act('POST', `/drafts/${id}/recall`));
const settle = (id: number, outcome: 'sent' | 'send again') =>
  attempt(() => act('POST', `/dispatch/${id}/settle`, { outcome }));
const WORDS = {
  draft: 'draft',
  waiting: 'kept for later',
  going: 'going',
  sent: 'sent',
  uncertain: 'may or may not have been sent',
  returned: 'returned',
};
</script>

<template>
  <div class="screen">
    <header class="head">
      <div>
        <h1>Drafts and kept for later</h1>
        <p class="quiet">Drafts lie in your mailbox’s Drafts folder, too.</p>
      </div>
      <v-btn color="primary" variant="flat" to="/write">Write</v-btn>
    </header>
    <p class="said quiet" role="status">
      <template v-if="thrown"
        >Thrown away. <button type="button" class="link" @click="restore">Undo</button></template
      >
    </p>
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <div class="sheet">
      <table v-if="rows?.length" class="ledger-table">
        <thead>
          <tr>
            <th>To</th>
            <th>Subject</th>
            <th>File</th>
            <th>State</th>
            <th><span class="visually-hidden">What to do</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.id">
            <td>{{ row.to || 'nobody yet' }}</td>
            <td>
              <router-link :to="`/writing/${row.id}`">{{ row.subject || '(no subject)' }}</router-link>
            </td>
            <td class="figures">{{ row.files }}</td>
            <td>
              <span :class="{ ochre: row.state === 'waiting', needs: row.problem }">{{
                WORDS[row.state]
              }}</span>
              <span class="quiet">
                {{
                  row.state === 'waiting' && row.sendAt ? `leaves ${full(row.sendAt)}` : brief(row.savedAt)
                }}</span
              >
              <p v-if="row.problem" class="needs">{{ row.problem }}</p>
            </td>
            <td class="right">
              <button v-if="row.state === 'draft'" type="button" class="link" @click="throwAway(row.id)">
                throw away
              </button>
              <button v-else-if="row.state === 'waiting'" type="button" class="link" @click="recall(row.id)">
                take back
              </button>
              <template v-else-if="row.state === 'uncertain' && row.dispatchId">
                <button type="button" class="link" @click="settle(row.dispatchId, 'sent')">
                  it was sent
                </button>
                <button type="button" class="link ml-3" @click="settle(row.dispatchId, 'send again')">
                  send it again
                </button>
              </template>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-else-if="rows" class="quiet pa-4">
        Nothing is being written. Begin with “Write”, or answer a message in
        <router-link to="/mail">Mail</router-link>.
      </p>
    </div>
  </div>
</template>

<style scoped>
.ochre {
  color: var(--ochre);
}
</style>
