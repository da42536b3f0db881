<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import {
  Count,
  PiecesPage,
  Released,
  type PaperWay,
  type PieceRow,
  type PiecesAct,
  type PieceShow,
  type RunView,
} from '../../contract/index.ts';
import { act, send, wordsOf } from '../api.ts';
import AgainDialog from '../dispatch/AgainDialog.vue';
import Look from '../documents/Look.vue';
import KeyCap from '../parts/KeyCap.vue';
import Pager from '../parts/Pager.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';
import { useKeys } from '../ui/keys.ts';
import { useLoad } from '../ui/load.ts';
import { many } from '../words.ts';
import PieceDialog from './PieceDialog.vue';
import { became, KINDS, standing, WAYS } from './words.ts';

/** The desk: a run's pieces with what is wrong with each, the piece itself beside; read, held, mended, released. */
const props = defineProps<{ run: RunView }>();
const emit = defineEmits<{ changed: [] }>();
const LIMIT = 100;
const router = useRouter();
const session = useSession();
const may = computed(() => session.may('prepare paperwork'));
const mayRelease = computed(() => session.may('release paperwork'));
const show = ref<PieceShow>('all');
const typed = ref('');
const words = ref('');
const say = useDebounceFn(() => (words.value = typed.value ?? ''), 200);
watch(typed, () => void say());
const offset = ref(0);
watch([show, words], () => (offset.value = 0));
const { data, problem, load } = useLoad(
  PiecesPage,
  () => ({
    path: `/paperwork/${props.run.id}/pieces`,
    query: { show: show.value, q: words.value, offset: offset.value, limit: LIMIT },
  }),
  { concerns: { paperwork: true, mailings: true }, moment: 600 },
);
const rows = computed(() => data.value?.rows ?? []);
const counts = computed(() => props.run.counts);
const SHOWS = computed(() => {
  const { wrong, made, read, held, dropped, released, returned } = counts.value;
  const all: { value: PieceShow; words: string; count: number | null }[] = [
    { value: 'all', words: 'All', count: null },
    { value: 'wrong', words: 'To settle', count: wrong },
    { value: 'unread', words: 'To read', count: made },
    { value: 'read', words: 'Read', count: read },
    { value: 'held', words: 'Held or dropped', count: held + dropped },
    { value: 'released', words: 'Released', count: released },
    { value: 'returned', words: 'Came back', count: returned },
  ];
  return all.filter(({ value, count }) => value === show.value || count === null || count > 0);
});

const shownId = ref<number | null>(null);
// The first stays the one that is looked at, wherever it comes to stand.
watch(rows, ([first]) => (shownId.value ??= first?.id ?? null), { immediate: true });
const shown = computed(() => rows.value.find(({ id }) => id === shownId.value) ?? rows.value[0] ?? null);
const at = computed(() => rows.value.findIndex(({ id }) => id === shown.value?.id));
function move(by: number) {
  const next = rows.value[at.value + by];
  if (next) goTo(next.id);
}
/** Shows another piece; the list follows, and the keys with it. */
function goTo(id: number) {
  shownId.value = id;
  const row = document.getElementById(`piece-${id}`);
  row?.scrollIntoView({ block: 'nearest' });
  row?.querySelector('button')?.focus({ preventScroll: true });
}

const failed = ref('');
const done = ref('');
async function attempt(work: () => Promise<void>) {
  try {
    await work();
    failed.value = '';
    await load();
    emit('changed');
  } catch (error) {
    failed.value = wordsOf(error);
  }
}
const mark = (what: PiecesAct['act'], ids: number[], why = '') =>
  attempt(async () => {
    const { count } = await send('POST', Count, `/paperwork/${props.run.id}/pieces`, { ids, act: what, why });
    done.value = count ? '' : 'Nothing was to be changed.';
  });
/** Marks the one that is looked at, and goes on to the next. */
async function markShown(what: PiecesAct['act'], why = '') {
  const { value: piece } = shown;
  if (!piece) return;
  const next = rows.value[at.value + 1]?.id ?? null;
  await mark(what, [piece.id], why);
  if (next !== null && (what === 'read' || what === 'hold' || what === 'drop')) goTo(next);
}
const again = ref<InstanceType<typeof AgainDialog>['modelValue']>(null);
function sendAgain() {
  const { value: piece } = shown;
  if (!piece?.gone?.mail) return;
  const { answer } = piece.gone.mail;
  again.value = {
    path: `/pieces/${piece.id}`,
    client: piece.client,
    address: piece.people[0]?.email ?? '',
    answer,
  };
}
const postInstead = () =>
  attempt(async () => {
    await act('POST', `/pieces/${shown.value?.id}/post`);
    done.value = 'It waits for the next print pack.';
  });
