<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import {
  DispatchPage,
  MailingResults,
  type DispatchState,
  type Fared,
  type MailingView,
} from '../../contract/index.ts';
import { act, takeFile, wordsOf } from '../api.ts';
import MessageDialog from '../message/MessageDialog.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { about, type Concerns } from '../ui/live.ts';
import PagedTable from '../ui/PagedTable.vue';
import { useLoad } from '../ui/load.ts';
import { useTimes } from '../words.ts';
import AgainDialog from '../dispatch/AgainDialog.vue';
import AnswersList from './AnswersList.vue';
import { FARED_WORDS, faredLine } from './fared.ts';
import Results from './Results.vue';
import SeriesAccount from './SeriesAccount.vue';
import SeriesPeople from './SeriesPeople.vue';
import TimingDialog from './TimingDialog.vue';
import MailingProgress from './MailingProgress.vue';
import { useMailingDraft } from './mailingDraft.ts';
import AskDialog from '../ui/AskDialog.vue';

/** A released mailing: how far it is, and how each copy fared. */
const props = defineProps<{ mailing: MailingView }>();
const LIMIT = 100;
const COLUMNS = ['Client', 'To', 'From', 'State', 'When', 'What their server said'].map((words) => ({
  words,
}));
const editing = useMailingDraft();
const session = useSession();
const { full } = useTimes();
const offset = ref(0);
const fared = ref<Fared>('all');
watch(fared, () => (offset.value = 0));
// Answers and delivery reports come as mail.
const concerns: Concerns = { mailings: about('mailing', () => [props.mailing.id]), mail: true };
const {
  data: results,
  problem: unread,
  load: count,
} = useLoad(MailingResults, () => `/mailings/${props.mailing.id}/results`, { concerns, moment: 2000 });
const {
  data: page,
  problem,
  load,
} = useLoad(
  DispatchPage,
  () => ({
    path: `/mailings/${props.mailing.id}/dispatch`,
    query: { fared: fared.value, offset: offset.value, limit: LIMIT },
  }),
  { concerns },
);
const opened = ref<number | null>(null);
const asking = ref(false);
const maySteer = computed(() => session.may('release mailings'));
const WORDS: Record<DispatchState, string> = {
  waiting: 'waiting',
  going: 'going',
  sent: 'sent',
  delayed: 'tried again later',
  returned: 'returned',
  uncertain: 'uncertain',
  cancelled: 'cancelled',
};

