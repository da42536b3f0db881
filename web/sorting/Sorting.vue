<script setup lang="ts">
import { useEventListener } from '@vueuse/core';
import { computed, nextTick, ref, watch } from 'vue';
import type { FileRef, SortingGroup } from '../../contract/index.ts';
import { useLive } from '../live.ts';
import MessagePaper from '../message/MessagePaper.vue';
import FileFinder from '../parts/FileFinder.vue';
import FileTab from '../parts/FileTab.vue';
import KeyCap from '../parts/KeyCap.vue';
import Trouble from '../parts/Trouble.vue';
import { many, useTimes } from '../words.ts';
import { useDesk } from './desk.ts';

const desk = useDesk();
const { brief } = useTimes();
const finding = ref(false);
const rest = ref(true);
const listElement = ref<HTMLElement | null>(null);

const GROUPS: { group: SortingGroup; name: string }[] = [
  { group: 'certain', name: 'Nearly certain' },
  { group: 'look', name: 'Needs a look' },
  { group: 'nobody', name: 'Nobody known' },
];
const groups = computed(() =>
  GROUPS.map((each) => ({
    ...each,
    rows: desk.rows.filter((row) => row.group === each.group),
    count: desk.queue?.counts[each.group] ?? 0,
  })).filter((each) => each.rows.length),
);
const candidates = computed(() => desk.message?.candidates ?? []);
const first = computed(() => candidates.value[0]);

void desk.load();
useLive(['sorting', 'mail'], () => {
  if (!desk.busy) void desk.load();
});

const fileTo = (file: FileRef | undefined) =>
  file && void desk.settle({ kind: 'files', fileIds: [file.id] }, rest.value);
const aside = () => void desk.settle({ kind: 'aside' }, rest.value);

useEventListener(document, 'keydown', (event: KeyboardEvent) => {
  if (finding.value || event.ctrlKey || event.metaKey || event.altKey) return;
  if (
    (event.target as HTMLElement).closest('input:not([type="checkbox"]), textarea, [contenteditable="true"]')
  )
    return;
  const number = Number(event.key);
  if (number >= 1 && number <= 5) fileTo(candidates.value[number - 1]?.file);
  else if (event.key === 'x') aside();
  else if (event.key === 'f') finding.value = true;
  else if (event.key === 'u') void desk.undo();
  else if (event.key === 'r') rest.value = !rest.value;
  else if (event.key === 'ArrowDown' || event.key === 'j') desk.move(1);
  else if (event.key === 'ArrowUp' || event.key === 'k') desk.move(-1);
  else return;
  event.preventDefault();
});
watch(
  () => desk.selectedId,
  async () => {
    rest.value = true;
    await nextTick();
    listElement.value?.querySelector('[aria-current="true"]')?.scrollIntoView({ block: 'nearest' });
  },
);
</script>