/** Says what became of a message of which nobody knows. */
const settle = (outcome: string) =>
  attempt(() => act('POST', `/dispatch/${shown.value?.gone?.mail?.dispatchId}/settle`, { outcome }));
const onDesk = (piece: PieceRow) => ['made', 'read', 'held'].includes(piece.state);
const MANY: { act: PiecesAct['act']; words: string }[] = [
  { act: 'read', words: 'Mark as read' },
  { act: 'email', words: 'Send by email' },
  { act: 'post', words: 'Send by post' },
  { act: 'both', words: 'Send both ways' },
  { act: 'hold', words: 'Put on hold' },
  { act: 'take up', words: 'Take up again' },
];
/** The same for all that are shown. */
const markAll = (what: PiecesAct['act']) =>
  mark(
    what,
    rows.value.map(({ id }) => id),
  );
const mending = ref<number | null>(null);
const holding = ref<'hold' | 'drop' | null>(null);
const why = ref('');
const asksWhy = computed({
  get: () => holding.value !== null,
  set: (open) => {
    if (!open) holding.value = null;
  },
});
async function hold() {
  if (!holding.value) return;
  await markShown(holding.value, why.value);
  holding.value = null;
  why.value = '';
}

const releasing = ref<'read' | 'all' | null>(null);
const asks = computed({
  get: () => releasing.value !== null,
  set: (open) => {
    if (!open) releasing.value = null;
  },
});
const ready = computed(() => ({ read: counts.value.readyRead, all: counts.value.ready }));
const busy = ref(false);
async function release() {
  const what = releasing.value;
  if (!what) return;
  busy.value = true;
  await attempt(async () => {
    const gone = await send('POST', Released, `/paperwork/${props.run.id}/release`, {
      what,
      expected: ready.value[what],
    });
    const ways = [
      gone.byEmail ? `${gone.byEmail} by email` : '',
      gone.byPost ? `${gone.byPost} for the post` : '',
    ];
    const stayed = gone.overtaken
      ? ` ${many(gone.overtaken, 'piece')} stayed: another run has sent it, or its figures are others now.`
      : '';
    done.value = `${many(gone.released, KINDS[props.run.kind].one)} released${ways.some(Boolean) ? ': ' : ''}${ways.filter(Boolean).join(', ')}.${stayed}`;
  });
  releasing.value = null;
  busy.value = false;
}
const back = () =>
  attempt(async () => {
    await act('POST', `/paperwork/${props.run.id}/back`);
  });
useKeys(
  {
    ArrowDown: () => move(1),
    ArrowUp: () => move(-1),
    r: () => shown.value?.state === 'made' && may.value && void markShown('read'),
    h: () => shown.value && onDesk(shown.value) && may.value && (holding.value = 'hold'),
    e: () => shown.value && onDesk(shown.value) && may.value && (mending.value = shown.value.id),
  },
  { unless: () => mending.value !== null || asks.value || asksWhy.value },
);
const wayItems = (Object.keys(WAYS) as PaperWay[]).map((value) => ({ value, title: WAYS[value] }));
</script>

