<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue';
import { FeeNoteFields, FeeNotes, Made, type FeeNote, type FileRef } from '../../contract/index.ts';
import { act, send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import RemindDialog from '../paperwork/RemindDialog.vue';
import AskDialog from '../ui/AskDialog.vue';
import DateField from '../ui/DateField.vue';
import { useForm } from '../ui/form.ts';
import { about } from '../ui/live.ts';
import { useLoad } from '../ui/load.ts';
import Section from './Section.vue';
import PagedTable from '../ui/PagedTable.vue';
import { useTimes } from '../words.ts';

/** A client's fee notes: what was charged, what is open, since when. */
const props = defineProps<{ clientId: number; files: readonly FileRef[]; may: boolean }>();
const LIMIT = 10;
const { day } = useTimes();
const offset = ref(0);
const {
  data: page,
  problem,
  load,
} = useLoad(
  FeeNotes,
  () => ({
    path: `/clients/${props.clientId}/fee-notes`,
    query: { offset: offset.value, limit: LIMIT },
  }),
  { concerns: { records: about('client', () => [props.clientId]) } },
);
const money = new Intl.NumberFormat('en-GB', { minimumFractionDigits: 2, maximumFractionDigits: 2 });
const COLUMNS = [
  { words: 'Number' },
  { words: 'What for' },
  { words: 'File' },
  { words: 'Issued', right: true },
  { words: 'Due', right: true },
  { words: 'Amount', right: true },
  { words: 'State', right: true },
];

/** Of what the reminders are to be otherwise. */
const reminding = ref<{ path: string; what: string; elsewhere: string } | null>(null);
const ofClient = computed(() => ({
  path: `/clients/${props.clientId}`,
  what: 'this client',
  elsewhere: 'as the firm does',
}));
const ofNote = (row: FeeNote) => ({
  path: `/fee-notes/${row.id}`,
  what: `fee note ${row.number}`,
  elsewhere: 'as for this client otherwise',
});

const shown = ref<number | 'new' | null>(null);
const open = computed({
  get: () => shown.value !== null,
  set: (now) => {
    if (!now) shown.value = null;
  },
});
const EMPTY = {
  number: '',
  issuedOn: '',
  dueOn: '',
  amount: '',
  tax: '',
  paidOn: '',
  fileId: null as number | null,
};
const draft = reactive({ ...EMPTY, words: '' });
let begun = '';
const form = useForm(FeeNoteFields, [
  'number',
  'issuedOn',
  'dueOn',
  'amount',
  'tax',
  'paidOn',
  'fileId',
  'words',
]);
watch(shown, (now) => {
  if (now === null) return;
  form.clear();
  const row = page.value?.rows.find(({ id }) => id === now);
  Object.assign(draft, EMPTY, { words: '' }, row ? { ...row, paidOn: row.paidOn ?? '' } : {});
  draft.amount = row ? String(row.amount) : '';
  draft.tax = row ? String(row.tax) : '0';
  begun = JSON.stringify(draft);
});
const typed = computed(() => shown.value !== null && JSON.stringify(draft) !== begun);
const number = (words: string) => (words.trim() === '' ? Number.NaN : Number(words.replace(/,/g, '')));
const keep = () =>
  form.submit(
    {
      ...draft,
      amount: number(draft.amount),
      tax: number(draft.tax || '0'),
      paidOn: draft.paidOn || null,
    },
    async (fields) => {
      if (shown.value === 'new') await send('POST', Made, `/clients/${props.clientId}/fee-notes`, fields);
      else await act('PUT', `/fee-notes/${shown.value}`, fields);
      shown.value = null;
      await load();
    },
  );
const failed = ref('');
async function attempt(work: () => Promise<void>) {
  try {
    await work();
    failed.value = '';
    await load();
  } catch (error) {
    failed.value = wordsOf(error);
  }
}
const remove = () =>
  attempt(async () => {
    await act('DELETE', `/fee-notes/${shown.value}`);
    shown.value = null;
  });
const files = computed(() =>
  props.files.map(({ id, number: own, title }) => ({ value: id, title: `${own} ${title}` })),
);
const state = (row: FeeNote) =>
  row.paidOn ? `paid ${day(row.paidOn)}` : row.overdue ? `${row.overdue} days over` : 'open';
</script>

<template>
  <Section :model-value="false" title="Fee notes" :may="false">
    <template #more>
      <span v-if="page?.total" class="quiet figures">{{ money.format(page.open) }} open</span>
      <button v-if="may" type="button" class="link" @click="reminding = ofClient">reminders…</button>
      <button v-if="may" type="button" class="link" @click="shown = 'new'">enter one</button>
    </template>
    <Trouble :words="problem || failed" :retry="load" />
    <p v-if="page && !page.total" class="quiet">
      None yet. Statements and reminders are made of what is here.
    </p>
    <PagedTable
      v-else
      v-model:offset="offset"
      bare
      :columns="COLUMNS"
      :rows="page?.rows ?? []"
      :row-key="(row) => row.id"
      :total="(page?.total ?? 0) > LIMIT ? (page?.total ?? 0) : 0"
      :limit="LIMIT"
      what="fee notes"
    >
      <template #row="{ row }">
        <td>
          <button type="button" class="link" :disabled="!may" @click="shown = row.id">
            {{ row.number }}
          </button>
        </td>
        <td>{{ row.words }}</td>
        <td class="quiet">{{ row.fileNumber }}</td>
        <td class="right figures">{{ day(row.issuedOn) }}</td>
        <td class="right figures">{{ day(row.dueOn) }}</td>
        <td class="right figures">{{ money.format(row.amount) }}</td>
        <td class="right" :class="row.overdue ? 'needs' : 'quiet'">
          <button
            v-if="may && row.overdue"
            type="button"
            class="link needs"
            :title="`Reminders of ${row.number}`"
            @click="reminding = ofNote(row)"
          >
            {{ state(row) }}
          </button>
          <template v-else>{{ state(row) }}</template>
        </td>
      </template>
    </PagedTable>
    <RemindDialog v-if="reminding" :of="reminding" @close="reminding = null" />
    <AskDialog v-model="open" :persistent="typed" :max-width="560" label="A fee note">
      <template #heading>{{ shown === 'new' ? 'Enter a fee note' : `Fee note ${draft.number}` }}</template>
      <form class="form-grid" @submit.prevent="keep">
        <v-text-field
          v-model="draft.number"
          v-first
          label="Number"
          :error-messages="form.errorOf('number')"
        />
        <v-autocomplete
          v-model="draft.fileId"
          :items="files"
          label="File"
          clearable
          :error-messages="form.errorOf('fileId')"
        />
        <v-text-field
          v-model="draft.words"
          label="What for"
          class="wide"
          maxlength="300"
          :error-messages="form.errorOf('words')"
        />
        <DateField v-model="draft.issuedOn" label="Issued" :error-messages="form.errorOf('issuedOn')" />
        <DateField v-model="draft.dueOn" label="Due" :error-messages="form.errorOf('dueOn')" />
        <v-text-field
          v-model="draft.amount"
          label="Amount, with tax"
          inputmode="decimal"
          :error-messages="form.errorOf('amount')"
        />
        <v-text-field
          v-model="draft.tax"
          label="Tax in it"
          inputmode="decimal"
          :error-messages="form.errorOf('tax')"
        />
        <DateField v-model="draft.paidOn" label="Paid" clearable :error-messages="form.errorOf('paidOn')" />
        <p v-if="form.problem.value || failed" class="needs wide" role="alert">
          {{ form.problem.value || failed }}
        </p>
        <div class="answers wide">
          <button v-if="shown !== 'new'" type="button" class="link gone" @click="remove">
            It was entered by mistake
          </button>
          <v-btn @click="open = false">{{ typed ? 'Forget what I typed' : 'Close' }}</v-btn>
          <v-btn type="submit" color="primary" variant="flat" :loading="form.busy.value">Keep</v-btn>
        </div>
      </form>
    </AskDialog>
  </Section>
</template>

<style scoped>
.gone {
  margin-right: auto;
}
</style>
