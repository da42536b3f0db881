<script setup lang="ts">
import { ref, watch } from 'vue';
import { MessageView, SortDone, type FileRef } from '../../contract/index.ts';
import { get, send, wordsOf } from '../api.ts';
import FileFinder from '../parts/FileFinder.vue';
import FileTab from '../parts/FileTab.vue';
import Trouble from '../parts/Trouble.vue';
import { useTimes } from '../words.ts';
import MessagePaper from './MessagePaper.vue';

/** Any message, opened over the screen it was found on, with where it is filed, why, and since when. */
const id = defineModel<number | null>({ required: true });
const emit = defineEmits<{ changed: [] }>();
const { full } = useTimes();
const message = ref<MessageView | null>(null);
const problem = ref('');
const finding = ref(false);

async function load() {
  if (id.value === null) return;
  try {
    message.value = await get(MessageView, `/messages/${id.value}`);
    problem.value = '';
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
watch(id, () => {
  message.value = null;
  void load();
});

async function refile(to: { kind: 'files'; fileIds: number[] } | { kind: 'sorting' }) {
  try {
    await send('POST', SortDone, '/sorting', { messageId: id.value, to });
    await load();
    emit('changed');
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
const choose = (file: FileRef) => void refile({ kind: 'files', fileIds: [file.id] });
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
        <MessagePaper v-if="message" :message="message" />
        <p v-else-if="!problem" class="quiet pa-6">Opening …</p>
      </div>
      <aside v-if="message" class="filed">
        <h3>Where it is filed</h3>
        <p v-for="file in message.files" :key="file.id" class="mt-2">
          <FileTab state="logged" :label="file.number" /><br />
          <strong>{{ file.title }}</strong><br />
          <router-link :to="`/clients/${file.clientId}`" class="quiet">{{ file.clientName }}</router-link>
        </p>
        <p v-if="!message.files.length" class="mt-2">
          <FileTab :state="message.state === 'suggested' ? 'none' : message.state" />
        </p>
        <p class="quiet mt-2">
          {{ message.decidedBy ? `Settled by ${message.decidedBy}` : 'Settled without help' }}
        </p>
        <ul class="why">
          <li v-for="reason in message.evidence" :key="reason.words">
            <b>{{ reason.side === 'for' ? '+' : '−' }}</b> {{ reason.words }}
          </li>
        </ul>
        <div class="acts">
          <v-btn size="small" @click="finding = true">Another file…</v-btn>
          <v-btn v-if="message.state !== 'suggested'" size="small" @click="refile({ kind: 'sorting' })"
            >Back into Sorting</v-btn
          >
          <v-btn size="small" :href="`/api/messages/${message.id}/source`">Source (.eml)</v-btn>
        </div>
        <template v-if="message.history.length">
          <h3 class="mt-4">What was done with it</h3>
          <ol class="history">
            <li v-for="step in message.history" :key="step.id" :class="{ undone: step.undone }">
              {{ step.words }}<br /><span class="quiet"
                >{{ step.by }}, {{ full(step.at) }}{{ step.undone ? ', taken back' : '' }}</span
              >
            </li>
          </ol>
        </template>
        <v-spacer />
        <v-btn class="mt-4" @click="id = null">Close</v-btn>
      </aside>
      <FileFinder v-model="finding" @choose="choose" />
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
.why,
.history {
  list-style: none;
  padding: 0;
  margin: 8px 0;
  font-size: 13px;
}
.why li,
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