<template>
  <div class="desk">
    <header class="head">
      <div>
        <h1>{{ run.name }}</h1>
        <p class="quiet" role="status">{{ standing(counts) }}</p>
      </div>
      <span class="acts">
        <v-btn @click="router.push('/paperwork')">To the others</v-btn>
        <v-btn :href="`/api/paperwork/${run.id}/report`" download>Take out as CSV</v-btn>
        <v-btn v-if="may && !counts.released" @click="back">Back to its words</v-btn>
        <template v-if="mayRelease">
          <v-btn v-if="ready.read" :disabled="counts.waiting > 0" @click="releasing = 'read'"
            >Release {{ ready.read }} read</v-btn
          >
          <v-btn
            v-if="ready.all"
            color="primary"
            variant="flat"
            :disabled="counts.waiting > 0"
            @click="releasing = 'all'"
            >Release all {{ ready.all }}</v-btn
          >
        </template>
      </span>
    </header>
    <Trouble :words="problem || failed" :retry="load" class="mb-2" />
    <p v-if="done" class="said" role="status">{{ done }}</p>
    <v-progress-linear
      v-if="counts.waiting"
      :model-value="((counts.total - counts.waiting) / counts.total) * 100"
      :aria-label="`${counts.total - counts.waiting} of ${counts.total} made`"
      height="6"
      class="mb-2"
    />
    <div class="two">
      <section class="list" aria-label="Pieces">
        <div class="shows" role="group" aria-label="Which are shown">
          <button
            v-for="each in SHOWS"
            :key="each.value"
            type="button"
            class="plain part"
            :class="{ on: show === each.value }"
            :aria-pressed="show === each.value"
            @click="show = each.value"
          >
            {{ each.words }}<span v-if="each.count" class="figures count">{{ each.count }}</span>
          </button>
        </div>
        <div class="narrow">
          <v-text-field v-model="typed" label="Find a client" clearable class="find" />
          <v-menu v-if="may && rows.some(onDesk)">
            <template #activator="{ props: opener }">
              <button v-bind="opener" type="button" class="link">all {{ rows.length }} here…</button>
            </template>
            <v-list density="compact" border rounded="sm" elevation="0">
              <v-list-item
                v-for="each in MANY"
                :key="each.act"
                :title="each.words"
                @click="markAll(each.act)"
              />
            </v-list>
          </v-menu>
        </div>
        <ul class="sheet pieces" tabindex="0" aria-label="The pieces">
          <li v-for="row in rows" :id="`piece-${row.id}`" :key="row.id" :class="{ on: row.id === shown?.id }">
            <button type="button" class="plain row" @click="shownId = row.id">
              <strong class="clip">{{ row.client }}</strong>
              <span class="quiet figures">{{ row.pages ? many(row.pages, 'page') : '' }}</span>
              <span class="quiet clip">{{ WAYS[row.way] }}{{ row.own ? ', own words' : '' }}</span>
              <span class="quiet state" :class="{ good: row.state === 'read' }">{{ became(row) }}</span>
              <span v-for="each in row.problems" :key="each" class="needs whole">{{ each }}</span>
              <span v-for="each in row.remarks" :key="each" class="look whole">{{ each }}</span>
              <span v-if="row.heldWhy" class="quiet whole">{{ row.heldWhy }}</span>
            </button>
          </li>
          <li v-if="data && !rows.length" class="quiet none">Nothing is here.</li>
        </ul>
        <Pager
          v-if="(data?.total ?? 0) > LIMIT"
          :offset="offset"
          :limit="LIMIT"
          :total="data?.total ?? 0"
          what="pieces"
          @move="(to: number) => (offset = to)"
        />
      </section>
      <section v-if="shown" class="piece" :aria-label="`The piece for ${shown.client}`">
        <div class="about">
          <div class="who">
            <router-link :to="`/clients/${shown.clientId}`"
              ><strong>{{ shown.client }}</strong></router-link
            >
            <span class="quiet">
              {{ shown.people.map(({ email }) => email).join(', ') || 'no email address' }}</span
            >
            <router-link
              v-if="shown.documentId"
              :to="`/clients/${shown.clientId}?show=documents`"
              class="ml-2"
              >on file</router-link
            >
            <span v-if="shown.gone?.mail?.answer" class="quiet">: {{ shown.gone.mail.answer }}</span>
          </div>
          <div v-if="may && onDesk(shown)" class="tools">
            <v-select
              :model-value="shown.way"
              :items="wayItems"
              label="Goes"
              class="way"
              @update:model-value="(way: PaperWay) => mark(way, [shown?.id ?? 0])"
            />
            <v-btn v-if="shown.state === 'made'" size="small" @click="markShown('read')"
              >Read <KeyCap letter="R" class="ml-1"
            /></v-btn>
            <v-btn v-if="shown.state === 'read'" size="small" @click="markShown('unread')"
              >Not read yet</v-btn
            >
            <v-btn size="small" @click="mending = shown.id"
              >Change it… <KeyCap letter="E" class="ml-1"
            /></v-btn>
            <v-btn v-if="shown.state !== 'held'" size="small" @click="holding = 'hold'"
              >Hold… <KeyCap letter="H" class="ml-1"
            /></v-btn>
            <v-btn v-else size="small" @click="markShown('take up')">Take it up again</v-btn>
            <v-btn size="small" @click="holding = 'drop'">Drop…</v-btn>
          </div>
          <div v-else-if="mayRelease && shown.gone?.mail" class="tools">
            <template v-if="shown.gone.mail.state === 'uncertain'">
              <span class="look">It may have left: its server did not say.</span>
              <v-btn size="small" @click="settle('sent')">It arrived</v-btn>
              <v-btn size="small" @click="settle('send again')">Send it again</v-btn>
            </template>
            <v-btn v-if="shown.gone.mail.state === 'returned'" size="small" @click="sendAgain"
              >Send it again…</v-btn
            >
            <v-btn v-if="shown.way === 'email'" size="small" @click="postInstead">Post it too</v-btn>
          </div>
          <div v-else-if="may && shown.state === 'dropped'" class="tools">
            <v-btn size="small" @click="markShown('take up')">Take it up again</v-btn>
          </div>
        </div>
        <Look
          v-if="shown.pdf"
          :page="`/pieces/${shown.id}?v=${shown.version}`"
          :content="`/pieces/${shown.id}/content?v=${shown.version}`"
          look="pdf"
          :filename="`The piece for ${shown.client}`"
        />
        <p v-else class="quiet none">
          <template v-if="shown.docx">
            There is no PDF of it to be shown.
            <a :href="`/api/pieces/${shown.id}/content?as=docx`" download>Save it as .docx</a>
          </template>
          <template v-else>{{
            shown.state === 'waiting' ? 'It is being made.' : 'There is no page to show.'
          }}</template>
        </p>
      </section>
    </div>
    <AgainDialog v-model="again" @changed="load" />
    <PieceDialog v-if="mending !== null" :id="mending" @close="mending = null" @changed="load" />
    <AskDialog
      v-model="asksWhy"
      :label="holding === 'drop' ? 'Drop this piece' : 'Put it on hold'"
      :max-width="440"
    >
      <p class="mb-2">
        {{
          holding === 'drop'
            ? `${shown?.client} gets nothing of this run. It can be taken up again.`
            : 'It stays on the desk, and goes with none of the others.'
        }}
      </p>
      <v-text-field v-model="why" label="Why" maxlength="300" autofocus @keydown.enter="hold" />
      <template #answers>
        <v-btn @click="holding = null">Leave it</v-btn>
        <v-btn color="primary" variant="flat" @click="hold">{{
          holding === 'drop' ? 'Drop it' : 'Hold it'
        }}</v-btn>
      </template>
    </AskDialog>
    <AskDialog v-model="asks" label="Release" :max-width="480">
      <p v-if="releasing">
        <strong>{{ many(ready[releasing], KINDS[run.kind].one) }}</strong> will go, each the way it says:
        emails at once, post into the next print pack. Each is laid on its client’s file. What has gone cannot
        be called back.
      </p>
      <p v-if="counts.wrong" class="mt-2">
        {{ many(counts.wrong, 'piece') }} with something to settle stay here.
      </p>
      <template #answers>
        <v-btn @click="releasing = null">Not yet</v-btn>
        <v-btn color="primary" variant="flat" :loading="busy" @click="release">Release</v-btn>
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.desk {
  display: flex;
  flex-direction: column;
  flex: 1;
  min-height: 0;
}
.head {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  gap: 8px 16px;
  margin-bottom: 12px;
}
.acts,
.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
}
.said {
  padding: 4px 12px;
  margin-bottom: 8px;
  border: 1px solid var(--hairline);
  background: var(--sheet);
}
.two {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 330px minmax(0, 1fr);
  gap: 18px;
}
.list :deep(.pager) {
  flex-wrap: wrap;
}
.list,
.piece {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.shows {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 6px;
  margin-bottom: 6px;
}
.part {
  padding: 1px 4px;
  color: var(--ink-soft);
  font-size: 13px;
}
.part.on {
  color: var(--spruce);
  font-weight: 700;
  box-shadow: 0 2px 0 -1px var(--spruce);
}
.count {
  margin-left: 5px;
}
.narrow {
  display: flex;
  align-items: center;
  gap: 10px;
  margin-bottom: 8px;
}
.find {
  flex: 1;
}
.pieces {
  list-style: none;
  margin: 0;
  padding: 0;
  overflow: auto;
  min-height: 0;
  flex: 1;
}
.pieces li {
  border-bottom: 1px solid var(--hairline);
}
.pieces li.on {
  background: var(--page);
  box-shadow: inset 3px 0 0 var(--spruce);
}
.row {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0 10px;
  width: 100%;
  padding: 7px 12px;
  font-size: 13px;
  text-align: left;
}
.row strong {
  font-size: 14px;
}
.state {
  text-align: right;
}
.good {
  color: var(--spruce);
}
.whole {
  grid-column: 1 / -1;
}
.look {
  color: var(--ochre);
}
.clip {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.about {
  display: flex;
  flex-direction: column;
  gap: 8px;
  margin-bottom: 10px;
}
.who {
  overflow-wrap: anywhere;
}
.way {
  flex: 0 0 170px;
}
.none {
  padding: 14px;
}
@media (max-width: 1000px) {
  .two {
    grid-template-columns: 230px minmax(0, 1fr);
  }
}
</style>
