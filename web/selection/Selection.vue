<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { computed, ref, toRef, watch } from 'vue';
import {
  onBeforeRouteLeave,
  onBeforeRouteUpdate,
  useRoute,
  useRouter,
  type RouteLocationNormalized,
} from 'vue-router';
import {
  Fared,
  KeptSelection,
  Made,
  SelectionPage,
  type SelectionColumn as Counted,
} from '../../contract/index.ts';
import { ME } from '../../core/selection/evaluate.ts';
import { explain } from '../../core/selection/explain.ts';
import { SELECTION_VERSION, type Selection, type Subject } from '../../core/selection/tree.ts';
import { act, ApiProblem, get, send, takeFile, wordsOf } from '../api.ts';
import { faredLine } from '../mailings/fared.ts';
import Trouble from '../parts/Trouble.vue';
import LinkField from '../register/LinkField.vue';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';
import { useLatest } from '../ui/latest.ts';
import { LATER, useLive } from '../ui/live.ts';
import ChangeMany from './ChangeMany.vue';
import LabelsDialog from '../paperwork/LabelsDialog.vue';
import ChooseColumns from './ChooseColumns.vue';
import { useCatalogue } from './catalogue.ts';
import { NAMING, useColumns } from './columns.ts';
import KeepDialog from './KeepDialog.vue';
import OpenKept from './OpenKept.vue';
import { READY } from './ready.ts';
import RowTable from './RowTable.vue';
import SelectionColumn from './SelectionColumn.vue';

/** The place where records are picked out: the account at the left, those who remain at the right. */
const LIMIT = 50;
const route = useRoute();
const router = useRouter();
const session = useSession();
const catalogue = useCatalogue();

const kept = ref<KeptSelection | null>(null);
const selection = ref<Selection>(begun());
/** As it is kept, or was begun. */
const standing = ref(JSON.stringify(selection.value));
const problem = ref('');
const keeping = ref(false);

