<script setup lang="ts">
import { computed, ref } from 'vue';
import { DispatchPage, type DispatchState, type MailingView } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import MessageDialog from '../message/MessageDialog.vue';
import Pager from '../parts/Pager.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { about } from '../ui/live.ts';
import { useLoad } from '../ui/load.ts';
import { useTimes } from '../words.ts';
import MailingProgress from './MailingProgress.vue';
import { useMailingDraft } from './mailingDraft.ts';

/** A released mailing: how far it is, and how each copy fared. */
const props = defineProps<{ mailing: MailingView }>();
const LIMIT = 100;
const workshop = useMailingDraft();
const session = useSession();
const { full } = useTimes();
const offset = ref(0);
const {
  data: page,
  problem,
  load,
} = useLoad(
  DispatchPage,
  () => ({ path: `/mailings/${props.mailing.id}/dispatch`, query: { offset: offset.value, limit: LIMIT } }),
  // Answers and delivery reports come as mail.
  { concerns: { mailings: about('mailing', () => [props.mailing.id]), mail: true } },
);
const opened = ref<number | null>(null);
const asking = ref(false);
const maySteer = computed(() => session.may('release mailings'));
const WORDS: Record<DispatchState, string> = {
  waiting: 'waiting',
  leaving: 'leaving',
  left: 'left',
  delayed: 'tried again later',
  returned: 'returned',
  uncertain: 'uncertain',
  cancelled: 'cancelled',
};

async function change(path: string, body: unknown) {
  try {
    await act('POST', path, body);
    await Promise.all([workshop.refresh(), load()]);
  } catch (error) {
    problem.value = wordsOf(error);
  }
  asking.value = false;
}
const steer = (to: 'paused' | 'leaving' | 'cancelled') =>
  change(`/mailings/${props.mailing.id}/steer`, { to });
const settle = (id: number, outcome: 'left' | 'send again') => change(`/dispatch/${id}/settle`, { outcome });
</script>

<template>
  <div class="leaving">
    <div class="top sheet pa-4">
      <MailingProgress :mailing="mailing" class="grow" />
      <template v-if="maySteer">
        <v-btn v-if="mailing.state === 'leaving'" @click="steer('paused')">Pause</v-btn>
        <v-btn v-if="mailing.state === 'paused'" color="primary" variant="flat" @click="steer('leaving')"
          >Go on</v-btn
        >
        <v-btn v-if="mailing.state === 'leaving' || mailing.state === 'paused'" @click="asking = true"
          >Cancel the rest…</v-btn
        >
      </template>
    </div>
    <Trouble :words="problem" :retry="load" class="mt-2" />
    <div class="sheet scroll" tabindex="0" role="region" aria-label="How each copy fared">
      <table class="ledger-table">
        <thead>
          <tr>
            <th scope="col">Client</th>
            <th scope="col">To</th>
            <th scope="col">From</th>
            <th scope="col">State</th>
            <th scope="col">When</th>
            <th scope="col">What their server said</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in page?.rows ?? []" :key="row.id">
            <td>
              <router-link :to="`/clients/${row.clientId}`" class="client">{{ row.client }}</router-link>
            </td>
            <td class="quiet">{{ row.address }}</td>
            <td>{{ row.from }}</td>
            <td>
              <strong :class="`state-${row.state}`">{{ WORDS[row.state] }}</strong><span
                v-if="row.answered"
                class="answered"
              >
                · answered</span
              >
              <p v-if="row.state === 'uncertain'">
                <span class="quiet">The connection broke off after the text was handed over.</span><br />
                <template v-if="maySteer"
                  ><button type="button" class="link" @click="settle(row.id, 'left')">It did leave</button> ·
                  <button type="button" class="link" @click="settle(row.id, 'send again')">
                    Send it again
                  </button></template
                >
              </p>
            </td>
            <td class="figures">{{ row.at ? full(row.at) : '' }}</td>
            <td class="quiet">
              {{ row.answer }}
              <button v-if="row.messageId" type="button" class="link" @click="opened = row.messageId">
                open
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <Pager
      v-if="page"
      :offset="offset"
      :limit="LIMIT"
      :total="page.total"
      what="messages"
      @move="(to: number) => (offset = to)"
    />
    <MessageDialog v-model="opened" @changed="load" />
    <v-dialog v-model="asking" max-width="420" aria-label="Cancel the rest">
      <v-card class="pa-5">
        <h2>Cancel what has not left?</h2>
        <p class="mt-2">
          {{ mailing.progress.byState.waiting + mailing.progress.byState.delayed }} messages will never be
          sent. What has left stays as it is.
        </p>
        <div class="answers">
          <v-btn @click="asking = false">Let them go on</v-btn
          ><v-btn color="error" variant="flat" @click="steer('cancelled')">Cancel the rest</v-btn>
        </div>
      </v-card>
    </v-dialog>
  </div>
</template>

<style scoped>
.leaving {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.top {
  display: flex;
  align-items: center;
  gap: 10px;
}
.grow {
  flex: 1;
}
.scroll {
  overflow: auto;
  min-height: 0;
  margin-top: 12px;
}
.client {
  font-weight: 700;
  color: var(--ink);
  text-decoration: none;
}
.state-left,
.answered {
  color: var(--spruce);
}
.state-waiting,
.state-leaving,
.state-delayed {
  color: var(--ochre);
}
.state-returned,
.state-uncertain {
  color: var(--brick);
}
</style>
