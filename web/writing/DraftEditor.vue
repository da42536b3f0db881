<script setup lang="ts">
import { useEventListener } from '@vueuse/core';
import { DateTime } from 'luxon';
import { computed, onBeforeUnmount, ref } from 'vue';
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router';
import { z } from 'zod';
import { Fact, FileDocument, ShownMailbox, Wording, type FileRef } from '../../contract/index.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { act, get, wordsOf } from '../api.ts';
import FileFinder from '../parts/FileFinder.vue';
import FormatBar from '../parts/FormatBar.vue';
import FileTab from '../parts/FileTab.vue';
import KeyCap from '../parts/KeyCap.vue';
import Trouble from '../parts/Trouble.vue';
import Writer from '../parts/Writer.vue';
import { useSession } from '../session.ts';
import { size, useTimes } from '../words.ts';
import { useDraft } from './draft.ts';
import People from './People.vue';

/** The desk on which one message is written. */
const route = useRoute();
const router = useRouter();
const session = useSession();
const { clock, full, brief } = useTimes();
const id = Number(route.params.id);
const apart = route.name === 'letter apart';
const desk = useDraft(id);
const { letter, people, subject, body, quoted, plain, mailboxId, files, problem, sent, open } = desk;
const boxes = ref<ShownMailbox[]>([]);
const facts = ref<Fact[]>([]);
const wordings = ref<Wording[]>([]);
const documents = ref<FileDocument[] | null>(null);
const copies = ref(false);
const hidden = ref(false);
const finding = ref(false);
const picking = ref<'documents' | 'later' | 'wording' | 'no subject' | null>(null);
const keepAs = ref('');
const dragging = ref(false);
const showQuoted = ref(false);
let popped = false;
const later = ref('');
const now = ref(Date.now());
const writer = ref<InstanceType<typeof Writer> | null>(null);
const picker = ref<HTMLInputElement | null>(null);
const tick = setInterval(() => (now.value = Date.now()), 500);
/** Once on its way, how it fares is asked for until that is known. */
const follow = setInterval(() => {
  const { value } = letter;
  if (value && !open.value && !secondsLeft.value && !['sent', 'returned', 'uncertain'].includes(value.state))
    void desk.load();
}, 1500);
onBeforeUnmount(() => {
  clearInterval(tick);
  clearInterval(follow);
  // A page on which nothing was written is not kept.
  if (desk.untouched() && !apart && !popped) void desk.throwAway();
  else void desk.save();
});

// What could not be kept is not left behind without a word.
onBeforeRouteLeave(async () => {
  await desk.save();
  return (
    !desk.unsaved.value ||
    window.confirm('What you typed last could not be kept. Leave this page all the same, and lose it?')
  );
});

const fileId = computed(() => files.value[0]?.id ?? null);
const fromBoxes = computed(() => boxes.value.filter((box) => box.mayWrite));
const offered = computed(() =>
  (letter.value?.fittingFiles ?? []).filter((file) => !files.value.some((each) => each.id === file.id)),
);
const secondsLeft = computed(() =>
  sent.value ? Math.max(0, Math.ceil((Date.parse(sent.value.leavesAt) - now.value) / 1000)) : 0,
);
const keptForLater = computed(
  () => letter.value?.state === 'waiting' && Date.parse(letter.value.sendAt ?? '') - now.value > 15_000,
);