/** Those whose copy of a mailing fared as is asked. */
function lineOfMailing() {
  const { mailing, fared } = route.query;
  const known = Fared.safeParse(fared);
  return Number(mailing) && known.success ? faredLine(Number(mailing), known.data) : null;
}
/** One that is ready made; else everybody, and for an adviser those who are theirs. */
function begun(): Selection {
  const ready = READY.find(({ name }) => name === route.query.ready);
  if (ready) return structuredClone(ready.selection);
  const asked = lineOfMailing();
  const mine = !asked && session.session?.staff.role === 'adviser';
  return {
    version: SELECTION_VERSION,
    subject: 'client',
    past: asked !== null,
    of: asked ? [asked] : mine ? [{ fact: 'client.adviser', test: { op: 'one of', values: [ME] } }] : [],
    added: [],
    removed: [],
  };
}
function stand(now: Selection) {
  selection.value = now;
  standing.value = JSON.stringify(now);
}
async function open() {
  const id = Number(route.params.id);
  problem.value = '';
  if (!id) {
    kept.value = null;
    return stand(begun());
  }
  try {
    kept.value = await get(KeptSelection, `/selections/${id}`);
    stand(kept.value.selection);
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
watch(() => [route.params.id, route.query.ready, route.query.mailing, route.query.fared], open, {
  immediate: true,
});

const changed = computed(() => JSON.stringify(selection.value) !== standing.value);
const title = computed(() => kept.value?.name ?? String(route.query.ready ?? 'A new selection'));
const sentence = computed(() => explain(selection.value, catalogue.facts));
const subject = toRef(() => selection.value.subject);
const { columns, shown, offered, choose, problem: unkept } = useColumns(subject);
const SUBJECTS: { value: Subject; title: string }[] = [
  { value: 'client', title: 'Clients' },
  { value: 'person', title: 'People' },
  { value: 'file', title: 'Files' },
];
/** Lines about clients say nothing of files: what is picked out is chosen first. */
function pickOut(next: Subject) {
  selection.value = { ...selection.value, subject: next, of: [], added: [], removed: [], only: undefined };
  sort.value = NAMING[next];
}

const counted = ref<Counted | null>(null);
const page = ref<SelectionPage | null>(null);
const total = computed(() => (counted.value?.problems.length ? null : (page.value?.total ?? null)));
const rows = computed(() => page.value?.rows ?? []);
const offset = ref(0);
const sort = ref(NAMING[subject.value]);
const order = ref<'asc' | 'desc'>('asc');
const { ask, asking, problem: unread } = useLatest();
async function load() {
  if (!shown.value.length) return;
  const answer = await ask(() =>
    send('POST', SelectionPage, '/selections/rows', {
      selection: selection.value,
      columns: shown.value.map(({ key }) => key),
      ...{ sort: sort.value, order: order.value, offset: offset.value, limit: LIMIT },
    }),
  );
  if (answer) page.value = answer;
}
/** Rows that are ticked, to do something with these alone. */
const ticked = ref<number[]>([]);
function onlyTicked() {
  selection.value.only = [...ticked.value];
  ticked.value = [];
}
watch(subject, () => (ticked.value = []));
const soon = useDebounceFn(load, 200);
watch(
  selection,
  () => {
    offset.value = 0;
    void soon();
  },
  { deep: true },
);
watch([shown, sort, order, offset], () => void soon(), { immediate: true });
useLive({ records: true }, () => void load(), LATER);
/** A line that is wrong is told where it stands. */
const trouble = computed(
  () => problem.value || unkept.value || (counted.value?.problems.length ? '' : unread.value),
);

function put(id: number | null) {
  if (id === null) return;
  selection.value.removed = selection.value.removed.filter((each) => each !== id);
  if (!selection.value.added.includes(id)) selection.value.added.push(id);
}
function take(id: number) {
  selection.value.added = selection.value.added.filter((each) => each !== id);
  selection.value.removed.push(id);
}
/** Keeps what was changed in the place of what it was opened from. */
async function change() {
  if (!kept.value) return;
  try {
    const { id, name, shared, version } = kept.value;
    await act('PUT', `/selections/${id}`, { name, shared, version, selection: selection.value });
    await isKept(id);
  } catch (error) {
    problem.value =
      error instanceof ApiProblem && error.status === 403
        ? `${wordsOf(error)} Your changes are still here.`
        : wordsOf(error);
  }
}
async function isKept(id: number) {
  standing.value = JSON.stringify(selection.value);
  if (Number(route.params.id) === id) await open();
  else await router.replace(`/selections/${id}`);
}
const changing = ref(false);
const ownFieldsThere = computed(() => offered.value.some(({ key }) => key.startsWith('field:')));
/** What was done last to all of them. */
const said = ref<{ id: number; words: string } | null>(null);
async function takeBack() {
  if (!said.value) return;
  try {
    await act('POST', `/many/${said.value.id}/undo`);
    said.value = null;
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
async function takeOut(format: 'csv' | 'xlsx' | 'vcf') {
  try {
    await takeFile('/selections/take-out', {
      ...{ selection: selection.value, format, name: title.value },
      ...{ columns: shown.value.map(({ key }) => key), sort: sort.value, order: order.value },
    });
    problem.value = '';
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
/** All of it in a window of its own, which prints itself. */
function print() {
  sessionStorage.setItem(
    'print',
    JSON.stringify({
      ...{ title: title.value, selection: selection.value },
      ...{ columns: columns.value, sort: sort.value, order: order.value },
    }),
  );
  window.open('/selections/print');
}
/** Begins something for those that are picked out, and goes there. */
async function begin(path: '/mailings' | '/paperwork', body: object) {
  try {
    const { id } = await send('POST', Made, path, { ...body, selection: selection.value });
    standing.value = JSON.stringify(selection.value);
    await router.push(`${path}/${id}`);
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
/** Whether labels are asked for. */
const labels = ref(false);
const mail = () => begin('/mailings', {});
const letters = () => begin('/paperwork', { kind: 'letter' });
async function share(shared: boolean) {
  if (!kept.value) return;
  try {
    const { id, name, version } = kept.value;
    await act('PUT', `/selections/${id}`, { name, shared, version, selection: JSON.parse(standing.value) });
    kept.value = await get(KeptSelection, `/selections/${id}`);
  } catch (error) {
    problem.value = wordsOf(error);
  }
}

/** Where somebody was going who has not kept what they changed. */
const leaving = ref<string | null>(null);
let sure = false;
function stay(to: RouteLocationNormalized): boolean {
  // What was only begun and has no lines yet is not worth a question.
  if (sure || !changed.value || !selection.value.of.length) return true;
  leaving.value = to.fullPath;
  return false;
}
onBeforeRouteLeave(stay);
onBeforeRouteUpdate(stay);
async function leave() {
  sure = true;
  await router.push(leaving.value ?? '/selections');
}
</script>

<template>
  <div class="screen screen-fixed">
    <header class="head">
      <div class="title">
        <p class="quiet">
          <router-link to="/selections">Selections</router-link
          ><template v-if="kept">
            · {{ kept.fixed ? 'a list' : 'runs anew each time' }}, kept by {{ kept.mine ? 'you' : kept.owner
            }}<template v-if="kept.mine">
              ·
              <button type="button" class="link" @click="share(!kept.shared)">
                {{ kept.shared ? 'keep it to yourself' : 'share it' }}
              </button></template
            ></template
          >
        </p>
        <h1>{{ title }}</h1>
      </div>
      <v-select
        v-if="!kept"
        :model-value="subject"
        :items="SUBJECTS"
        aria-label="What is picked out"
        class="subject"
        @update:model-value="pickOut"
      />
      <v-btn v-if="kept && changed" @click="change">Keep the change</v-btn>
      <v-btn @click="keeping = true">{{ kept ? 'Keep as another …' : 'Keep …' }}</v-btn>
      <v-menu v-if="session.may('take lists out') || session.may('change many records')">
        <template #activator="{ props: opener }"
          ><v-btn v-bind="opener" :disabled="!total">Do with them …</v-btn></template
        >
        <v-list density="compact" border rounded="sm" elevation="0">
          <v-list-item
            v-if="session.may('change many records') && (subject !== 'person' || ownFieldsThere)"
            title="Change them all …"
            @click="changing = true"
          />
          <template v-if="session.may('take lists out')">
            <v-list-item title="Take out as a table, CSV" @click="takeOut('csv')" />
            <v-list-item title="Take out as a spreadsheet, XLSX" @click="takeOut('xlsx')" />
            <v-list-item
              v-if="subject !== 'file'"
              title="Take out as address cards, vCard"
              @click="takeOut('vcf')"
            />
          </template>
          <v-list-item title="Print the list" @click="print" />
          <v-list-item
            v-if="session.may('prepare paperwork')"
            title="Print address labels…"
            @click="labels = true"
          />
        </v-list>
      </v-menu>
      <v-btn v-if="session.may('prepare paperwork')" :disabled="!total" @click="letters">Letters</v-btn>
      <v-btn
        v-if="session.may('prepare mailings')"
        color="primary"
        variant="flat"
        :disabled="!total"
        @click="mail"
        >Write a mailing</v-btn
      >
    </header>
    <p v-if="said" class="said" role="status">
      {{ said.words }}
      <button type="button" class="link" @click="takeBack">take it back</button>
    </p>
    <p class="sentence" aria-live="polite">{{ sentence }}</p>
    <Trouble :words="trouble" :retry="load" class="mb-2" />
    <LabelsDialog v-model="labels" :selection="selection" :count="total ?? 0" />
    <div class="two">
      <section class="account" aria-label="The lines">
        <SelectionColumn v-model="selection" @counted="counted = $event" />
        <p class="quiet keys">
          <OpenKept v-if="!kept && !selection.of.length" :subject="subject" @open="stand" />
          <template v-else>Alt with an arrow moves a line, Delete takes it away.</template>
        </p>
      </section>
      <section class="sheet list" aria-labelledby="remain">
        <div class="bar">
          <h2 id="remain">{{ total === null ? '…' : total.toLocaleString('en-GB') }} remain</h2>
          <span v-if="ticked.length" class="ticked" role="status"
            >{{ ticked.length.toLocaleString('en-GB') }} ticked:
            <button type="button" class="link" @click="onlyTicked">only these</button>
            <button type="button" class="link" @click="ticked = []">untick</button></span
          >
          <span class="quiet" role="status">{{ asking ? 'reading …' : '' }}</span>
          <LinkField
            v-if="subject !== 'file' && !ticked.length"
            :model-value="null"
            :to="subject"
            label="Put somebody in by hand"
            class="put"
            @update:model-value="put"
          />
          <ChooseColumns :columns="columns" :offered="offered" :naming="NAMING[subject]" @choose="choose" />
        </div>
        <RowTable
          v-model:offset="offset"
          v-model:ticked="ticked"
          class="px-3 pb-2"
          :subject="subject"
          :shown="shown"
          :rows="counted?.problems.length ? [] : rows"
          :total="total ?? 0"
          :limit="LIMIT"
          :sort="sort"
          :order="order"
          picking
          @sort="(by, way) => ((sort = by), (order = way), (offset = 0))"
          @take="take($event.id)"
        >
          <template #empty>
            <p v-if="total === 0" class="quiet pa-4">
              Nobody fits all of these lines. The account at the left tells which takes the last away.
            </p>
          </template>
        </RowTable>
      </section>
    </div>
    <AskDialog
      :model-value="leaving !== null"
      :max-width="420"
      label="Leave this selection"
      @update:model-value="leaving = null"
    >
      <template #heading>Leave it as it was?</template>
      <p>What you changed of this selection has not been kept.</p>
      <template #answers>
        <v-btn @click="leaving = null">Stay here</v-btn>
        <v-btn color="error" variant="flat" @click="leave">Leave it</v-btn>
      </template>
    </AskDialog>
    <ChangeMany v-model="changing" :selection="selection" @done="(id, words) => (said = { id, words })" />
    <KeepDialog v-model="keeping" :selection="selection" :kept="kept" :total="total" @kept="isKept" />
  </div>
</template>

<style scoped>
.head {
  display: flex;
  align-items: center;
  gap: 8px;
}
.title {
  flex: 1;
  min-width: 0;
}
.title h1 {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.subject {
  flex: none;
  width: 130px;
}
.said {
  margin-top: 6px;
}
.sentence {
  margin: 4px 0 12px;
  max-height: 3.9em;
  overflow: auto;
}
.two {
  display: grid;
  grid-template-columns: 450px minmax(0, 1fr);
  gap: 18px;
  min-height: 0;
  flex: 1;
}
.account {
  overflow: auto;
  min-height: 0;
}
.keys {
  margin-top: 8px;
}
.list {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.bar {
  flex: none;
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 10px 14px;
}
.bar h2 {
  white-space: nowrap;
}
.bar .quiet {
  flex: 1;
}
.ticked {
  white-space: nowrap;
  font-size: 13px;
}
.put {
  max-width: 240px;
}
@media (max-width: 1100px) {
  .two {
    grid-template-columns: 350px minmax(0, 1fr);
    gap: 12px;
  }
}
@media (max-width: 1000px) {
  .two {
    grid-template-columns: 310px minmax(0, 1fr);
  }
}
</style>
