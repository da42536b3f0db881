<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { z } from 'zod';
import {
  Conversed,
  ConversationRow,
  Joined,
  MessageView,
  type FileRef,
  type MailRow,
} from '../../contract/index.ts';
import { act, get, send, wordsOf } from '../api.ts';
import FileTab from '../parts/FileTab.vue';
import SenderNotes from '../message/SenderNotes.vue';
import KeyCap from '../parts/KeyCap.vue';
import Trouble from '../parts/Trouble.vue';
import { useLetter } from '../paperwork/letter.ts';
import { useSession } from '../session.ts';
import { many, size, useTimes } from '../words.ts';

/** A message unfolded in its place: its words, what came with it, where it belongs, and how to answer. */
const props = defineProps<{ row: MailRow; shared: boolean }>();
const emit = defineEmits<{
  fold: [];
  file: [file: FileRef];
  find: [];
  aside: [];
  answer: [how: 'reply' | 'all' | 'forward'];
  deal: [on: boolean];
  throw: [];
  whole: [id: number];
  changed: [];
}>();
const { clock, brief } = useTimes();
const message = ref<MessageView | null>(null);
const conversation = ref<ConversationRow[] | null>(null);
const problem = ref('');
const parted = ref<ConversationRow | null>(null);
const asSent = ref(false);
const quoted = ref(false);

