<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { computed, onMounted, ref, watch } from 'vue';
import {
  LedgerPage,
  type Change,
  type ClientView,
  type LedgerEntry,
  type LedgerPart,
} from '../../contract/index.ts';
import { act, get, wordsOf } from '../api.ts';
import { useLive } from '../ui/live.ts';
import MessageDialog from '../message/MessageDialog.vue';
import FileTab from '../parts/FileTab.vue';
import KeyCap from '../parts/KeyCap.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import EntryDialog from '../timeline/EntryDialog.vue';
import EntryLine from '../timeline/EntryLine.vue';
import { useFares } from '../collection/words.ts';
import { faresWords } from '../textmessage/words.ts';
import { useKeys } from '../ui/keys.ts';
import { useLatest } from '../ui/latest.ts';
import { many, useTimes } from '../words.ts';

/** A client's correspondence: received on the left page, sent on the right, dates down the spine. */
const props = defineProps<{
  client: ClientView;
  fileId: number | null;
  /** A note, call or meeting to begin with. */
  entryId: number | null;
  /** Whether a change is about one of the client's files. */
  onFiles: (change: Change) => boolean;
}>();
const emit = defineEmits<{ text: [to: { number: string }] }>();
const LIMIT = 40;
const { day, clock } = useTimes();
const entries = ref<LedgerEntry[]>([]);
const unfiled = ref<LedgerPage['unfiled']>([]);
const total = ref(0);
const words = ref('');
const { entryWords } = useFares();
const { ask, problem } = useLatest();
const loaded = ref(false);
const opened = ref<number | null>(null);
const session = useSession();
const may = computed(() => session.may('keep the timeline'));
const PARTS: { value: LedgerPart | null; title: string }[] = [
  { value: null, title: 'All' },
  { value: 'message', title: 'Messages' },
  { value: 'paper', title: 'Posted' },
  { value: 'text', title: 'Texts' },
  { value: 'page', title: 'Their page' },
  { value: 'note', title: 'Notes' },
  { value: 'call', title: 'Calls' },
  { value: 'meeting', title: 'Meetings' },
];
const only = ref<LedgerPart | null>(null);
const shown = ref<number | 'new' | null>(null);
onMounted(() => (shown.value = props.entryId));
useKeys({ n: () => (shown.value = 'new') }, { unless: () => !may.value || opened.value !== null });
/** What was taken away just now. */
const removed = ref<number | null>(null);
const trouble = ref('');
async function restore() {
  try {
    await act('POST', `/timeline/${removed.value}/restore`);
    removed.value = null;
    trouble.value = '';
    await load();
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}

async function load(more = false) {
  const query = {
    offset: more ? entries.value.length : 0,
    limit: more ? LIMIT : Math.min(200, Math.max(LIMIT, entries.value.length)),
    fileId: props.fileId,
    q: words.value,
    only: only.value,
  };
  const page = await ask(() => get(LedgerPage, `/clients/${props.client.id}/ledger`, query));
  loaded.value = true;
  if (!page) return;
  entries.value = more ? [...entries.value, ...page.entries] : page.entries;
  total.value = page.total;
  unfiled.value = page.unfiled;
}
void load();
useLive({ mail: props.onFiles, timeline: props.onFiles, sorting: true }, () => void load());
watch(
  () => [props.fileId, only.value],
  () => {
    entries.value = [];
    void load();
  },
);
watch(
  words,
  useDebounceFn(() => void load(), 150),
);

/** Entries by day, newest first. */
const days = computed(() => {
  const groups: { day: string; items: LedgerEntry[] }[] = [];
  for (const entry of entries.value) {
    const last = groups.at(-1);
    if (last?.day === day(entry.at)) last.items.push(entry);
    else groups.push({ day: day(entry.at), items: [entry] });
  }
  return groups;
});
function second(entry: Extract<LedgerEntry, { kind: 'message' }>): string {
  if (entry.mailing) return `Mailing to ${many(entry.mailing.recipients, 'client')}`;
  const parts = [`${entry.from} to ${entry.to}`];
  if (entry.enclosures) parts.push(many(entry.enclosures, 'enclosure'));
  if (entry.automatic === 'report') parts.push('a delivery report');
  if (entry.automatic === 'reply') parts.push('an automatic answer');
  return parts.join(' · ');
}
</script>

<template>
  <section class="sheet ledger" aria-label="Ledger">
    <header class="pages">
      <h2 class="received">Received</h2>
      <input
        v-model="words"
        type="search"
        aria-label="Search the ledger"
        placeholder="Search subjects, people and first words"
      />
      <h2 class="sent">Sent</h2>
    </header>
    <div class="parts">
      <span role="group" aria-label="What is shown">
        <button
          v-for="part in PARTS"
          :key="part.title"
          type="button"
          class="plain part"
          :class="{ on: only === part.value }"
          :aria-pressed="only === part.value"
          @click="only = part.value"
        >
          {{ part.title }}
        </button>
      </span>
      <span v-if="may">
        <button type="button" class="link" @click="shown = 'new'">Write down a note, call or meeting</button>
        <KeyCap letter="N" class="ml-2" />
      </span>
    </div>
    <p v-if="removed !== null" class="removed" role="status">
      Taken away. <button type="button" class="link" @click="restore">Bring it back</button>
    </p>
    <div class="scroll" tabindex="0" role="region" aria-label="Correspondence">
      <Trouble :words="problem || trouble" :retry="() => load()" class="ma-3" />
      <p v-if="loaded && !days.length && !problem" class="quiet pa-6 none">
        {{
          words || only
            ? 'Nothing here fits what is asked for.'
            : 'Nothing has been written or received yet. Messages appear here as they are filed.'
        }}
      </p>
      <div v-if="unfiled.length" class="unfiled">
        <strong>{{ many(unfiled.length, 'message') }} with these people not on a file yet</strong>
        <button v-for="row in unfiled" :key="row.id" type="button" class="plain row" @click="opened = row.id">
          <span class="quiet figures">{{ day(row.at) }}</span>
          <span class="clip">{{ row.from }}: {{ row.subject }}</span>
          <FileTab state="none" />
        </button>
      </div>
      <div v-for="group in days" :key="group.day">
        <div class="spine">
          <span class="day figures">{{ group.day }}</span>
        </div>
        <template v-for="entry in group.items" :key="`${entry.kind} ${entry.id}`">
          <div v-if="entry.kind === 'message'" class="line">
            <button
              type="button"
              class="plain entry"
              :class="entry.direction === 'received' ? 'left edge-received' : 'right edge-sent'"
              @click="opened = entry.id"
            >
              <strong :class="entry.direction">{{ entry.subject || '(no subject)' }}</strong>
              <span class="quiet clip">{{ second(entry) }}</span>
              <span class="quiet clip">{{ entry.snippet }}</span>
              <span v-if="entry.differs" class="needs clip"
                >in the Sent folder it is different: {{ entry.differs }}</span
              >
              <span class="tabs"
                ><span v-if="entry.waits" class="owe">{{ entry.waits === 'we' ? 'we owe' : 'they owe' }}</span
                ><FileTab v-for="file in entry.files" :key="file.id" state="logged" :label="file.number"
              /></span>
            </button>
            <span class="time figures quiet">{{ clock(entry.at) }}</span>
          </div>
          <div v-else-if="entry.kind === 'paper'" class="line">
            <router-link
              class="plain entry right edge-sent paper"
              :to="entry.documentId ? `/clients/${client.id}?show=documents` : `/paperwork/${entry.runId}`"
            >
              <strong class="sent">{{ entry.name }}</strong>
              <span class="quiet clip">posted to {{ entry.to }} by {{ entry.by }}</span>
              <span class="quiet clip">{{ many(entry.pages, 'page') }} on paper</span>
              <span class="tabs"
                ><FileTab v-for="file in entry.files" :key="file.id" state="logged" :label="file.number"
              /></span>
            </router-link>
            <span class="time figures quiet">{{ clock(entry.at) }}</span>
          </div>
          <div v-else-if="entry.kind === 'text'" class="line">
            <div
              class="entry text"
              :class="entry.text.direction === 'received' ? 'left edge-received' : 'right edge-sent'"
            >
              <strong :class="entry.text.direction">{{ entry.text.text }}</strong>
              <span class="quiet clip"
                >text message {{ entry.text.direction === 'received' ? 'from' : 'to' }}
                {{ entry.text.person || entry.text.number
                }}{{ entry.text.by ? ` by ${entry.text.by}` : '' }}</span
              >
              <span class="quiet clip" :class="{ needs: entry.text.state === 'failed' }">{{
                faresWords(entry.text)
              }}</span>
              <span class="tabs"
                ><span v-if="entry.text.waits" class="owe">we owe</span
                ><FileTab
                  v-for="file in entry.text.files"
                  :key="file.id"
                  state="logged"
                  :label="file.number"
                /><button
                  v-if="entry.text.direction === 'received'"
                  type="button"
                  class="link"
                  @click="emit('text', { number: entry.text.number })"
                >
                  answer
                </button></span
              >
            </div>
            <span class="time figures quiet">{{ clock(entry.at) }}</span>
          </div>
          <div v-else-if="entry.kind === 'page'" class="line">
            <router-link
              class="plain entry paper"
              :class="entry.page.kind === 'laid out' ? 'right edge-sent' : 'left edge-received'"
              :to="`/clients/${client.id}?show=${entry.page.kind === 'came' ? 'documents' : 'page'}`"
            >
              <strong :class="entry.page.kind === 'laid out' ? 'sent' : 'received'">{{
                entry.page.words
              }}</strong>
              <span class="quiet clip">{{ entryWords(entry.page) }}</span>
              <span class="tabs"
                ><span v-if="entry.page.waits" class="owe">we owe</span
                ><FileTab v-for="file in entry.page.files" :key="file.id" state="logged" :label="file.number"
              /></span>
            </router-link>
            <span class="time figures quiet">{{ clock(entry.at) }}</span>
          </div>
          <EntryLine
            v-else
            :entry="entry.entry"
            :may="may"
            @open="shown = entry.id"
            @message="opened = $event"
          />
        </template>
      </div>
      <p v-if="entries.length < total" class="more">
        <v-btn size="small" @click="load(true)"
          >Show earlier ones ({{ (total - entries.length).toLocaleString('en-GB') }} more)</v-btn
        >
      </p>
    </div>
    <MessageDialog v-model="opened" @changed="load()" />
    <EntryDialog
      v-model="shown"
      :files="client.files"
      :file-id="fileId"
      :people="client.people"
      @changed="load()"
      @removed="
        removed = $event;
        load();
      "
    />
  </section>
</template>

<style scoped>
.unfiled {
  padding: 8px 14px;
  border-bottom: 1px solid var(--hairline);
  background: var(--page);
  color: var(--ochre);
  font-size: 13px;
}
.unfiled .row {
  display: grid;
  grid-template-columns: 70px minmax(0, 1fr) auto;
  gap: 8px;
  width: 100%;
  color: var(--ink);
  padding: 3px 0;
}
.owe {
  color: var(--ochre);
  font-size: 13px;
  margin-right: 8px;
}
.ledger {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.pages {
  display: grid;
  grid-template-columns: 1fr minmax(180px, 300px) 1fr;
  align-items: center;
  padding: 6px 14px;
  border-bottom: 1px solid var(--strong);
}
.pages h2 {
  font: 700 15px/1.4 var(--sans);
}
.pages input {
  font: inherit;
  font-size: 13px;
  text-align: center;
  border: 0;
  border-bottom: 1px solid var(--strong);
  padding: 3px;
}
.pages input::placeholder {
  color: var(--ink-soft);
  opacity: 1;
}
.received {
  color: var(--indigo);
}
.sent,
.internal {
  color: var(--spruce);
}
.pages .sent {
  text-align: right;
}
.scroll {
  overflow: auto;
  min-height: 0;
  padding: 6px 12px 14px;
  background:
    linear-gradient(var(--hairline), var(--hairline)) calc(50% - 29px) 0 / 1px 100% no-repeat local,
    linear-gradient(var(--hairline), var(--hairline)) calc(50% + 29px) 0 / 1px 100% no-repeat local;
}
.none {
  text-align: center;
  background: var(--sheet);
}
.spine {
  text-align: center;
  margin: 4px 0 8px;
}
.day {
  display: inline-block;
  min-width: 74px;
  padding: 1px 8px;
  background: var(--rail);
  border: 1px solid var(--hairline);
  font: 700 12px/18px var(--sans);
}
.line {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 58px minmax(0, 1fr);
  margin-bottom: 10px;
}
.time {
  grid-area: 1 / 2;
  text-align: center;
  padding-top: 8px;
}
.entry {
  grid-row: 1;
  display: block;
  border: 1px solid var(--hairline);
  background: var(--sheet);
  padding: 7px 10px 0;
  min-width: 0;
}
.paper {
  color: var(--ink);
  text-decoration: none;
}
.entry:hover {
  background: var(--page);
}
.left {
  grid-column: 1;
  border-left: 4px double var(--indigo);
}
.right {
  grid-column: 3;
  border-right: 4px double var(--spruce);
}
.entry strong {
  display: block;
  overflow-wrap: anywhere;
}
.clip {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.tabs {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 4px;
}
.more {
  text-align: center;
}
.parts {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 2px 14px;
  padding: 3px 14px;
  border-bottom: 1px solid var(--hairline);
  font-size: 13px;
}
.part {
  padding: 1px 6px;
  color: var(--ink-soft);
}
.part.on {
  color: var(--spruce);
  font-weight: 700;
  box-shadow: 0 2px 0 -1px var(--spruce);
}
.removed {
  padding: 4px 14px;
  background: var(--page);
  border-bottom: 1px solid var(--hairline);
  font-size: 13px;
}
</style>
