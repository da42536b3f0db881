<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue';
import type { FileRef, RuleDraft, SortingGroup } from '../../contract/index.ts';
import RuleDialog from '../filing/RuleDialog.vue';
import { useKeys } from '../ui/keys.ts';
import { useLive } from '../ui/live.ts';
import MessageDialog from '../message/MessageDialog.vue';
import MessagePaper from '../message/MessagePaper.vue';
import FileFinder from '../parts/FileFinder.vue';
import FileTab from '../parts/FileTab.vue';
import KeyCap from '../parts/KeyCap.vue';
import WeighingLine from '../parts/WeighingLine.vue';
import Trouble from '../parts/Trouble.vue';
import { many, useTimes } from '../words.ts';
import Choices from './Choices.vue';
import { useSortingQueue } from './sortingQueue.ts';
import NewClient from './NewClient.vue';
import NobodysMail from './NobodysMail.vue';
import AskDialog from '../ui/AskDialog.vue';

const desk = useSortingQueue();
const { brief } = useTimes();
const finding = ref(false);
const opened = ref<number | null>(null);
const ruling = ref(false);
const making = ref(false);
const accepting = ref(false);
const acceptButton = ref<{ $el: HTMLElement } | null>(null);
const listElement = ref<HTMLElement | null>(null);
const choices = ref<InstanceType<typeof Choices> | null>(null);

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
const certain = computed(() => desk.rows.filter((row) => row.group === 'certain'));

void desk.load();
useLive({ sorting: true }, () => void (desk.busy || desk.load()));

// The dialog takes the focus first.
watch(accepting, (open) => open && setTimeout(() => acceptButton.value?.$el.focus(), 80));

/** A file found by hand joins those chosen already; alone it is where the message goes. */
function found(file: FileRef) {
  if (desk.chosen.length) desk.toggle(file);
  else choices.value?.file(file);
}
function acceptAll() {
  accepting.value = false;
  desk.acceptGroup('certain');
}
function ruled(words: string, then: RuleDraft['then']) {
  desk.said = words;
  if (then.kind === 'file') desk.settle({ kind: 'files', fileIds: [then.fileId] });
  else if (then.kind !== 'never') desk.settle({ kind: then.kind });
}

/** With Shift a number key bears another sign; its place on the keyboard stays. */
const numbers = [1, 2, 3, 4, 5].flatMap((number) =>
  ['Digit', 'Numpad'].map(
    (row) => [`${row}${number}`, (event: KeyboardEvent) => candidate(number, event.shiftKey)] as const,
  ),
);
function candidate(number: number, beside: boolean) {
  const file = choices.value?.candidates[number - 1]?.file;
  if (file && beside) desk.toggle(file);
  else if (file) choices.value?.file(file);
}
useKeys(
  {
    ...Object.fromEntries(numbers),
    x: () => desk.settle({ kind: 'aside' }),
    p: () => desk.settle({ kind: 'private' }),
    l: () => desk.settle({ kind: 'later' }),
    s: () => (ruling.value = true),
    n: () => (making.value = true),
    f: () => (finding.value = true),
    c: () => void choices.value?.remark(),
    a: () => certain.value.length && (accepting.value = true),
    u: () => void desk.undo(),
    r: () => (desk.rest = !desk.rest),
    Enter: () => desk.chosen.length && choices.value?.fileChosen(),
    ArrowDown: () => desk.move(1),
    ArrowUp: () => desk.move(-1),
  },
  {
    unless: () => finding.value || ruling.value || making.value || accepting.value,
    even: () => desk.chosen.length > 0,
  },
);
watch(
  () => desk.selectedId,
  async () => {
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
            {{ desk.queue.filedAlone.toLocaleString('en-GB') }} were filed without you in the last seven days;
            <router-link to="/sorting/over">look them over</router-link>.</template
          >
        </p>
      </div>
      <p class="keys quiet" aria-label="Keys">
        <span><KeyCap letter="1" />–<KeyCap letter="5" /> file</span
        ><span><KeyCap letter="Shift" /><KeyCap letter="1" /> several</span
        ><span><KeyCap letter="U" /> undo</span><span><KeyCap letter="↓" /><KeyCap letter="↑" /> move</span>
      </p>
    </header>
    <Trouble :words="desk.problem" :retry="desk.load" class="mb-2" />
    <WeighingLine />
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
            {{ each.name }}
            <span class="figures"
              >{{ each.count.toLocaleString('en-GB')
              }}<template v-if="each.group === 'certain'">
                · <button type="button" class="link" @click="accepting = true">file all</button>
                <KeyCap letter="A" /></template
            ></span>
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
        <NobodysMail :days="desk.queue?.unconnected ?? []" />
      </nav>
      <div class="sheet reading" tabindex="0" role="region" aria-label="The message">
        <MessagePaper
          v-if="desk.message"
          :key="desk.message.id"
          :message="desk.message"
          @whole="opened = $event"
          @changed="desk.load()"
        />
      </div>
      <Choices
        ref="choices"
        class="choices"
        @find="finding = true"
        @always="ruling = true"
        @new-client="making = true"
      />
    </div>
    <div v-else-if="desk.queue" class="sheet done">
      <div class="pa-6">
        <h2>Nothing to sort</h2>
        <p class="quiet mt-2">
          New messages without a sure file will appear here by themselves.
          <router-link to="/">Back to Today</router-link>
        </p>
      </div>
      <NobodysMail :days="desk.queue.unconnected" />
    </div>
    <FileFinder v-model="finding" @choose="found" />
    <MessageDialog v-model="opened" @changed="desk.load()" />
    <RuleDialog v-model="ruling" :message="desk.message" @kept="ruled" />
    <NewClient v-model="making" :stranger="desk.message?.stranger ?? null" @made="found" />
    <AskDialog v-model="accepting" :max-width="620" label="File all that are nearly certain">
      <template #heading>File {{ many(certain.length, 'message') }} as suggested?</template>
      <ul class="accept">
        <li v-for="row in certain" :key="row.id">
          <FileTab state="suggested" :label="row.first?.number" />
          <span
            ><strong>{{ row.from }}</strong
            >: {{ row.subject }}</span
          >
        </li>
      </ul>

      <template #answers>
        <v-btn @click="accepting = false">Not yet</v-btn>
        <v-btn ref="acceptButton" color="primary" variant="flat" @click="acceptAll">File them all</v-btn>
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.desk {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 264px minmax(0, 1fr) 304px;
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
.accept {
  list-style: none;
  padding: 0;
  margin: 12px 0 0;
  max-height: 50vh;
  overflow: auto;
}
.accept li {
  display: flex;
  gap: 10px;
  padding: 5px 0;
  border-bottom: 1px solid var(--hairline);
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