const people = ref(false);
/** Whether it follows another in a series: when it goes is settled there. */
const follows = computed(() => props.mailing.draft.waitDays !== null);
/** Whether it, or a message behind it in its series, stands so. */
const isAny = (state: 'going' | 'paused') => {
  const at = props.mailing.series.findIndex(({ id }) => id === props.mailing.id);
  return (
    props.mailing.state === state ||
    (at >= 0 && props.mailing.series.slice(at).some((each) => each.state === state))
  );
};
const timing = ref(false);
/** Whether any of it has been sent, or may have been. */
const gone = computed(() => {
  const { byState, total } = props.mailing.progress;
  return byState.waiting < total;
});
const again = ref<InstanceType<typeof AgainDialog>['modelValue']>(null);
/** Whether those shown can be picked out of the records. */
const pickable = computed(() => faredLine(props.mailing.id, fared.value) !== null);
const mayTake = computed(() => session.may('take lists out'));
async function takeOut() {
  try {
    await takeFile(`/mailings/${props.mailing.id}/results/take-out`, {});
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
const renew = () => Promise.all([editing.refresh(), load(), count()]);
async function change(path: string, body: unknown) {
  try {
    await act('POST', path, body);
    await renew();
    // Taken back: the steps are shown again.
    if (editing.isDraft) await editing.open(props.mailing.id);
  } catch (error) {
    problem.value = wordsOf(error);
  }
  asking.value = false;
}
const steer = (to: 'paused' | 'going' | 'cancelled') => change(`/mailings/${props.mailing.id}/steer`, { to });
const settle = (id: number, outcome: 'sent' | 'send again') => change(`/dispatch/${id}/settle`, { outcome });
</script>

<template>
  <div class="going">
    <div class="top sheet pa-4">
      <MailingProgress :mailing="mailing" class="grow" />
      <template v-if="maySteer">
        <v-btn v-if="isAny('going')" @click="steer('paused')">Pause</v-btn>
        <v-btn v-if="isAny('paused')" color="primary" variant="flat" @click="steer('going')">Go on</v-btn>
        <v-btn v-if="isAny('going') || isAny('paused')" @click="asking = true">Cancel the rest…</v-btn>
        <template v-if="mailing.state === 'going' || mailing.state === 'paused'">
          <v-btn v-if="!gone && !follows" @click="change(`/mailings/${mailing.id}/take-back`, {})"
            >Take it back</v-btn
          >
        </template>
        <v-btn v-if="!follows && (isAny('going') || isAny('paused'))" @click="timing = true">Timing…</v-btn>
      </template>
    </div>
    <TimingDialog
      v-model="timing"
      :mailing-id="mailing.id"
      :timing="mailing.draft.timing"
      :goes-on="mailing.goesOn"
      @changed="renew"
    />
    <Trouble :words="problem || unread" :retry="renew" class="mt-2" />
    <SeriesAccount v-if="mailing.series.length" v-model:people="people" :mailing="mailing" class="mt-3" />
    <SeriesPeople v-if="people" :mailing-id="mailing.id" class="mt-3 standing" />
    <div v-else class="fared mt-3">
      <Results v-if="results" v-model="fared" :results="results" class="account" />
      <section class="copies" :aria-label="FARED_WORDS[fared]">
        <div class="head">
          <h2>{{ FARED_WORDS[fared] }}</h2>
          <span class="acts">
            <router-link
              v-if="pickable"
              :to="{ path: '/selections/new', query: { mailing: mailing.id, fared } }"
              >pick these clients out</router-link
            >
            <button v-if="mayTake && fared === 'all'" type="button" class="link" @click="takeOut">
              take the list out
            </button>
          </span>
        </div>
        <AnswersList v-if="fared === 'answered'" :mailing-id="mailing.id" />
        <PagedTable
          v-else
          v-model:offset="offset"
          :columns="COLUMNS"
          :rows="page?.rows ?? []"
          :row-key="(row) => row.id"
          :total="page?.total ?? 0"
          :limit="LIMIT"
          what="messages"
        >
          <template #row="{ row }">
            <td>
              <router-link v-if="row.clientId" :to="`/clients/${row.clientId}`" class="client">{{
                row.client
              }}</router-link>
              <span v-else class="client">{{ row.client }}</span>
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
                  ><button type="button" class="link" @click="settle(row.id, 'sent')">It was sent</button> ·
                  <button type="button" class="link" @click="settle(row.id, 'send again')">
                    Send it again
                  </button></template
                >
              </p>
            </td>
            <td class="figures">{{ row.at ? full(row.at) : '' }}</td>
            <td class="quiet">
              {{ row.answer }}
              <button
                v-if="row.state === 'returned' && maySteer"
                type="button"
                class="link"
                @click="again = { ...row, path: `/dispatch/${row.id}` }"
              >
                send it again…
              </button>
              <button v-if="row.messageId" type="button" class="link" @click="opened = row.messageId">
                open
              </button>
            </td>
          </template>
        </PagedTable>
      </section>
    </div>
    <AgainDialog v-model="again" @changed="renew" />
    <MessageDialog v-model="opened" @changed="load" />
    <AskDialog v-model="asking" :max-width="420" label="Cancel the rest">
      <template #heading>Cancel what has not gone?</template>
      <p>
        {{ mailing.progress.byState.waiting + mailing.progress.byState.delayed }} messages will never be
        sent{{ mailing.series.length ? ', and nobody comes to a message behind them in the series' : '' }}.
        What was sent stays as it is.
      </p>

      <template #answers>
        <v-btn @click="asking = false">Let them go on</v-btn
        ><v-btn color="error" variant="flat" @click="steer('cancelled')">Cancel the rest</v-btn>
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.going {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.standing {
  flex: 1;
}
.fared {
  display: grid;
  grid-template-columns: 290px minmax(0, 1fr);
  gap: 18px;
  flex: 1;
  min-height: 0;
}
.account {
  overflow: auto;
  min-height: 0;
}
.copies {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 12px;
  margin-bottom: 6px;
}
.acts {
  display: flex;
  gap: 16px;
}
@media (max-width: 1000px) {
  .fared {
    grid-template-columns: 220px minmax(0, 1fr);
    gap: 10px;
  }
}
.top {
  display: flex;
  align-items: center;
  gap: 10px;
}
.grow {
  flex: 1;
}
td strong {
  white-space: nowrap;
}
.client {
  font-weight: 700;
  color: var(--ink);
  text-decoration: none;
}
.state-sent,
.answered {
  color: var(--spruce);
}
.state-waiting,
.state-going,
.state-delayed {
  color: var(--ochre);
}
.state-returned,
.state-uncertain {
  color: var(--brick);
}
</style>
