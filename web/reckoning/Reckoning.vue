<script setup lang="ts">
import { computed, ref } from 'vue';
import { ReckoningDay, ReckoningDays, type DifferenceKind, type NeverRead } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import MessageDialog from '../message/MessageDialog.vue';
import Pager from '../parts/Pager.vue';
import Trouble from '../parts/Trouble.vue';
import DateField from '../ui/DateField.vue';
import { useLoad } from '../ui/load.ts';
import { many, useTimes } from '../words.ts';

/** The count that proves that every message on every server is accounted for: the days, and one of them in full. */
const LIMIT = 20;
const { full, clock, date } = useTimes();
const offset = ref(0);
const {
  data: days,
  problem: daysProblem,
  load: loadDays,
} = useLoad(ReckoningDays, () => ({ path: '/reckoning', query: { offset: offset.value, limit: LIMIT } }), {
  concerns: { reckoning: true },
});
const chosen = ref<string | null>(null);
const day = computed(() => chosen.value ?? days.value?.rows[0]?.day ?? null);
const {
  data: view,
  problem,
  load,
} = useLoad(ReckoningDay, () => (day.value ? `/reckoning/${day.value}` : null), {
  concerns: { reckoning: true },
});
const dayWords = (iso: string) => date(`${iso}T12:00:00Z`);
const failed = ref('');
async function attempt(work: () => Promise<void>) {
  try {
    await work();
    failed.value = '';
    await Promise.all([load(), loadDays()]);
  } catch (error) {
    failed.value = wordsOf(error);
  }
}
const wanted = ref('');
const count = (which: string) =>
  attempt(async () => {
    await act('POST', '/reckoning', { day: which });
    chosen.value = which;
  });
const settle = (id: number, seen: boolean) =>
  attempt(() => act('PUT', `/reckoning/differences/${id}`, { seen }));
const open = computed(() => view.value?.differences.filter(({ seen }) => !seen).length ?? 0);
const verdict = computed(() => {
  const now = view.value;
  if (!now || now.state === 'none') return 'This day has not been counted.';
  if (now.state === 'waiting') return 'This day is being counted. The figures stand here in a moment.';
  const all = `${many(now.sum.onServer, 'message')} on the servers`;
  if (open.value) return `${all}; ${many(open.value, 'difference')} to be seen to.`;
  return `${all}: everything of this day is accounted for.`;
});
const KINDS: Record<DifferenceKind, { words: string; what: string }> = {
  missing: {
    words: 'On the server, and not taken in',
    what: 'Look at the mailbox: if it is in step, open the message there and copy it to the filing address.',
  },
  gone: {
    words: 'Taken in, and deleted on the server since',
    what: 'Its record stays on its file. Ask whoever deleted it, if it should still be there.',
  },
  unknown: {
    words: 'Known here, and not on the server',
    what: 'It was deleted a moment ago, and comes right by itself. Count the day again.',
  },
  unrecorded: {
    words: 'Sent, and not on record',
    what: 'Look into Sent of that mailbox; it is taken in with the next look.',
  },
  uncertain: { words: 'May or may not have been sent', what: 'Settle it in Dispatch.' },
  unreached: { words: 'Could not be counted', what: 'See to the mailbox, then count the day again.' },
};
const RULES: Record<NeverRead, string> = {
  personal: 'never read: its owner’s alone',
  refused: 'never read: the server does not open it',
  drafts: 'never read: drafts',
  junk: 'never read: junk',
  early: 'older than what is taken in',
};
const boxes = computed(() => {
  const rows = view.value?.lines ?? [];
  return [...new Set(rows.map(({ mailboxId }) => mailboxId))].map((id) => {
    const own = rows.filter((row) => row.mailboxId === id);
    // Folders in which nothing of the day lies are told together.
    const some = own.filter(({ onServer }) => onServer);
    return { id, name: own[0]?.mailbox ?? '', rows: some, empty: own.length - some.length };
  });
});
const month = computed(() => (day.value ?? '').slice(0, 7));
const sheet = (format: string) => `/api/reckoning/sheet?month=${month.value}&format=${format}`;
const message = ref<number | null>(null);
const FIGURES = ['onServer', 'taken', 'toCome', 'missing', 'logged', 'waiting', 'aside', 'private'] as const;
const HEADS = [
  'On the server',
  'Taken in',
  'To come',
  'Missing',
  'Logged',
  'In Sorting',
  'Set aside',
  'Private',
];
</script>