<template>
  <div class="screen screen-fixed">
    <header class="head">
      <div>
        <h1>Sorting</h1>
        <p class="quiet">
          <template v-if="desk.queue"
            >{{
              desk.queue.total
                ? `${many(desk.queue.total, 'message')} ${desk.queue.total === 1 ? 'has' : 'have'} no file yet.`
                : 'Every message has its place.'
            }}
            {{ desk.queue.filedAlone.toLocaleString('en-GB') }} were filed without you in the last seven
            days.</template
          >
        </p>
      </div>
      <p class="keys quiet" aria-label="Keys">
        <span><KeyCap letter="1" />–<KeyCap letter="5" /> file</span
        ><span><KeyCap letter="F" /> another file</span><span><KeyCap letter="X" /> not client mail</span
        ><span><KeyCap letter="U" /> undo</span><span><KeyCap letter="↓" /><KeyCap letter="↑" /> move</span>
      </p>
    </header>
    <Trouble :words="desk.problem" :retry="desk.load" class="mb-2" />
    <p class="said" role="status">
      <template v-if="desk.said">{{ desk.said }}. </template>
      <button v-if="desk.queue?.undo" type="button" class="link" @click="desk.undo">
        Undo “{{ desk.queue.undo.words }}”
      </button>
    </p>
    <div v-if="desk.rows.length" class="desk">
      <nav ref="listElement" class="sheet queue" aria-label="Messages without a file">
        <section v-for="each in groups" :key="each.group">
          <h2 class="group">
            {{ each.name }} <span class="figures">{{ each.count }}</span>
          </h2>
          <button
            v-for="row in each.rows"
            :key="row.id"
            type="button"
            class="plain row"
            :class="{ on: row.id === desk.selectedId }"
            :aria-current="row.id === desk.selectedId"
            @click="desk.select(row.id)"
          >
            <span class="line"
              ><strong>{{ row.from }}</strong
              ><span class="quiet figures">{{ brief(row.at) }}</span></span
            >
            <span class="subject">{{ row.subject || '(no subject)' }}</span>
            <FileTab
              :state="row.first ? 'suggested' : 'none'"
              :label="row.first ? row.first.number : undefined"
            />
          </button>
        </section>
        <p v-if="desk.queue && desk.queue.total > desk.rows.length" class="quiet pa-3">
          {{ many(desk.queue.total - desk.rows.length, 'more message') }} after these.
        </p>
      </nav>
      <div class="sheet reading" tabindex="0" role="region" aria-label="The message">
        <MessagePaper v-if="desk.message" :key="desk.message.id" :message="desk.message" />
      </div>
      <aside v-if="desk.message" class="choices" aria-labelledby="where">
        <h2 id="where">Where does it belong?</h2>
        <div
          v-for="(candidate, at) in candidates"
          :key="candidate.file.id"
          class="sheet candidate"
          :class="{ first: at === 0 }"
        >
          <p class="line">
            <span
              ><KeyCap :letter="String(at + 1)" />
              <FileTab state="suggested" :label="candidate.file.number" /></span
            ><span class="quiet">{{ candidate.likelihood }}</span>
          </p>
          <button type="button" class="plain title" @click="fileTo(candidate.file)">
            {{ candidate.file.title }}
          </button>
          <p class="quiet">{{ candidate.file.clientName }}</p>
          <ul class="evidence">
            <li v-for="reason in candidate.evidence" :key="reason.words">
              <b :class="reason.side">{{ reason.side === 'for' ? '+' : '−' }}</b> {{ reason.words }}
            </li>
          </ul>
        </div>
        <p v-if="!candidates.length" class="sheet candidate quiet">
          Nobody in the records is known by these addresses or names. Find the file yourself, or set the
          message aside.
        </p>
        <ul v-if="desk.message.evidence.length" class="evidence mb-2">
          <li v-for="reason in desk.message.evidence" :key="reason.words">
            <b :class="reason.side">{{ reason.side === 'for' ? '+' : '−' }}</b> {{ reason.words }}
          </li>
        </ul>
        <div class="acts">
          <v-btn v-if="first" color="primary" variant="flat" :loading="desk.busy" @click="fileTo(first.file)"
            >File to {{ first.file.number }}&nbsp;<KeyCap letter="1"
          /></v-btn>
          <v-btn @click="finding = true">Another file…&nbsp;<KeyCap letter="F" /></v-btn>
          <v-btn @click="aside">Not client mail&nbsp;<KeyCap letter="X" /></v-btn>
        </div>
        <v-checkbox
          v-if="desk.message.restOfConversation"
          v-model="rest"
          :label="`The rest of this conversation too (${many(desk.message.restOfConversation, 'message')})`"
        />
      </aside>
    </div>
    <div v-else-if="desk.queue" class="sheet pa-6 done">
      <h2>Nothing to sort</h2>
      <p class="quiet mt-2">
        New messages without a sure file will appear here by themselves.
        <router-link to="/">Back to Today</router-link>
      </p>
    </div>
    <FileFinder v-model="finding" @choose="fileTo" />
  </div>
</template>

<style scoped>
.head {
  display: flex;
  justify-content: space-between;
  align-items: end;
  gap: 16px;
}
.keys {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  justify-content: end;
}
.said {
  min-height: 20px;
  font-size: 13px;
  margin: 2px 0 6px;
}
.desk {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 270px minmax(0, 1fr) 296px;
  gap: 16px;
}
.queue,
.reading,
.choices {
  overflow: auto;
  min-height: 0;
}
.group {
  display: flex;
  justify-content: space-between;
  font: 700 13px/1.4 var(--sans);
  background: var(--rail);
  padding: 7px 12px;
  position: sticky;
  top: 0;
  z-index: 1;
  border-bottom: 1px solid var(--hairline);
}
.row {
  display: block;
  width: 100%;
  padding: 8px 12px 0;
  border-bottom: 1px solid var(--hairline);
  border-left: 4px solid transparent;
}
.row:hover {
  background: var(--page);
}
.row.on {
  border-left-color: var(--spruce);
  background: #f2f6f3;
}
.line {
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
.line strong {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.subject {
  display: block;
  color: var(--ink-soft);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  padding-bottom: 4px;
}
.choices h2 {
  margin-bottom: 8px;
}
.candidate {
  padding: 8px 12px 10px;
  margin-bottom: 8px;
}
.candidate.first {
  border-color: var(--spruce);
}
.title {
  font-weight: 700;
  margin-top: 4px;
}
.title:hover {
  text-decoration: underline;
}
.evidence {
  list-style: none;
  padding: 0;
  margin: 6px 0 0;
  font-size: 13px;
}
.evidence li {
  padding-left: 16px;
  text-indent: -16px;
}
.evidence b {
  display: inline-block;
  width: 16px;
  text-indent: 0;
}
.evidence .for {
  color: var(--spruce);
}
.evidence .against {
  color: var(--brick);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.done {
  max-width: 560px;
}
@media (max-width: 1150px) {
  .desk {
    grid-template-columns: 200px minmax(0, 1fr) 230px;
    gap: 10px;
  }
}
</style>