async function begin() {
  await desk.load();
  copies.value = people.value.cc.length > 0;
  hidden.value = people.value.bcc.length > 0;
  try {
    boxes.value = await get(z.array(ShownMailbox), '/mail/boxes');
    await readFile();
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
void begin();
/** Facts and wordings are those of the file the message will be on. */
async function readFile() {
  [facts.value, wordings.value] = await Promise.all([
    get(z.array(Fact), '/facts', { file: fileId.value }),
    get(z.array(Wording), '/wordings', { file: fileId.value }),
  ]);
}
async function setFiles(chosen: FileRef[]) {
  files.value = chosen;
  documents.value = null;
  try {
    await readFile();
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
const insert = (content: DocNode['content'] | string) =>
  writer.value?.editor
    ?.chain()
    .focus()
    .insertContent(content ?? '')
    .run();
function useWording(wording: Wording) {
  if (wording.kind === 'template' && wording.subject && !subject.value) subject.value = wording.subject;
  insert((wording.body as DocNode).content ?? []);
}
async function keepWording(kind: 'paragraph' | 'template') {
  try {
    await act('POST', '/wordings', { kind, name: keepAs.value, subject: subject.value, body: body.value });
    keepAs.value = '';
    picking.value = null;
    await readFile();
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
async function dropWording(wording: Wording) {
  try {
    await act('DELETE', `/wordings/${wording.id}`);
    await readFile();
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
async function openDocuments() {
  picking.value = 'documents';
  if (!fileId.value) return;
  try {
    documents.value = await get(z.array(FileDocument), `/files/${fileId.value}/documents`);
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
async function encloseAll(list: FileList | null | undefined) {
  for (const file of Array.from(list ?? [])) await desk.enclose(file);
}
function drop(event: DragEvent) {
  dragging.value = false;
  void encloseAll(event.dataTransfer?.files);
}
async function send(anyway = false) {
  if (!subject.value.trim() && !anyway) {
    picking.value = 'no subject';
    return;
  }
  picking.value = null;
  if (await desk.dispatch(null)) if (apart) setTimeout(() => window.close(), 11_000);
}
function openLater() {
  const morning = DateTime.now().setZone(session.zone).plus({ days: 1 }).set({ hour: 8, minute: 30 });
  later.value = morning.toFormat("yyyy-MM-dd'T'HH:mm");
  picking.value = 'later';
}
async function sendLater() {
  const at = DateTime.fromISO(later.value, { zone: session.zone });
  if (!at.isValid) return;
  picking.value = null;
  if (await desk.dispatch(at.toUTC().toISO())) await desk.load();
}
async function throwAway() {
  if (!(await desk.throwAway())) return;
  if (apart) window.close();
  else await router.push({ name: 'writing', query: { thrown: id } });
}
async function recall() {
  await desk.recall();
}
async function popOut() {
  await desk.save();
  popped = true;
  window.open(`/letter/${id}`, `letter ${id}`, 'width=860,height=760');
  await router.push('/writing');
}
useEventListener(document, 'keydown', (event: KeyboardEvent) => {
  if (event.key === 'Enter' && (event.ctrlKey || event.metaKey) && open.value && !picking.value) {
    event.preventDefault();
    void send();
  }
});
useEventListener(window, 'beforeunload', (event: BeforeUnloadEvent) => {
  if (desk.unsaved.value) event.preventDefault();
});
const saved = computed(() =>
  desk.saving.value || desk.unsaved.value
    ? 'keeping what you typed …'
    : letter.value
      ? `kept, ${clock(letter.value.savedAt)}`
      : '',
);
const heading = computed(
  () =>
    ({ new: 'Write', reply: 'Answer', all: 'Answer all', forward: 'Forward' })[letter.value?.how ?? 'new'],
);
</script>

<template>
  <div class="screen screen-fixed" :class="{ apart }">
    <header class="head mb-2">
      <div>
        <h1>{{ heading }}</h1>
        <p class="quiet" role="status">
          {{ [letter?.about?.words, open ? saved : ''].filter(Boolean).join(' · ') }}
        </p>
      </div>
      <div v-if="open" class="tools">
        <v-btn v-if="!apart" @click="popOut">Own window</v-btn>
        <v-btn @click="throwAway">Throw away</v-btn>
        <v-btn @click="openLater">Send later…</v-btn>
        <v-btn color="primary" variant="flat" @click="send()"
          >Send <KeyCap letter="Ctrl Enter" class="ml-2"
        /></v-btn>
      </div>
    </header>
    <Trouble :words="problem" class="mb-2" />
    <div v-if="letter && !open" class="sheet over pa-4">
      <template v-if="keptForLater">
        <p>
          <strong>Kept for later.</strong> It leaves
          {{ full(sent?.leavesAt ?? letter.sendAt ?? letter.savedAt) }}.
        </p>
        <v-btn class="mt-2" @click="recall">Take it back to change it</v-btn>
        <router-link v-if="!apart" to="/mail" class="ml-4">Back to the mail</router-link>
      </template>
      <template v-else-if="sent && secondsLeft">
        <p>
          <strong>On its way</strong> in {{ secondsLeft }} s, to
          {{ people.to.map((each) => each.name || each.email).join(', ') }}.
        </p>
        <v-btn class="mt-2" color="primary" @click="recall">Undo</v-btn>
      </template>
      <template v-else-if="letter.state === 'sent'">
        <p>
          <strong>Sent.</strong>
          {{
            files.length
              ? `It will be on ${files.map((file) => file.number).join(' and ')}`
              : 'Its file is found by what it says'
          }}
          within a moment, as the very bytes that left.
        </p>
        <p v-if="letter.problem" class="needs mt-2">{{ letter.problem }}</p>
        <div class="mt-2">
          <router-link v-if="files[0] && !apart" :to="`/clients/${files[0].clientId}`" class="mr-4">{{
            files[0].clientName
          }}</router-link>
          <router-link v-if="!apart" to="/mail">Back to the mail</router-link>
        </div>
      </template>
      <template v-else-if="letter.state === 'returned'">
        <p class="needs"><strong>It was refused.</strong> {{ letter.problem }}</p>
        <p class="quiet">Nothing was logged. Write again to another address, or ring.</p>
      </template>
      <template v-else>
        <p><strong>Leaving</strong> … {{ letter.problem ? `The server said: ${letter.problem}` : '' }}</p>
        <p v-if="letter.problem" class="quiet">It is tried again by itself.</p>
        <v-btn v-if="letter.problem" class="mt-2" @click="recall">Take it back to change it</v-btn>
      </template>
    </div>
    <p v-else-if="!letter && !problem" class="quiet">Opening …</p>
    <div v-if="letter && open" class="columns">
      <div
        class="sheet page edge-sent"
        :class="{ dragging }"
        @dragover.prevent="dragging = true"
        @dragleave.self="dragging = false"
        @drop.prevent="drop"
      >
        <div class="row">
          <label class="label quiet" for="from">From</label>
          <select id="from" v-model="mailboxId" class="from">
            <option v-if="!fromBoxes.length" :value="null">no mailbox you may write as</option>
            <option v-for="box in fromBoxes" :key="box.id" :value="box.id" :disabled="!box.verified">
              {{ box.name }} · {{ box.address }}{{ box.verified ? '' : ' (not verified)' }}
            </option>
          </select>
          <button v-if="!copies" type="button" class="link" @click="copies = true">copy to…</button>
          <button v-if="!hidden" type="button" class="link" @click="hidden = true">hidden copy…</button>
        </div>
        <People v-model="people.to" label="To" :file-id="fileId" :autofocus="!people.to.length" />
        <People v-if="copies" v-model="people.cc" label="Copy" :file-id="fileId" />
        <People v-if="hidden" v-model="people.bcc" label="Hidden" :file-id="fileId" />
        <div class="row">
          <label class="label quiet" for="subject">Subject</label>
          <input id="subject" v-model="subject" class="subject" maxlength="500" />
        </div>
        <FormatBar v-if="!plain" :editor="writer?.editor" />
        <div class="text">
          <Writer ref="writer" v-model="body" label="Message" :field-label="(key: string) => key" />
          <pre class="signature" aria-label="Your signature, put below by itself">{{ letter.signature }}</pre>
          <template v-if="quoted">
            <button type="button" class="plain quiet below" @click="showQuoted = !showQuoted">
              … {{ showQuoted ? 'hide' : 'show' }} what stands below
            </button>
            <button type="button" class="link below" @click="quoted = ''">leave it out</button>
            <pre v-if="showQuoted" class="signature">{{ quoted }}</pre>
          </template>
        </div>
        <ul v-if="letter.enclosures.length" class="enclosures" aria-label="Enclosures">
          <li v-for="enclosure in letter.enclosures" :key="enclosure.id">
            {{ enclosure.filename }} <span class="quiet figures">{{ size(enclosure.size) }}</span>
            <button
              type="button"
              class="plain off"
              :aria-label="`Take ${enclosure.filename} off`"
              @click="desk.takeOff(enclosure.id)"
            >
              ×
            </button>
          </li>
        </ul>
        <p v-if="dragging" class="drop">Let go to enclose it</p>
      </div>
      <aside class="side">
        <h2>Goes on file</h2>
        <div v-for="file in files" :key="file.id" class="mb-2">
          <FileTab state="logged" :label="file.number" />
          <button
            type="button"
            class="link ml-2"
            @click="setFiles(files.filter((each) => each.id !== file.id))"
          >
            take off
          </button>
          <br /><strong>{{ file.title }}</strong
          ><br /><span class="quiet">{{ file.clientName }}</span>
        </div>
        <p v-if="!files.length" class="quiet">
          No file chosen: it is found by what the message says, or asked for in Sorting.
        </p>
        <div v-if="offered.length" class="offers">
          <button
            v-for="file in offered"
            :key="file.id"
            type="button"
            class="plain"
            :title="`${file.title}, ${file.clientName}`"
            @click="setFiles(files.length ? [...files, file] : [file])"
          >
            <FileTab state="suggested" :label="`${file.number} ${file.title}`" />
          </button>
        </div>
        <v-btn size="small" class="mt-1" @click="finding = true">{{
          files.length ? 'Another file too…' : 'Choose a file…'
        }}</v-btn>

        <h2 class="mt-5">Put in</h2>
        <div class="offers">
          <button
            v-for="wording in wordings"
            :key="wording.id"
            type="button"
            class="plain choice"
            :title="wording.missing.length ? `Missing: ${wording.missing.join(', ')}` : wording.kind"
            @click="useWording(wording)"
          >
            {{ wording.name }}
            <span class="quiet">{{
              wording.missing.length ? `${wording.missing.length} missing` : wording.kind
            }}</span>
          </button>
          <button type="button" class="link" @click="picking = 'wording'">keep or drop wordings…</button>
        </div>
        <p v-if="facts.length" class="quiet mt-3">From the file</p>
        <div class="facts">
          <button
            v-for="fact in facts"
            :key="fact.key"
            type="button"
            class="plain fact"
            :title="fact.value"
            @click="insert(fact.value)"
          >
            {{ fact.label }}
          </button>
        </div>

        <h2 class="mt-5">Enclose</h2>
        <input
          ref="picker"
          type="file"
          multiple
          class="visually-hidden"
          aria-label="Files to enclose"
          tabindex="-1"
          @change="encloseAll(picker?.files)"
        />
        <div class="tools wrap">
          <v-btn size="small" @click="picker?.click()">From this computer…</v-btn>
          <v-btn size="small" :disabled="!fileId" @click="openDocuments">From the client…</v-btn>
        </div>
        <p class="quiet mt-1">or drag files onto the page</p>
        <label class="plain-text mt-4"
          ><input v-model="plain" type="checkbox" /> plain text only, without formatting</label
        >
      </aside>
    </div>
    <FileFinder
      v-model="finding"
      @choose="(file: FileRef) => setFiles([...files.filter((each) => each.id !== file.id), file])"
    />
    <v-dialog
      :model-value="picking !== null"
      :aria-label="picking ?? ''"
      @update:model-value="(on: boolean) => on || (picking = null)"
    >
      <v-card v-if="picking === 'documents'" class="pa-4">
        <h2 class="mb-2">The client’s documents</h2>
        <p v-if="documents === null" class="quiet">Looking …</p>
        <p v-else-if="!documents.length" class="quiet">
          Nothing has come or gone with a message on this client’s files.
        </p>
        <div class="scroll">
          <button
            v-for="each in documents ?? []"
            :key="`${each.messageId} ${each.index}`"
            type="button"
            class="plain choice"
            @click="desk.encloseFrom(each.messageId, each.index).then(() => (picking = null))"
          >
            <span
              >{{ each.filename }}<br /><span class="quiet">{{ each.from }}, {{ brief(each.at) }}</span></span
            >
            <span class="quiet figures">{{ size(each.size) }}</span>
          </button>
        </div>
        <div class="answers"><v-btn @click="picking = null">Close</v-btn></div>
      </v-card>
      <v-card v-else-if="picking === 'later'" class="pa-4">
        <h2 class="mb-2">Send later</h2>
        <label
          >It leaves on <input v-model="later" type="datetime-local" class="when" aria-label="When it leaves"
        /></label>
        <p class="quiet mt-2">
          Until then it waits under “Drafts and kept for later”, and can be taken back.
        </p>
        <div class="answers">
          <v-btn @click="picking = null">Not yet</v-btn>
          <v-btn color="primary" variant="flat" @click="sendLater">Keep for later</v-btn>
        </div>
      </v-card>
      <v-card v-else-if="picking === 'no subject'" class="pa-4">
        <h2 class="mb-2">Send it without a subject?</h2>
        <div class="answers">
          <v-btn @click="picking = null">Write one</v-btn>
          <v-btn color="primary" variant="flat" @click="send(true)">Send without</v-btn>
        </div>
      </v-card>
      <v-card v-else-if="picking === 'wording'" class="pa-4">
        <h2 class="mb-2">Wordings</h2>
        <p class="quiet mb-2">Keeps what is written now, so that anybody can put it into a message.</p>
        <v-text-field v-model="keepAs" label="Its name" maxlength="120" />
        <div class="answers">
          <v-btn :disabled="!keepAs.trim()" @click="keepWording('paragraph')">Keep as a paragraph</v-btn>
          <v-btn :disabled="!keepAs.trim()" @click="keepWording('template')"
            >Keep as a template, with the subject</v-btn
          >
        </div>
        <div class="scroll mt-3">
          <p v-for="wording in wordings" :key="wording.id" class="kept">
            {{ wording.name }} <span class="quiet">{{ wording.kind }}</span> <v-spacer /><button
              type="button"
              class="link"
              @click="dropWording(wording)"
            >
              drop
            </button>
          </p>
        </div>
      </v-card>
    </v-dialog>
  </div>
</template>

<style scoped>
.apart {
  height: 100vh;
}
.tools {
  display: flex;
  gap: 8px;
}
.wrap {
  flex-wrap: wrap;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 250px;
  gap: 20px;
  flex: 1;
  min-height: 0;
}
.page {
  display: flex;
  flex-direction: column;
  min-height: 0;
  position: relative;
}
.row {
  display: flex;
  align-items: center;
  gap: 6px 12px;
  padding: 4px 10px;
  border-bottom: 1px solid var(--hairline);
}
.label {
  width: 46px;
}
.from {
  flex: 1;
  min-width: 0;
  font: inherit;
  border: 0;
  background: none;
  padding: 4px 0;
}
.subject {
  flex: 1;
  border: 0;
  background: none;
  font: 600 15px/1.4 var(--sans);
  padding: 4px 0;
}
.text {
  flex: 1;
  min-height: 0;
  overflow: auto;
}
.signature {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  font: 13px/1.45 var(--sans);
  color: var(--ink-soft);
  padding: 0 20px 10px;
  margin: 0;
}
.below {
  margin: 0 12px 10px 20px;
  font-size: 13px;
}
.enclosures {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  list-style: none;
  padding: 8px 10px;
  margin: 0;
  border-top: 1px solid var(--hairline);
}
.enclosures li {
  border: 1px solid var(--strong);
  padding: 2px 4px 2px 8px;
  font-size: 13px;
}
.off {
  padding: 0 4px;
  color: var(--ink-soft);
}
.dragging {
  outline: 2px dashed var(--spruce);
}
.drop {
  position: absolute;
  inset: auto 0 0;
  padding: 12px;
  text-align: center;
  background: var(--spruce-pale);
  color: var(--spruce);
  font-weight: 600;
}
.side {
  overflow: auto;
}
.side h2 {
  font: 600 13px/1 var(--sans);
  color: var(--ink-soft);
  margin-bottom: 8px;
}
.offers {
  display: flex;
  flex-direction: column;
  align-items: start;
  gap: 4px;
  max-width: 100%;
}
.offers > * {
  max-width: 100%;
}
.choice {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  width: 100%;
  padding: 5px 8px;
  border-bottom: 1px solid var(--hairline);
}
.choice:hover {
  background: var(--sheet);
}
.facts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.fact {
  border: 1px solid var(--hairline);
  padding: 1px 7px;
  font-size: 13px;
  background: var(--sheet);
}
.plain-text {
  display: block;
  font-size: 13px;
}
.plain-text input {
  accent-color: var(--spruce);
}
.scroll {
  max-height: 46vh;
  overflow: auto;
}
.kept {
  display: flex;
  gap: 8px;
  padding: 4px 0;
  border-bottom: 1px solid var(--hairline);
}
.when {
  font: inherit;
  border: 1px solid var(--strong);
  padding: 4px 6px;
}
@media (max-width: 1000px) {
  .columns {
    grid-template-columns: minmax(0, 1fr) 200px;
    gap: 12px;
  }
}
</style>
