<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import {
  Made,
  RemindersPage,
  RemindersPrepared,
  type OverdueNote,
  type RemindersShow,
} from '../../contract/index.ts';
import { TONES, type Tone } from '../../core/paperwork/reminding.ts';
import { act, send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import Tabs from '../ui/Tabs.vue';
import { list, many, useTimes } from '../words.ts';
import RemindDialog from './RemindDialog.vue';

/** What is overdue: whom a reminder would go to today, whose day is still to come, and what is left alone and why. */
const LIMIT = 40;
const router = useRouter();
const session = useSession();
const { day } = useTimes();
const may = computed(() => session.may('prepare paperwork'));
const show = ref<RemindersShow>('now');
const offset = ref(0);
watch(show, () => (offset.value = 0));
const { data, problem, load } = useLoad(
  RemindersPage,
  () => ({ path: '/paperwork/reminders', query: { show: show.value, offset: offset.value, limit: LIMIT } }),
  { concerns: { paperwork: true, records: true } },
);
const tabs = computed(() => [
  { value: 'now' as const, words: 'To be reminded now', count: data.value?.counts.now },
  { value: 'later' as const, words: 'Later', count: data.value?.counts.later },
  { value: 'stopped' as const, words: 'Left alone', count: data.value?.counts.stopped },
]);
const COLUMNS = [
  { words: 'Client' },
  { words: 'Fee note', width: 84 },
  { words: 'Due', right: true, width: 116 },
  { words: 'Days over', right: true, width: 84 },
  { words: 'Amount', right: true, width: 94 },
  { words: 'Reminders' },
  { words: '', width: 108 },
];
const money = new Intl.NumberFormat('en-GB', { minimumFractionDigits: 2, maximumFractionDigits: 2 });
const EMPTY: Record<RemindersShow, string> = {
  now: 'Nobody is to be reminded today.',
  later: 'Nothing else is over its day.',
  stopped: 'Nothing is left alone.',
};
const DAYS = ['Mondays', 'Tuesdays', 'Wednesdays', 'Thursdays', 'Fridays', 'Saturdays', 'Sundays'];
const rule = computed(() => {
  const now = data.value?.rule;
  if (!now) return '';
  const first = `The first goes ${many(now.after, 'day')} after a fee note was due, a further one every ${many(now.every, 'day')}, ${now.most} at most.`;
  if (!now.daily) return `${first} They are prepared when you say so.`;
  const days =
    now.days.join() === '1,2,3,4,5' ? 'on weekdays' : `on ${list(now.days.map((at) => DAYS[at - 1] ?? ''))}`;
  return `${first} They are prepared by themselves at ${now.at} ${days}${now.releasedBy === null ? ', and lie on the desk' : ', and go by themselves'}.`;
});
/** Where reminding of a fee note stands. */
function stands({ what, step, most, on, tone, remindedOn }: OverdueNote): string {
  const gone = step ? `${step} of ${most} sent, the last on ${day(`${remindedOn}T12:00:00Z`)}` : 'none sent';
  if (what === 'now') return `${tone}; ${gone}`;
  if (what === 'desk') return `${tone}, on the desk; ${gone}`;
  if (what === 'later') return `${tone} on ${day(`${on}T12:00:00Z`)}; ${gone}`;
  return {
    off: `switched off; ${gone}`,
    answered: `answered; ${gone}`,
    'all sent': `all ${step} sent, the last on ${day(`${remindedOn}T12:00:00Z`)}`,
  }[what];
}
const busy = ref(false);
const said = ref<{ id: number; name: string; pieces: number }[]>([]);
const failed = ref('');
async function attempt(work: () => Promise<void>) {
  busy.value = true;
  try {
    await work();
    failed.value = '';
  } catch (error) {
    failed.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
const prepare = () =>
  attempt(async () => {
    const { runs } = await send('POST', RemindersPrepared, '/paperwork/reminders', {});
    const [only] = runs;
    if (only && runs.length === 1) return void (await router.push(`/paperwork/${only.id}`));
    said.value = runs;
    await load();
  });
const write = (tone: Tone) =>
  attempt(async () => {
    const { id } = await send('POST', Made, '/paperwork/reminders/words', { tone });
    await router.push(`/paperwork/${id}`);
  });
const goOn = (id: number) =>
  attempt(async () => {
    await act('POST', `/fee-notes/${id}/reminding/on`);
    await load();
  });
const other = ref<OverdueNote | null>(null);
</script>

<template>
  <div class="screen">
    <header class="head">
      <div>
        <h1>Reminders</h1>
        <p class="quiet rule">
          {{ rule }}
          <router-link v-if="session.may('run the office')" to="/settings/reminders">Change that</router-link>
        </p>
      </div>
      <v-btn
        v-if="may"
        color="primary"
        variant="flat"
        :disabled="!data?.pieces"
        :loading="busy"
        @click="prepare"
        >Prepare {{ many(data?.pieces ?? 0, 'reminder') }}</v-btn
      >
    </header>
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <Trouble :words="failed || (data?.trouble ?? '')" class="mb-2" />
    <p v-if="said.length" class="said sheet" role="status">
      On the desk now:
      <template v-for="(run, at) in said" :key="run.id"
        >{{ at ? ', ' : '' }}<router-link :to="`/paperwork/${run.id}`">{{ run.name }}</router-link
        >: {{ many(run.pieces, 'piece') }}</template
      >.
    </p>
    <Tabs v-model="show" label="Which fee notes" :tabs="tabs" class="mb-3" />
    <PagedTable
      v-model:offset="offset"
      :columns="COLUMNS"
      :rows="data?.rows ?? []"
      :row-key="(row) => row.id"
      :total="data?.total ?? 0"
      :limit="LIMIT"
      what="fee notes"
    >
      <template #row="{ row }">
        <td>
          <router-link :to="`/clients/${row.clientId}`">{{ row.client }}</router-link>
        </td>
        <td :title="row.words">{{ row.number }}</td>
        <td class="right figures">{{ day(`${row.dueOn}T12:00:00Z`) }}</td>
        <td class="right figures">{{ row.over }}</td>
        <td class="right figures">{{ money.format(row.amount) }}</td>
        <td>
          <router-link v-if="row.runId" :to="`/paperwork/${row.runId}`">{{ stands(row) }}</router-link>
          <template v-else>{{ stands(row) }}</template>
          <span v-if="row.own" class="quiet"> (own numbers)</span>
        </td>
        <td class="right">
          <button
            v-if="may && row.what === 'answered'"
            type="button"
            class="link"
            :aria-label="`Remind of ${row.number} again`"
            @click="goOn(row.id)"
          >
            remind again
          </button>
          <button
            v-else-if="may"
            type="button"
            class="link"
            :aria-label="`Otherwise for ${row.number}`"
            @click="other = row"
          >
            otherwise…
          </button>
        </td>
      </template>
      <template #empty>
        <p v-if="data" class="quiet none">{{ EMPTY[show] }}</p>
      </template>
    </PagedTable>
    <section v-if="may" class="words" aria-label="Their words">
      <h2>Their words</h2>
      <p class="quiet">
        Each tone begins with the words that the last of its kind went with. To change them beforehand, write
        <template v-for="(tone, at) in TONES" :key="tone"
          >{{ at === 0 ? '' : at === TONES.length - 1 ? ' or ' : ', '
          }}<button type="button" class="link" :disabled="busy" @click="write(tone)">
            the {{ tone }} ones
          </button></template
        >.
      </p>
    </section>
    <RemindDialog
      v-if="other"
      :key="other.id"
      :of="{
        path: `/fee-notes/${other.id}`,
        what: `fee note ${other.number}`,
        elsewhere: `as for ${other.client} otherwise`,
      }"
      @close="other = null"
      @changed="load"
    />
  </div>
</template>

<style scoped>
.head {
  display: flex;
  justify-content: space-between;
  align-items: flex-start;
  gap: 8px 16px;
  margin-bottom: 14px;
}
.rule {
  max-width: 640px;
}
.said {
  padding: 6px 12px;
  margin-bottom: 10px;
}
.words {
  margin-top: 26px;
}
.none {
  padding: 24px;
  text-align: center;
}
</style>
