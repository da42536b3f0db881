<script setup lang="ts">
import { ref, watch } from 'vue';
import { z } from 'zod';
import {
  ConversationRow,
  MessageView,
  SortDone,
  TimelineEntry,
  type FileRef,
  type Sort,
} from '../../contract/index.ts';
import { get, send, wordsOf } from '../api.ts';
import FileFinder from '../parts/FileFinder.vue';
import TaskDialog from '../tasks/TaskDialog.vue';
import FileTab from '../parts/FileTab.vue';
import Reasons from '../parts/Reasons.vue';
import Trouble from '../parts/Trouble.vue';
import CallingField from '../timeline/CallingField.vue';
import { useTimes } from '../words.ts';
import MessagePaper from './MessagePaper.vue';

/** Any message, opened over the screen it was found on: where it is filed, why, since when, and what it belongs to. */
const id = defineModel<number | null>({ required: true });
const emit = defineEmits<{ changed: [] }>();
const { full, brief } = useTimes();
const message = ref<MessageView | null>(null);
const conversation = ref<ConversationRow[]>([]);
const problem = ref('');
const finding = ref<'instead' | 'too' | null>(null);
const undoId = ref<number | null>(null);
const noting = ref(false);
const words = ref('');

async function load() {
  if (id.value === null) return;
  try {
    const found = await get(MessageView, `/messages/${id.value}`);
    message.value = found;
    conversation.value =
      found.conversationSize > 1
        ? await get(z.array(ConversationRow), `/conversations/${found.conversationId}`)
        : [];
    problem.value = '';
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
watch(id, () => {
  message.value = null;
  undoId.value = null;
  noting.value = false;
  words.value = '';
  void load();
});

async function attempt(work: () => Promise<void>) {
  try {
    await work();
    await load();
    emit('changed');
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
const answer = (how: string) => ({ name: 'write', query: { message: id.value ?? 0, how } });
const move = (to: Sort['to']) =>
  attempt(async () => {
    undoId.value = (await send('POST', SortDone, '/sorting', { messageId: id.value, to })).stepId;
  });
const undo = () =>
  attempt(async () => {
    await send('POST', SortDone, `/sorting/steps/${undoId.value}/undo`, {});
    undoId.value = null;
  });
function choose(file: FileRef) {
  const there = finding.value === 'too' ? (message.value?.files ?? []).map((each) => each.id) : [];
  void move({ kind: 'files', fileIds: [...new Set([...there, file.id])] });
}
/** Takes the message off one file; off its last one it goes back into Sorting. */
function withdraw(file: FileRef) {
  const left = (message.value?.files ?? []).filter((each) => each.id !== file.id).map((each) => each.id);
  void move(left.length ? { kind: 'files', fileIds: left } : { kind: 'sorting' });
}
/** The message itself becomes the note, unless something else is written. */
function note() {
  noting.value = true;
  words.value = `${message.value?.subject}: ${message.value?.own.replace(/\s+/g, ' ').slice(0, 300)}`;
}
/** A task about it is being left, and what was said of the last one. */
const tasking = ref(false);
const tasked = ref('');
const keepNote = (file: FileRef) =>
  attempt(async () => {
    await send('POST', TimelineEntry, '/timeline', {
      kind: 'note',
      fileId: file.id,
      messageId: id.value,
      at: new Date().toISOString(),
      endsAt: null,
      state: 'done',
      place: '',
      words: words.value,
      outcome: '',
      personIds: [],
      staffIds: [],
      remindAt: null,
    });
    noting.value = false;
    words.value = '';
  });
</script>

<template>
  <v-dialog
    :model-value="id !== null"
    max-width="980"
    scrollable
    aria-label="Message"
    @update:model-value="(open: boolean) => open || (id = null)"
  >
    <v-card class="opened">
      <div class="paper-side" tabindex="0" role="region" aria-label="The message">
        <Trouble :words="problem" :retry="load" class="ma-4" />
        <MessagePaper
          v-if="message"
          :message="message"
          @whole="id = $event"
          @changed="attempt(async () => undefined)"
        />
        <p v-else-if="!problem" class="quiet pa-6">Opening …</p>
      </div>
      <aside v-if="message" class="filed">
        <div class="acts first">
          <v-btn size="small" color="primary" variant="flat" :to="answer('reply')">Answer</v-btn>
          <div class="pair">
            <v-btn size="small" :to="answer('all')">Answer all</v-btn>
            <v-btn size="small" :to="answer('forward')">Forward</v-btn>
          </div>
        </div>
        <p v-if="message.waits" class="owe mt-2">
          {{ message.waits === 'we' ? 'We owe an answer' : 'They owe an answer' }}
        </p>
        <p v-if="message.differs" class="needs mt-2" role="note">
          The copy in the Sent folder is different: {{ message.differs }}. What is shown here is what left.
        </p>
        <h3 class="mt-4">Where it is filed</h3>
        <div v-for="file in message.files" :key="file.id" class="mt-2">
          <FileTab state="logged" :label="file.number" />
          <button v-if="message.files.length" type="button" class="link off" @click="withdraw(file)">
            take off
          </button>
          <br /><strong>{{ file.title }}</strong
          ><br />
          <router-link :to="`/clients/${file.clientId}`" class="quiet">{{ file.clientName }}</router-link>
        </div>
        <p v-if="!message.files.length" class="mt-2">
          <FileTab :state="message.state === 'suggested' ? 'none' : message.state" />
        </p>
        <p class="quiet mt-2">
          {{ message.decidedBy ? `Settled by ${message.decidedBy}` : 'Settled without help' }}
        </p>
        <Reasons :evidence="message.evidence" />
        <p v-if="tasked" class="mt-2" role="status">{{ tasked }}</p>
        <p v-if="undoId !== null" class="mt-2" role="status">
          Moved. <button type="button" class="link" @click="undo">Undo</button>
        </p>
        <div class="acts">
          <v-btn size="small" @click="finding = 'instead'">{{
            message.files.length ? 'Another file instead…' : 'Choose a file…'
          }}</v-btn>
          <v-btn v-if="message.files.length" size="small" @click="finding = 'too'">Another file too…</v-btn>
          <v-btn v-if="message.state !== 'suggested'" size="small" @click="move({ kind: 'sorting' })"
            >Back into Sorting</v-btn
          >
          <v-btn v-if="message.state !== 'aside'" size="small" @click="move({ kind: 'aside' })"
            >Not client mail</v-btn
          >
          <v-btn v-if="message.files.length && !noting" size="small" @click="note">Note about it…</v-btn>
          <v-btn size="small" @click="tasking = true">Task about it…</v-btn>
          <v-btn size="small" :href="`/api/messages/${message.id}/source`">Source (.eml)</v-btn>
        </div>
        <form v-if="noting" class="note" @submit.prevent="message.files[0] && keepNote(message.files[0])">
          <CallingField v-model="words" label="Note" autofocus />
          <v-btn size="small" type="submit" color="primary" variant="flat" :disabled="!words.trim()"
            >Keep it on {{ message.files[0]?.number }}</v-btn
          >
        </form>
        <template v-if="message.notes.length">
          <h3 class="mt-4">Notes</h3>
          <ul class="history">
            <li v-for="each in message.notes" :key="each.id">
              {{ each.words }}<br /><span class="quiet">{{ each.by }}, {{ full(each.at) }}</span>
            </li>
          </ul>
        </template>
        <template v-if="conversation.length">
          <h3 class="mt-4">The conversation</h3>
          <ol class="history">
            <li v-for="each in conversation" :key="each.id">
              <button
                type="button"
                class="plain part"
                :aria-current="each.id === message.id"
                :class="each.direction"
                :style="{ paddingLeft: `${Math.min(each.depth, 6) * 10}px` }"
                @click="id = each.id"
              >
                <span class="figures">{{ brief(each.at) }}</span> {{ each.from }}
                <FileTab
                  :state="each.files.length ? 'logged' : each.state === 'suggested' ? 'none' : each.state"
                  :label="each.files.map((file) => file.number).join(', ')"
                />
              </button>
            </li>
          </ol>
        </template>
        <template v-if="message.history.length">
          <h3 class="mt-4">What was done with it</h3>
          <ol class="history">
            <li v-for="step in message.history" :key="step.id" :class="{ undone: step.undone }">
              {{ step.words }}<template v-if="step.note">: “{{ step.note }}”</template><br /><span
                class="quiet"
                >{{ step.by }}, {{ full(step.at) }}{{ step.undone ? ', taken back' : '' }}</span
              >
            </li>
          </ol>
        </template>
        <v-spacer />
        <v-btn class="mt-4" @click="id = null">Close</v-btn>
      </aside>
      <TaskDialog
        v-if="tasking && message"
        :task="null"
        :about="{ messageId: message.id, words: message.subject }"
        @close="tasking = false"
        @kept="(words) => ((tasking = false), (tasked = words))"
      />
      <FileFinder
        :model-value="finding !== null"
        @update:model-value="(open: boolean) => open || (finding = null)"
        @choose="choose"
      />
    </v-card>
  </v-dialog>
</template>

<style scoped>
.opened {
  display: grid !important;
  grid-template-columns: minmax(0, 1fr) 260px;
  height: min(760px, 88vh);
}
.paper-side {
  overflow: auto;
}
.filed {
  border-left: 1px solid var(--hairline);
  padding: 16px;
  display: flex;
  flex-direction: column;
  overflow: auto;
  background: var(--page);
}
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px;
}
.first {
  margin-top: 0;
}
.owe {
  color: var(--ochre);
  font-size: 13px;
}
.off {
  font-size: 13px;
  margin-left: 8px;
}
.note {
  margin-top: 8px;
}
.part {
  width: 100%;
}
.part[aria-current='true'] {
  font-weight: 700;
}
.part.received {
  color: var(--indigo);
}
.part.sent,
.part.internal {
  color: var(--spruce);
}
.history {
  list-style: none;
  padding: 0;
  margin: 8px 0;
  font-size: 13px;
}
.history li {
  padding: 3px 0;
}
.undone {
  text-decoration: line-through;
}
.acts {
  display: flex;
  flex-direction: column;
  gap: 6px;
  margin-top: 8px;
}
</style>
