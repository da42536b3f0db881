<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { z } from 'zod';
import { MailingSender, Recipients } from '../../contract/index.ts';
import { explain } from '../../core/selection/explain.ts';
import { selectionOf, type Selection, type Subject } from '../../core/selection/tree.ts';
import { send } from '../api.ts';
import FileTab from '../parts/FileTab.vue';
import Trouble from '../parts/Trouble.vue';
import { useChoices } from '../register/register.ts';
import { useCatalogue } from '../selection/catalogue.ts';
import OpenKept from '../selection/OpenKept.vue';
import SelectionColumn from '../selection/SelectionColumn.vue';
import PagedTable from '../ui/PagedTable.vue';
import { useLatest } from '../ui/latest.ts';
import { useLoad } from '../ui/load.ts';
import { LATER, useLive } from '../ui/live.ts';
import { many } from '../words.ts';
import { useSession } from '../session.ts';
import { useMailingDraft } from './mailingDraft.ts';

const emit = defineEmits<{ ticked: [count: number] }>();
const LIMIT = 100;
const editing = useMailingDraft();
const catalogue = useCatalogue();
const session = useSession();
const found = ref<Recipients | null>(null);
const offset = ref(0);
const opened = ref<string | null>(null);
const { choices } = useChoices();

const { ask, asking: counting, problem } = useLatest();
async function load() {
  if (!editing.draft || !editing.mailing) return;
  const { channel, selection, topicId, senderId, eachOf, roles, colleagues, fileChoice } = editing.draft;
  const body = {
    ...{
      mailingId: editing.mailing.id,
      channel,
      selection,
      topicId,
      senderId,
      eachOf,
      roles,
      colleagues,
      fileChoice,
    },
    ...{ offset: offset.value, limit: LIMIT },
  };
  const answer = await ask(() => send('POST', Recipients, '/mailings/recipients', body));
  if (!answer) return;
  found.value = answer;
  emit('ticked', answer.ticked);
}
const soon = useDebounceFn(load, 180);
watch(
  () => [
    editing.draft?.selection.of,
    editing.draft?.selection.past,
    editing.draft?.fileChoice,
    editing.draft?.eachOf,
    editing.draft?.roles,
  ],
  () => {
    offset.value = 0;
    void soon();
  },
  { deep: true },
);
watch(
  () => [
    editing.draft?.selection.removed,
    editing.draft?.selection.added,
    editing.draft?.topicId,
    editing.draft?.senderId,
    editing.draft?.colleagues,
    editing.draft?.channel,
  ],
  () => void soon(),
  { deep: true },
);
void load();
useLive({ records: true }, () => void load(), LATER);

const columns = computed(() =>
  ['In', toColleagues.value ? 'Colleague' : 'Client', 'Greeting will read', 'From', 'Logged on'].map(
    (words) => ({ words }),
  ),
);
const staffIds = computed(() => (session.session?.colleagues ?? []).map(({ id }) => id));
function tick(picks: readonly number[], on: boolean) {
  if (!editing.draft) return;
  const { colleagues } = editing.draft;
  if (colleagues !== null) {
    const rest = (colleagues === 'all' ? staffIds.value : colleagues).filter((id) => !picks.includes(id));
    const now = on ? [...rest, ...picks] : rest;
    editing.draft.colleagues = staffIds.value.every((id) => now.includes(id)) ? 'all' : now;
    return;
  }
  const { selection } = editing.draft;
  const others = selection.removed.filter((id) => !picks.includes(id));
  selection.removed = on ? others : [...others, ...picks];
}
/** What is picked: lines about something else begin anew, and can be had back. */
const subject = computed(() => editing.draft?.selection.subject ?? 'client');
const toColleagues = computed(() => Boolean(editing.draft?.colleagues));
const picked = computed({
  get: () => (toColleagues.value ? 'colleague' : subject.value),
  set: (now: Subject | 'colleague') => {
    if (!editing.draft) return;
    editing.draft.colleagues = now === 'colleague' ? 'all' : null;
    if (now !== 'colleague' && now !== subject.value) begin({ ...selectionOf(), subject: now, past: false });
  },
});
const SUBJECTS = [
  { value: 'client', title: 'clients' },
  { value: 'person', title: 'people' },
  { value: 'file', title: 'files' },
  { value: 'colleague', title: 'colleagues' },
];
/** The lines that another selection took the place of. */
const before = ref<Selection | null>(null);
function begin(selection: Selection) {
  if (!editing.draft) return;
  before.value = editing.draft.selection;
  editing.draft.selection = selection;
}
function takeBack() {
  if (editing.draft && before.value) editing.draft.selection = before.value;
  before.value = null;
}
watch(offset, () => void load());
const EACH = [
  { value: 'client', title: 'one person of each client' },
  { value: 'household', title: 'one person of each household' },
  { value: 'person', title: 'each person who takes mailings' },
];
const { data: senders } = useLoad(z.array(MailingSender), () => '/mailings/senders');
const mailboxes = computed(() =>
  (senders.value ?? []).map(({ id: value, name, address }) => ({ value, title: `${name}, ${address}` })),
);
const from = computed(() => [
  {
    value: null,
    title: toColleagues.value ? 'whoever wrote the mailing' : 'each client’s own adviser',
  },
  ...mailboxes.value,
]);
const answers = computed(() => [{ value: null, title: 'whoever it comes from' }, ...mailboxes.value]);
const FILES = computed(() => [
  { value: 'general', title: 'their General file' },
  {
    value: 'latest',
    title: subject.value === 'file' ? 'the file it was picked by' : 'their newest open file, else General',
  },
  { value: 'private', title: 'none: private to sender and releaser' },
  { value: 'nowhere', title: 'none: it is not logged' },
]);
</script>

