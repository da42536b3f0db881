<script setup lang="ts">
import { useEventListener } from '@vueuse/core';
import { computed, onBeforeUnmount, reactive, ref } from 'vue';
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router';
import { z } from 'zod';
import { ShownMailbox, type MisaddressedWarning, type Wording } from '../../contract/index.ts';
import type { DocNode } from '../../core/merge/document.ts';
import FormatBar from '../parts/FormatBar.vue';
import KeyCap from '../parts/KeyCap.vue';
import Trouble from '../parts/Trouble.vue';
import Writer from '../parts/Writer.vue';
import AskDialog from '../ui/AskDialog.vue';
import { useLoad } from '../ui/load.ts';
import { size, useTimes } from '../words.ts';
import { useDraft } from './draft.ts';
import DraftSide from './DraftSide.vue';
import LaterDialog from './LaterDialog.vue';
import People from './People.vue';
import SentState from './SentState.vue';

/** The desk on which one message is written. */
const route = useRoute();
const router = useRouter();
const { clock } = useTimes();
const id = Number(route.params.id);
const apart = route.name === 'letter apart';
const pictureProblem = ref('');
/** Paragraphs that a few letters put in. */
const stock = ref<readonly Wording[]>([]);
const desk = reactive(useDraft(id));
const { data: boxes, problem: boxesProblem } = useLoad(z.array(ShownMailbox), () => '/mail/boxes');
const copies = ref(false);
const hidden = ref(false);
const asking = ref<'later' | 'no subject' | 'right' | null>(null);
const dragging = ref(false);
const showQuoted = ref(false);
let popped = false;
const now = ref(Date.now());
const writer = ref<InstanceType<typeof Writer> | null>(null);
const tick = setInterval(() => (now.value = Date.now()), 500);
/** Once on its way, how it fares is asked for until that is known: a window of its own hears of no changes. */
const follow = setInterval(() => {
  const { letter, open } = desk;
  if (
    letter &&
    !open &&
    !desk.secondsLeft(now.value) &&
    !['sent', 'returned', 'uncertain'].includes(letter.state)
  )
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
onBeforeRouteLeave(
  async () =>
    (await desk.save()) ||
    window.confirm('What you typed last could not be kept. Leave this page all the same, and lose it?'),
);

const fileId = computed(() => desk.files[0]?.id ?? null);
const fromBoxes = computed(() => (boxes.value ?? []).filter((box) => box.mayWrite));

async function begin() {
  await desk.load();
  copies.value = desk.people.cc.length > 0;
  hidden.value = desk.people.bcc.length > 0;
}
void begin();
const insert = (content: DocNode['content'] | string) =>
  writer.value?.editor
    ?.chain()
    .focus()
    .insertContent(content ?? '')
    .run();
async function drop(event: DragEvent) {
  dragging.value = false;
  // A picture let go within the text stands there.
  const within = !desk.plain && (event.target as HTMLElement).closest('.ProseMirror') !== null;
  for (const file of Array.from(event.dataTransfer?.files ?? []))
    if (!within || !file.type.startsWith('image/')) await desk.enclose(file);
}
/** What gives pause, and what is done all the same; each thing is asked about once. */
const warned = ref<MisaddressedWarning[]>([]);
const settled = new Set<string>();
let goOn: () => void = () => undefined;
/** Whether nothing new gives pause; else it is asked. @param again what is done when it is meant so */
async function right(again: () => void): Promise<boolean> {
  const found = (await desk.warnings()).filter(({ words }) => !settled.has(words));
  if (!found.length) return true;
  warned.value = found;
  goOn = again;
  asking.value = 'right';
  return false;
}
function allTheSame() {
  for (const { words } of warned.value) settled.add(words);
  asking.value = null;
  goOn();
}
async function send(anyway = false) {
  if (!desk.subject.trim() && !anyway) {
    asking.value = 'no subject';
    return;
  }
  if (!(await right(() => void send(true)))) return;
  asking.value = null;
  if ((await desk.dispatch(null)) && apart) setTimeout(() => window.close(), 11_000);
}
async function sendLater(at: string) {
  if (!(await right(() => void sendLater(at)))) return;
  asking.value = null;
  if (await desk.dispatch(at)) await desk.load();
}
async function throwAway() {
  if (!(await desk.throwAway())) return;
  if (apart) window.close();
  else await router.push({ name: 'writing', query: { thrown: id } });
}
async function popOut() {
  await desk.save();
  popped = true;
  window.open(`/letter/${id}`, `letter ${id}`, 'width=860,height=760');
  await router.push('/writing');
}
useEventListener(document, 'keydown', (event: KeyboardEvent) => {
  if (event.key === 'Enter' && (event.ctrlKey || event.metaKey) && desk.open && !asking.value) {
    event.preventDefault();
    void send();
  }
});
useEventListener(window, 'beforeunload', (event: BeforeUnloadEvent) => {
  if (desk.unsaved) event.preventDefault();
});
const saved = computed(() =>
  desk.unsaved ? 'keeping what you typed …' : desk.letter ? `kept, ${clock(desk.letter.savedAt)}` : '',
);
const heading = computed(
  () => ({ new: 'Write', reply: 'Answer', all: 'Answer all', forward: 'Forward' })[desk.letter?.how ?? 'new'],
);
</script>

<template>
  <div class="screen screen-fixed" :class="{ apart }">
    <header class="head mb-2">
      <div>
        <h1>{{ heading }}</h1>
        <p class="quiet" role="status">
          {{ [desk.letter?.about?.words, desk.open ? saved : ''].filter(Boolean).join(' · ') }}
        </p>
      </div>
      <div v-if="desk.open" class="tools">
        <v-btn v-if="!apart" @click="popOut">Own window</v-btn>
        <v-btn @click="throwAway">Throw away</v-btn>
        <v-btn @click="asking = 'later'">Send later…</v-btn>
        <v-btn color="primary" variant="flat" @click="send()"
          >Send <KeyCap letter="Ctrl Enter" class="ml-2"
        /></v-btn>
      </div>
    </header>
    <p v-if="desk.letter?.order" class="prepared quiet">
      Prepared by
      <router-link :to="`/orders/${desk.letter.order.id}`">{{ desk.letter.order.name }}</router-link>, since
      {{ desk.letter.order.why }}.
      <span v-if="desk.letter.order.waits" class="needs">{{ desk.letter.order.waits }}</span>
    </p>
    <Trouble :words="desk.problem || boxesProblem || pictureProblem" class="mb-2" />
    <SentState v-if="desk.letter && !desk.open" :desk="desk" :apart="apart" :now="now" />
    <p v-else-if="!desk.letter && !desk.problem" class="quiet">Opening …</p>
    <div v-if="desk.letter && desk.open" class="columns">
      <div
        class="sheet page edge-sent"
        :class="{ dragging }"
        @dragover.prevent="dragging = true"
        @dragleave.self="dragging = false"
        @drop.prevent="drop"
      >
        <div class="row">
          <label class="label quiet" for="from">From</label>
          <select id="from" v-model="desk.mailboxId" class="from">
            <option v-if="!fromBoxes.length" :value="null">no mailbox you may write as</option>
            <option v-for="box in fromBoxes" :key="box.id" :value="box.id" :disabled="!box.verified">
              {{ box.name }} · {{ box.address }}{{ box.verified ? '' : ' (not verified)' }}
            </option>
          </select>
          <button v-if="!copies" type="button" class="link" @click="copies = true">copy to…</button>
          <button v-if="!hidden" type="button" class="link" @click="hidden = true">hidden copy…</button>
        </div>
        <People v-model="desk.people.to" label="To" :file-id="fileId" :autofocus="!desk.people.to.length" />
        <People v-if="copies" v-model="desk.people.cc" label="Copy" :file-id="fileId" />
        <People v-if="hidden" v-model="desk.people.bcc" label="Hidden" :file-id="fileId" />
        <div class="row">
          <label class="label quiet" for="subject">Subject</label>
          <input id="subject" v-model="desk.subject" class="subject" maxlength="500" />
        </div>
        <FormatBar
          v-if="!desk.plain"
          :editor="writer?.editor"
          @pictures="(files) => writer?.insertPictures(files)"
        />
        <div class="text">
          <Writer
            ref="writer"
            v-model="desk.body"
            label="Message"
            :field-label="(key: string) => key"
            :stock="stock"
            @trouble="pictureProblem = $event"
          />
          <pre class="signature" aria-label="Your signature, put below by itself">{{
            desk.letter.signature
          }}</pre>
          <template v-if="desk.quoted">
            <button type="button" class="plain quiet below" @click="showQuoted = !showQuoted">
              … {{ showQuoted ? 'hide' : 'show' }} what stands below
            </button>
            <button type="button" class="link below" @click="desk.quoted = ''">leave it out</button>
            <pre v-if="showQuoted" class="signature">{{ desk.quoted }}</pre>
          </template>
        </div>
        <ul v-if="desk.letter.enclosures.length" class="enclosures" aria-label="Enclosures">
          <li v-for="enclosure in desk.letter.enclosures" :key="enclosure.id">
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
      <DraftSide :desk="desk" @insert="insert" @stock="stock = $event" />
    </div>
    <LaterDialog
      :model-value="asking === 'later'"
      @update:model-value="(on: boolean) => on || (asking = null)"
      @choose="sendLater"
    />
    <AskDialog
      :model-value="asking === 'no subject'"
      label="Send it without a subject?"
      @update:model-value="(on: boolean) => on || (asking = null)"
    >
      <template #answers>
        <v-btn @click="asking = null">Write one</v-btn>
        <v-btn color="primary" variant="flat" @click="send(true)">Send without</v-btn>
      </template>
    </AskDialog>
    <AskDialog
      :model-value="asking === 'right'"
      :max-width="560"
      label="Before it goes"
      @update:model-value="(on: boolean) => on || (asking = null)"
    >
      <template #heading>Before it goes</template>
      <ul class="warned">
        <li v-for="each in warned" :key="each.words"><b class="needs">Look</b> {{ each.words }}</li>
      </ul>
      <template #answers>
        <v-btn @click="asking = null">Go back to it</v-btn>
        <v-btn color="primary" variant="flat" @click="allTheSame">It is right, send it</v-btn>
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.prepared {
  margin: 0 0 8px;
}
.warned {
  list-style: none;
  margin: 0;
  padding: 0;
}
.warned li {
  padding: 7px 0;
  border-bottom: 1px solid var(--hairline);
  overflow-wrap: anywhere;
}
.apart {
  height: 100vh;
}
.tools {
  display: flex;
  gap: 8px;
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
@media (max-width: 1000px) {
  .columns {
    grid-template-columns: minmax(0, 1fr) 200px;
    gap: 12px;
  }
}
</style>