<template>
  <div class="screen">
    <header class="head mb-2">
      <div>
        <h1>The reckoning</h1>
        <p class="quiet">
          Each night yesterday is counted on every mail server, and held against what is on record here.
        </p>
      </div>
      <div v-if="month" class="sheets">
        <v-btn :href="sheet('pdf')">The month, PDF</v-btn>
        <v-btn :href="sheet('csv')">CSV</v-btn>
      </div>
    </header>
    <Trouble :words="daysProblem || problem" :retry="load" class="mb-2" />
    <Trouble :words="failed" class="mb-2" />
    <div class="columns">
      <aside class="days">
        <form class="ask" @submit.prevent="wanted && count(wanted)">
          <DateField v-model="wanted" label="Another day" />
          <v-btn type="submit" size="small" :disabled="!wanted">Count</v-btn>
        </form>
        <p v-if="days && !days.rows.length" class="quiet">
          No day has been counted yet. The first is counted tonight.
        </p>
        <button
          v-for="row in days?.rows ?? []"
          :key="row.day"
          type="button"
          class="plain day"
          :class="{ on: row.day === day }"
          :aria-pressed="row.day === day"
          @click="chosen = row.day"
        >
          <span>{{ dayWords(row.day) }}</span>
          <span v-if="row.state === 'waiting'" class="quiet">counting …</span>
          <span v-else-if="row.open" class="needs">{{ row.open }} open</span>
          <span v-else class="spruce">accounted for</span>
        </button>
        <Pager
          v-if="days && days.total > LIMIT"
          :offset="offset"
          :limit="LIMIT"
          :total="days.total"
          what="days"
          @move="(to: number) => (offset = to)"
        />
      </aside>
      <section v-if="view" :aria-label="dayWords(view.day)">
        <div class="verdict">
          <h2>{{ dayWords(view.day) }}</h2>
          <p :class="{ needs: open, spruce: view.state === 'done' && !open }" role="status">
            <strong>{{ verdict }}</strong>
          </p>
          <p class="quiet">
            <template v-if="view.countedAt">Counted {{ full(view.countedAt) }}. </template>
            <button v-if="view.state !== 'waiting'" type="button" class="link" @click="count(view.day)">
              Count it {{ view.state === 'done' ? 'again' : 'now' }}
            </button>
          </p>
        </div>
        <ul v-if="view.differences.length" class="differences">
          <li v-for="each in view.differences" :key="each.id" :class="{ seen: each.seen }">
            <div>
              <strong>{{ KINDS[each.kind].words }}</strong>
              <span class="quiet">
                {{
                  [each.mailbox, each.folder, each.at ? clock(each.at) : ''].filter(Boolean).join(', ')
                }}</span
              >
              <p>
                <button v-if="each.messageId" type="button" class="link" @click="message = each.messageId">
                  {{ each.words || 'a message' }}</button><template v-else>{{ each.words }}</template>
              </p>
              <p class="quiet">
                {{ each.seen ? `Seen to by ${each.seen.by}, ${full(each.seen.at)}` : KINDS[each.kind].what }}
              </p>
            </div>
            <v-btn size="small" @click="settle(each.id, !each.seen)">{{
              each.seen ? 'Open again' : 'Seen to'
            }}</v-btn>
          </li>
        </ul>
        <p v-if="view.moreDifferences" class="quiet">and {{ view.moreDifferences }} more</p>
        <div
          v-if="boxes.length"
          class="sheet scroll"
          tabindex="0"
          role="region"
          aria-label="Mailboxes and folders"
        >
          <table class="ledger-table">
            <thead>
              <tr>
                <th scope="col">Mailbox and folder</th>
                <th v-for="head in HEADS" :key="head" scope="col" class="right">{{ head }}</th>
              </tr>
            </thead>
            <tbody>
              <template v-for="box in boxes" :key="box.id">
                <tr v-if="box.empty" class="first">
                  <td :colspan="FIGURES.length + 1">
                    <strong>{{ box.name }}</strong>
                    <span class="quiet">
                      · {{ many(box.empty, 'folder') }} {{ box.rows.length ? 'besides' : '' }} with nothing of
                      this day</span
                    >
                  </td>
                </tr>
                <tr
                  v-for="(row, at) in box.rows"
                  :key="`${box.id} ${row.folder}`"
                  :class="{ first: !at && !box.empty }"
                >
                  <td>
                    <strong v-if="!at && !box.empty">{{ box.name }}</strong>
                    <div :class="{ quiet: row.rule }">
                      {{ row.folder || (box.rows.length === 1 ? 'all folders' : '')
                      }}<span v-if="row.rule" class="quiet"> ({{ RULES[row.rule] }})</span>
                    </div>
                  </td>
                  <td
                    v-for="figure in FIGURES"
                    :key="figure"
                    class="right figures"
                    :class="{ needs: figure === 'missing' && row.missing, quiet: !row[figure] }"
                  >
                    {{ row.rule && figure !== 'onServer' ? '' : row[figure].toLocaleString('en-GB') }}
                  </td>
                </tr>
              </template>
              <tr class="sum">
                <td><strong>All that is read</strong></td>
                <td v-for="figure in FIGURES" :key="figure" class="right figures">
                  <strong>{{ view.sum[figure].toLocaleString('en-GB') }}</strong>
                </td>
              </tr>
            </tbody>
          </table>
        </div>
        <div
          v-if="view.sendings.length"
          class="sheet scroll mt-4"
          tabindex="0"
          role="region"
          aria-label="What was sent"
        >
          <table class="ledger-table">
            <thead>
              <tr>
                <th scope="col">What was sent</th>
                <th
                  v-for="head in ['Released', 'Sent', 'Waiting', 'Returned', 'Uncertain', 'Cancelled']"
                  :key="head"
                  scope="col"
                  class="right"
                >
                  {{ head }}
                </th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="row in view.sendings" :key="`${row.kind} ${row.name}`">
                <td>{{ row.name }}</td>
                <td
                  v-for="figure in [
                    'released',
                    'sent',
                    'waiting',
                    'returned',
                    'uncertain',
                    'cancelled',
                  ] as const"
                  :key="figure"
                  class="right figures"
                  :class="{ needs: figure === 'uncertain' && row.uncertain }"
                >
                  {{ row[figure].toLocaleString('en-GB') }}
                </td>
              </tr>
            </tbody>
          </table>
        </div>
      </section>
    </div>
    <MessageDialog v-model="message" />
  </div>