<template>
  <div v-if="editing.draft" class="recipients">
    <section class="who" aria-labelledby="who">
      <div class="line">
        <h2 id="who">Who should have this</h2>
        <OpenKept v-if="!toColleagues" :subject="subject" @open="begin" />
        <button v-if="before && !toColleagues" type="button" class="link" @click="takeBack">
          the lines as they were
        </button>
      </div>
      <v-select v-model="picked" :items="SUBJECTS" label="Picked are" class="mt-2 mb-3" />
      <p v-if="toColleagues" class="quiet">
        {{
          editing.draft.colleagues === 'all'
            ? 'All who are here, and whoever joins before it is released. Take a tick away to leave somebody out.'
            : 'Those who are ticked.'
        }}
        It is logged on no file.
        <button
          v-if="editing.draft.colleagues !== 'all'"
          type="button"
          class="link"
          @click="editing.draft.colleagues = 'all'"
        >
          all of them
        </button>
      </p>
      <SelectionColumn v-else :key="subject" v-model="editing.draft.selection" />
      <p v-if="found?.ofNobody" class="quiet mt-2">
        {{ many(found.ofNobody, 'person', 'people') }} of no client
        {{ found.ofNobody === 1 ? 'is' : 'are' }} not written to: a mailing reaches clients.
      </p>
      <v-autocomplete
        v-if="subject === 'file' && !toColleagues"
        v-model="editing.draft.roles"
        :items="choices?.roles ?? []"
        label="To their people who are"
        placeholder="whoever takes mailings for the client"
        persistent-placeholder
        multiple
        chips
        closable-chips
        class="mt-4"
      />
      <v-select
        v-if="!toColleagues"
        v-model="editing.draft.topicId"
        :items="choices?.topics ?? []"
        item-title="name"
        item-value="id"
        label="What it is about"
        placeholder="nothing they could have opted out of"
        persistent-placeholder
        clearable
        class="mt-4"
      />
      <v-select
        v-if="!toColleagues"
        v-model="editing.draft.fileChoice"
        :items="FILES"
        label="Each copy is logged on"
        class="mt-4"
      />
      <v-select
        v-if="subject !== 'person' && !toColleagues"
        v-model="editing.draft.eachOf"
        :items="EACH"
        label="A copy goes to"
        class="mt-4"
      />
      <template v-if="editing.draft.channel === 'email' || toColleagues">
        <v-select v-model="editing.draft.senderId" :items="from" label="It comes from" class="mt-4" />
        <v-select v-model="editing.draft.answersId" :items="answers" label="Answers go to" class="mt-4" />
      </template>
      <p v-else class="quiet mt-4">It goes as a text message, to numbers whose owner has agreed to that.</p>
      <h2 class="mt-5 mb-2">Left out, and why</h2>
      <p v-if="found && !found.leftOut.length" class="quiet">Nobody is left out.</p>
      <div v-for="group in found?.leftOut ?? []" :key="group.why" class="left-out">
        <button
          type="button"
          class="plain line"
          :aria-expanded="opened === group.why"
          @click="opened = opened === group.why ? null : group.why"
        >
          <span
            ><strong class="figures needs">{{ group.clients.length }}</strong> {{ group.why }}</span
          ><span class="link">{{ opened === group.why ? 'hide' : 'who' }}</span>
        </button>
        <ul v-if="opened === group.why">
          <li v-for="(client, at) in group.clients.slice(0, 200)" :key="at">
            <router-link :to="`/clients/${client.id}`">{{ client.name }}</router-link>
            <span class="quiet">{{ client.detail }}</span>
            <button
              v-if="group.why === 'taken out by hand'"
              type="button"
              class="link"
              @click="tick(client.picks, true)"
            >
              put back
            </button>
          </li>
        </ul>
      </div>
    </section>
    <section class="sheet list" aria-labelledby="recipients">
      <div class="line pa-3">
        <h2 id="recipients">
          {{
            found
              ? `${found.ticked.toLocaleString('en-GB')} ${found.ticked === 1 ? 'recipient' : 'recipients'}`
              : 'Counting …'
          }}
        </h2>
        <span class="quiet" role="status">{{ counting && found ? 'counting …' : '' }}</span>
      </div>
      <Trouble :words="problem" :retry="load" class="ma-3" />
      <PagedTable
        v-model:offset="offset"
        bare
        class="px-3 pb-2"
        :columns="columns"
        :rows="found?.rows ?? []"
        :row-key="(row) => row.key"
        :row-class="(row) => ({ out: !row.ticked })"
        :total="found?.total ?? 0"
        :limit="LIMIT"
        what="recipients"
      >
        <template #row="{ row }">
          <td>
            <input
              type="checkbox"
              :checked="row.ticked"
              :aria-label="`${subject === 'person' ? `${row.to}, ${row.client},` : row.client} receives this`"
              @change="tick(row.picks, ($event.target as HTMLInputElement).checked)"
            />
          </td>
          <td>
            <strong>{{ row.client }}</strong><span class="quiet address" :title="row.address">{{
              subject === 'client' || toColleagues ? row.address : `${row.to}, ${row.address}`
            }}</span>
          </td>
          <td>
            <span v-if="row.greeting">{{ row.greeting }}</span><strong v-else class="needs"
              >(no first name)</strong
            >
          </td>
          <td class="from">{{ row.from }}</td>
          <td>
            <FileTab v-if="row.file" state="logged" :label="row.file.number" :title="row.file.title" />
            <span v-else class="quiet">none</span>
          </td>
        </template>
        <template #empty>
          <p v-if="found" class="quiet pa-4">
            {{
              toColleagues
                ? 'There is no verified mailbox to send it from. Connect yours, or choose another below.'
                : `Nobody is left to write to: ${explain(editing.draft.selection, catalogue.facts)} Take a line away or widen it.`
            }}
          </p>
        </template>
      </PagedTable>
    </section>
  </div>
</template>

<style scoped>
.recipients {
  display: grid;
  grid-template-columns: 440px minmax(0, 1fr);
  gap: 18px;
}
.who {
  overflow: auto;
  min-height: 0;
}
.list {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.line {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 12px;
  width: 100%;
}
.who > .line {
  margin-bottom: 8px;
}
.from {
  min-width: 72px;
}
.address {
  display: block;
  max-width: 230px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.left-out {
  border-bottom: 1px solid var(--hairline);
  padding: 5px 0;
}
.left-out ul {
  padding-left: 20px;
  margin: 4px 0;
}
.left-out strong {
  display: inline-block;
  min-width: 30px;
}
.list :deep(.out) {
  color: var(--ink-soft);
}
.list :deep(.out strong) {
  text-decoration: line-through;
}
@media (max-width: 1100px) {
  .recipients {
    grid-template-columns: 320px minmax(0, 1fr);
  }
}
@media (max-width: 1000px) {
  .recipients {
    grid-template-columns: 270px minmax(0, 1fr);
    gap: 10px;
  }
  .address {
    max-width: 110px;
  }
}
</style>