async function load() {
  try {
    message.value = await get(MessageView, `/messages/${props.row.id}`);
    problem.value = '';
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
watch(() => [props.row.id, props.row.state, props.row.files.map((file) => file.id).join()], load, {
  immediate: true,
});
const party = (role: string) =>
  (message.value?.parties ?? [])
    .filter((each) => each.role === role)
    // Whoever wrote is told by the address: the name is theirs to choose.
    .map(({ name, email }) => (role === 'from' && name ? `${name} <${email}>` : name || email));
const who = computed(() => {
  const view = message.value;
  if (!view) return '';
  const by = view.mailboxes.length ? ` by ${view.mailboxes.join(' and ')}` : '';
  const copies = party('cc').length ? `; cc ${party('cc').join(', ')}` : '';
  return view.direction === 'received'
    ? `from ${party('from').join(', ') || 'nobody named'}${by}${copies}`
    : `by ${party('from').join(', ')} to ${party('to').join(', ') || 'nobody named'}${copies}`;
});
const suggestion = computed(() => message.value?.candidates[0]?.file ?? null);
const others = computed(() => (message.value?.conversationSize ?? 1) - 1);

async function showConversation() {
  if (conversation.value) {
    conversation.value = null;
    return;
  }
  try {
    const rows = await get(z.array(ConversationRow), `/conversations/${message.value?.conversationId}`);
    conversation.value = rows.filter((each) => each.id !== props.row.id);
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
async function takeOut(each: ConversationRow) {
  try {
    await send('POST', Conversed, `/messages/${each.id}/part`, {});
    parted.value = each;
    await again();
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
async function putBack() {
  if (!parted.value) return;
  try {
    await send('POST', Joined, `/messages/${parted.value.id}/join`, { withId: props.row.id });
    parted.value = null;
    await again();
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
async function again() {
  await load();
  conversation.value = null;
  await showConversation();
  emit('changed');
}
const session = useSession();
/** A letter on paper about the file that it lies on. */
const letter = useLetter((words) => (problem.value = words));
async function needsAnswer(needs: boolean) {
  try {
    await act('POST', `/messages/${props.row.id}/answer`, { needs });
    await load();
    emit('changed');
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
</script>

<template>
  <section
    class="unfolded"
    :class="row.direction === 'received' ? 'edge-received' : 'edge-sent'"
    :aria-label="`Message: ${row.subject}`"
  >
    <span class="time figures">{{ clock(row.at) }}</span>
    <div class="inside">
      <header>
        <div class="title">
          <button type="button" class="plain" title="Fold it up" @click="$emit('fold')">
            <h2>{{ row.subject || '(no subject)' }}</h2>
          </button>
          <p class="quiet">
            <strong :class="row.direction">{{ row.direction === 'received' ? 'Received' : 'Sent' }}</strong>
            {{ who }}
          </p>
        </div>
        <div class="where">
          <template v-if="message?.files.length">
            <router-link
              v-for="each in message.files"
              :key="each.id"
              :to="`/clients/${each.clientId}`"
              :title="`${each.title}, ${each.clientName}`"
              ><FileTab state="logged" :label="`${each.number} ${each.title}`"
            /></router-link>
          </template>
          <template v-else-if="message?.state === 'suggested' && suggestion">
            <FileTab state="suggested" :label="`${suggestion.number} ${suggestion.title}`" />
            <v-btn size="small" @click="$emit('file', suggestion)">File here</v-btn>
          </template>
          <FileTab v-else-if="message" :state="message.state === 'suggested' ? 'none' : message.state" />
          <button v-if="message" type="button" class="link" @click="$emit('find')">
            {{ message.files.length ? 'another file…' : 'choose a file…' }}
          </button>
        </div>
      </header>
      <Trouble :words="problem" :retry="load" class="mb-2" />
      <p v-if="message?.differs" class="needs mb-2" role="note">
        The copy in the Sent folder is different: {{ message.differs }}. What is shown here is what left.
      </p>
      <SenderNotes
        v-if="message"
        :message="message"
        @whole="$emit('whole', $event)"
        @changed="
          load();
          $emit('changed');
        "
      />
      <p v-if="!message && !problem" class="quiet">Opening …</p>
      <template v-if="message">
        <iframe
          v-if="asSent"
          class="frame"
          :src="`/api/messages/${row.id}/page?pictures=0`"
          sandbox="allow-popups allow-popups-to-escape-sandbox"
          title="The message as it was sent"
          tabindex="0"
        />
        <div v-else class="words">{{ message.own || '(nothing written)' }}</div>
        <button
          v-if="message.quotedLines && !asSent"
          type="button"
          class="plain quiet"
          @click="quoted = !quoted"
        >
          … {{ many(message.quotedLines, 'earlier line') }}, quoted
        </button>
        <div v-if="quoted && !asSent" class="words old">{{ message.quoted }}</div>
        <ul v-if="message.enclosures.length" class="enclosures" aria-label="Enclosures">
          <li v-for="enclosure in message.enclosures" :key="enclosure.index">
            <a :href="`/api/messages/${row.id}/enclosures/${enclosure.index}`" download
              >{{ enclosure.filename }} <span class="figures">{{ size(enclosure.size) }}</span></a
            >
          </li>
        </ul>
        <div class="acts">
          <v-btn color="primary" variant="flat" size="small" @click="$emit('answer', 'reply')"
            >Answer <KeyCap letter="A" class="ml-2"
          /></v-btn>
          <v-btn size="small" @click="$emit('answer', 'all')">Answer all</v-btn>
          <v-btn size="small" @click="$emit('answer', 'forward')">Forward</v-btn>
          <v-btn
            v-if="row.files[0] && session.may('prepare paperwork')"
            size="small"
            @click="letter({ fileId: row.files[0].id })"
            >Letter</v-btn
          >
          <v-btn size="small" @click="$emit('throw')">Throw away</v-btn>
          <button
            v-if="others"
            type="button"
            class="link"
            :aria-expanded="conversation !== null"
            @click="showConversation"
          >
            The rest of this conversation: {{ many(others, 'message') }}
          </button>
          <button v-if="message.waits" type="button" class="link" @click="needsAnswer(false)">
            {{ message.waits === 'we' ? 'Needs no answer' : 'No answer expected' }}
          </button>
          <button v-if="message.hasHtml" type="button" class="link" @click="asSent = !asSent">
            {{ asSent ? 'Only the words' : 'As it was sent' }}
          </button>
          <button v-if="shared" type="button" class="link" @click="$emit('deal', !row.handler)">
            {{ row.handler ? `${row.handler} deals with it; leave it` : 'I deal with it' }}
          </button>
          <button v-if="message.state !== 'aside'" type="button" class="link" @click="$emit('aside')">
            Not client mail
          </button>
          <button type="button" class="link" @click="$emit('whole', row.id)">Everything about it</button>
        </div>
        <p v-if="parted" class="quiet mt-2" role="status">
          “{{ parted.subject }}” is a conversation of its own now.
          <button type="button" class="link" @click="putBack">Put it back</button>
        </p>
        <ol v-if="conversation" class="thread" aria-label="The rest of this conversation">
          <li v-for="each in conversation" :key="each.id">
            <button type="button" class="plain part" :class="each.direction" @click="$emit('whole', each.id)">
              <span class="quiet figures">{{ brief(each.at) }}</span>
              <span>{{ each.from }}</span>
              <span class="quiet cut">{{ each.snippet }}</span>
            </button>
            <button
              type="button"
              class="link"
              :title="`Take “${each.subject}” out of this conversation`"
              @click="takeOut(each)"
            >
              does not belong here
            </button>
          </li>
        </ol>
      </template>
    </div>
  </section>
</template>

<style scoped>
.unfolded {
  display: flex;
  gap: 10px;
  padding: 12px 14px 12px 30px;
  background: var(--sheet);
  border-bottom: 3px double var(--strong);
}
.time {
  width: 44px;
  flex: none;
  color: var(--ink-soft);
  font-size: 13px;
  padding-top: 5px;
}
.inside {
  flex: 1;
  min-width: 0;
}
header {
  display: flex;
  gap: 16px;
  justify-content: space-between;
  margin-bottom: 8px;
}
.title {
  min-width: 0;
  overflow-wrap: anywhere;
}
h2 {
  font: 600 17px/1.3 var(--serif);
}
strong.received {
  color: var(--indigo);
}
strong.sent,
strong.internal {
  color: var(--spruce);
}
.where {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  justify-content: end;
  max-width: 46%;
  align-self: start;
  font-size: 13px;
}
.words {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  font-size: 15px;
  line-height: 1.5;
  max-width: 74ch;
}
.old {
  color: var(--ink-soft);
  border-left: 2px solid var(--hairline);
  padding-left: 10px;
}
.frame {
  border: 1px solid var(--hairline);
  width: 100%;
  height: 420px;
  background: #fff;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: center;
  margin-top: 12px;
  font-size: 13px;
}
.enclosures a {
  border: 1px solid var(--strong);
  padding: 3px 8px;
  font-size: 13px;
  color: var(--ink);
  text-decoration: none;
  display: inline-block;
}
.enclosures {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  list-style: none;
  padding: 0;
  margin: 10px 0 0;
}
.thread {
  list-style: none;
  padding: 0;
  margin: 10px 0 0;
  border-top: 1px solid var(--hairline);
}
.thread li {
  display: flex;
  gap: 10px;
  align-items: baseline;
  font-size: 13px;
}
.thread .link {
  flex: none;
}
.part {
  display: grid;
  grid-template-columns: 64px 180px minmax(0, 1fr);
  gap: 10px;
  width: 100%;
  padding: 4px 0;
}
.part.received {
  color: var(--indigo);
}
.part.sent,
.part.internal {
  color: var(--spruce);
}
.cut {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