</template>

<style scoped>
.sheets {
  display: flex;
  gap: 8px;
}
.columns {
  display: grid;
  grid-template-columns: 250px minmax(0, 1fr);
  gap: 24px;
  align-items: start;
}
.ask {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 10px;
}
.ask > :first-child {
  flex: 1;
}
.day {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  width: 100%;
  padding: 6px 8px;
  border-bottom: 1px solid var(--hairline);
  font-size: 13px;
}
.day.on {
  background: var(--sheet);
  box-shadow: inset 3px 0 0 var(--spruce);
}
.spruce {
  color: var(--spruce);
}
.verdict p {
  margin: 2px 0;
}
.differences {
  list-style: none;
  margin: 10px 0 16px;
  padding: 0;
  border-top: 1px solid var(--strong);
}
.differences li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 12px;
  align-items: center;
  padding: 8px 4px;
  border-bottom: 1px solid var(--hairline);
}
.differences p {
  margin: 0;
}
.seen {
  color: var(--ink-soft);
}
.scroll {
  overflow: auto;
}
tr.first td {
  border-top: 1px solid var(--strong);
}
.sum td {
  border-top: 3px double var(--strong);
}
table.ledger-table td,
table.ledger-table th {
  padding: 5px 10px;
}
@media (max-width: 1000px) {
  .columns {
    grid-template-columns: 1fr;
  }
}
</style>
