<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { computed, nextTick, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { Change, FileRef, MailRow, MailView } from '../../contract/index.ts';
import { useKeys } from '../ui/keys.ts';
import { about, useLive } from '../ui/live.ts';
import MessageDialog from '../message/MessageDialog.vue';
import FileFinder from '../parts/FileFinder.vue';
import KeyCap from '../parts/KeyCap.vue';
import Trouble from '../parts/Trouble.vue';
import { many, useTimes } from '../words.ts';
import MailLine from './MailLine.vue';
import MailSearch from './MailSearch.vue';
import MailSide from './MailSide.vue';
import TaskDialog from '../tasks/TaskDialog.vue';
import MoveDialog from './MoveDialog.vue';
import TickedBar from './TickedBar.vue';
import { useMailList } from './mailList.ts';
import Undone from './Undone.vue';
import Unfolded from './Unfolded.vue';
import WithoutBin from './WithoutBin.vue';
import AskDialog from '../ui/AskDialog.vue';

const post = useMailList();
const route = useRoute();
const router = useRouter();
const { dayHeading, dayOf } = useTimes();
const finding = ref(false);
const moving = ref(false);
const whole = ref<number | null>(null);
const gone = ref<number[]>([]);
const scroller = ref<{ scrollToIndex(index: number): void; $el: HTMLElement } | null>(null);

const VIEWS: { view: MailView; words: string }[] = [
  { view: 'everything', words: 'Everything' },
  { view: 'client', words: 'client mail only' },
  { view: 'unread', words: 'unread' },
  { view: 'starred', words: 'starred' },
  { view: 'owed', words: 'waiting for an answer' },
  { view: 'enclosures', words: 'with enclosures' },
];

type Item = { key: string; day: string; row: null } | { key: string; day: null; row: MailRow };
/** Rows under the days they belong to. */
const items = computed<Item[]>(() => {
  let day = '';
  return post.rows.flatMap((row): Item[] => {
    const own = dayOf(row.at);
    const line: Item = { key: `m${row.id}`, day: null, row };
    if (own === day) return [line];
    day = own;
    return [{ key: `d${own}`, day: own, row: null }, line];
  });
});

if (typeof route.query.q === 'string') post.q = route.query.q;
const wanted = VIEWS.find((each) => each.view === route.query.view);
if (wanted) post.view = wanted.view;
void post.load();
// Nothing moves under the hand of somebody who is ticking messages.
useLive({ mail: concerns }, () => void (post.ticked.size || post.load(true)));
function concerns(change: Change) {
  return (
    about('mailbox', () => post.on)(change) || about('message', () => post.rows.map((row) => row.id))(change)
  );
}
watch(
  () => post.ticked.size,
  (size) => void (size || post.load(true)),
);
const search = useDebounceFn(() => void post.show(() => undefined), 250);
watch(
  () => post.q,
  () => {
    void search();
    void router.replace({ query: post.q ? { q: post.q } : {} });
  },
);

const sharedIds = computed(() => new Set(post.boxes.filter((box) => box.shared).map((box) => box.id)));
const isShared = (row: MailRow) => row.boxes.some((id) => sharedIds.value.has(id));
const own = computed(() => new Set(post.boxes.filter((box) => box.own || box.shared).map((box) => box.id)));

function open(row: MailRow) {
  post.atId = row.id;
  post.openId = post.openId === row.id ? null : row.id;
  // Once its words are there, as much of it as fits is brought into sight.
  if (post.openId !== null)
    setTimeout(
      () => scroller.value?.$el.querySelector('.unfolded')?.scrollIntoView({ block: 'nearest' }),
      250,
    );
  // Reading it in one's own mailbox, or the office's, marks it read there; never in a colleague's.
  const here = row.boxes.filter((id) => own.value.has(id));
  if (post.openId === row.id && row.unread && here.length) void post.mark('read', [row.id], true, here);
}
function answer(row: MailRow | null, how: 'reply' | 'all' | 'forward') {
  if (row) void router.push({ name: 'write', query: { message: row.id, how } });
}
/** A message about which a task is being left. */
const tasking = ref<(typeof post)['current']>(null);
const write = () => void router.push({ name: 'write' });
function choose(file: FileRef) {
  void post.file(post.chosen, { kind: 'files', fileIds: [file.id] });
}
const inBin = computed(() => post.thrown || folderOf(post.folder)?.role === 'trash');
function folderOf(id: number | null) {
  return post.boxes.flatMap((box) => box.folders).find((folder) => folder.id === id);
}
function throwAway(ids: readonly number[]) {
  // What lies in the bin goes for good, so that is asked first.
  if (inBin.value) gone.value = [...ids];
  else void post.take({ kind: 'throw away', forGood: false }, ids, 'Thrown away');
}
function throwForGood() {
  void post.take({ kind: 'throw away', forGood: false }, gone.value, 'Thrown away');
  gone.value = [];
}
const anyUnread = computed(() => post.rows.some((row) => post.chosen.includes(row.id) && row.unread));
const anyPlain = computed(() => post.rows.some((row) => post.chosen.includes(row.id) && !row.starred));

useKeys(
  {
    ArrowDown: () => go(1),
    ArrowUp: () => go(-1),
    Enter: () => post.current && open(post.current),
    ' ': () => post.atId !== null && post.tick(post.atId),
    Escape: () => (post.ticked.size ? (post.ticked = new Set()) : (post.openId = null)),
    Delete: () => post.chosen.length && throwAway(post.chosen),
    w: write,
    a: () => answer(post.current, 'reply'),
    m: () => post.chosen.length && post.mark('read', post.chosen, anyUnread.value),
    t: () => post.chosen.length && post.mark('star', post.chosen, anyPlain.value),
    f: () => post.chosen.length && (finding.value = true),
    v: () => post.chosen.length && (moving.value = true),
    x: () => post.chosen.length && post.file(post.chosen, { kind: 'aside' }),
    k: () => post.current && (tasking.value = post.current),
    u: () => post.undo(),
  },
  {
    unless: () =>
      tasking.value !== null ||
      finding.value ||
      moving.value ||
      gone.value.length > 0 ||
      whole.value !== null,
  },
);
/** Moves the cursor and keeps it in sight. */
async function go(by: number) {
  post.move(by);
  await nextTick();
  const index = items.value.findIndex((item) => item.row?.id === post.atId);
  const shown = scroller.value?.$el.querySelector('[aria-current="true"]');
  if (shown) shown.scrollIntoView({ block: 'nearest' });
  else if (index >= 0) scroller.value?.scrollToIndex(index);
}
/** Reads on before the end of what has been loaded comes into sight. */
function scrolled(event: Event) {
  const { scrollTop, clientHeight, scrollHeight } = event.target as HTMLElement;
  if (scrollHeight - scrollTop - clientHeight < 1200) void post.more();
}
const nothing = computed(() => post.loaded && !post.rows.length && !post.loading);
</script>

<template>
  <div class="screen screen-fixed mail">
    <header class="head">
      <div class="names">
        <h1>Mail</h1>
        <nav class="views" aria-label="What of the mail">
          <button
            v-for="each in VIEWS"
            :key="each.view"
            type="button"
            class="plain view"
            :class="{ on: post.view === each.view }"
            :aria-pressed="post.view === each.view"
            @click="post.show(() => (post.view = each.view))"
          >
            {{ each.words }}
          </button>
        </nav>
      </div>
      <v-btn color="primary" variant="flat" @click="write">Write <KeyCap letter="W" class="ml-2" /></v-btn>
    </header>
    <p class="said quiet" role="status">
      {{ post.said.words }}
      <button v-if="post.said.undo" type="button" class="link" @click="post.undo()">Undo</button>
    </p>
    <div class="columns">
      <MailSide />
      <div class="sheet list">
        <TickedBar
          v-if="post.ticked.size"
          @move="moving = true"
          @find="finding = true"
          @throw="throwAway(post.chosen)"
        />
        <MailSearch v-else />
        <Undone />
        <Trouble :words="post.problem" :retry="() => post.load(true)" class="ma-2" />
        <p v-if="nothing && !post.on.length" class="quiet pa-4">
          Every mailbox is switched off. Switch one on at the left to see its mail.
        </p>
        <p v-else-if="nothing && post.q" class="quiet pa-4">
          Nothing here has these words. “Look on the server too” finds mail that has not been taken in.
        </p>
        <p v-else-if="nothing" class="quiet pa-4">
          {{
            post.view === 'unread'
              ? 'Everything here has been read.'
              : post.view === 'owed'
                ? 'Nobody waits for an answer.'
                : 'No messages here. New mail appears by itself.'
          }}
        </p>
        <v-virtual-scroll
          v-else
          ref="scroller"
          :items="items"
          :item-height="43"
          item-key="key"
          class="rows"
          tabindex="0"
          role="region"
          aria-label="Messages"
          @scroll.passive="scrolled"
        >
          <template #default="{ item }">
            <h2 v-if="item.day" class="day-name">{{ dayHeading(item.day) }}</h2>
            <template v-else-if="item.row">
              <Unfolded
                v-if="post.openId === item.row.id"
                :row="item.row"
                :shared="isShared(item.row)"
                @fold="post.openId = null"
                @file="(file) => item.row && post.file([item.row.id], { kind: 'files', fileIds: [file.id] })"
                @find="finding = true"
                @aside="item.row && post.file([item.row.id], { kind: 'aside' })"
                @answer="(how) => answer(item.row, how)"
                @deal="(on) => item.row && post.dealWith([item.row.id], on)"
                @throw="item.row && throwAway([item.row.id])"
                @whole="(id) => (whole = id)"
                @changed="post.load(true)"
              />
              <MailLine
                v-else
                :row="item.row"
                :at="post.atId === item.row.id"
                :ticked="post.ticked.has(item.row.id)"
                @open="item.row && open(item.row)"
                @tick="item.row && post.tick(item.row.id)"
                @star="item.row && post.mark('star', [item.row.id], !item.row.starred)"
              />
            </template>
          </template>
        </v-virtual-scroll>
        <footer class="keys quiet">
          <span><KeyCap letter="↑" /><KeyCap letter="↓" /> go</span>
          <span><KeyCap letter="Enter" /> unfold</span>
          <span><KeyCap letter="Space" /> tick</span>
          <span><KeyCap letter="M" /> read</span>
          <span><KeyCap letter="T" /> star</span>
          <span><KeyCap letter="V" /> move</span>
          <span><KeyCap letter="F" /> file</span>
          <span><KeyCap letter="K" /> task</span>
          <span><KeyCap letter="X" /> not client mail</span>
          <span><KeyCap letter="Delete" /> throw away</span>
          <span><KeyCap letter="U" /> undo</span>
        </footer>
      </div>
    </div>
    <FileFinder v-model="finding" @choose="choose" />
    <MoveDialog v-model="moving" />
    <TaskDialog
      v-if="tasking"
      :task="null"
      :about="{ messageId: tasking.id, words: tasking.subject }"
      @close="tasking = null"
      @kept="(words) => ((tasking = null), (post.said = { words, undo: null }))"
    />
    <AskDialog
      :model-value="gone.length > 0"
      label="Throw away for good"
      @update:model-value="(on: boolean) => on || (gone = [])"
    >
      <template #heading>Throw {{ many(gone.length, 'message') }} away for good?</template>
      <p>
        The mailbox will not have {{ gone.length === 1 ? 'it' : 'them' }} any more, and this cannot be undone.
        What is logged on a client file stays there.
      </p>

      <template #answers>
        <v-btn @click="gone = []">Keep</v-btn>
        <v-btn color="error" variant="flat" @click="throwForGood">Throw away for good</v-btn>
      </template>
    </AskDialog>
    <WithoutBin />
    <MessageDialog v-model="whole" @changed="post.load(true)" />
  </div>
</template>

<style scoped>
.mail {
  padding-bottom: 14px;
}
.names {
  display: flex;
  gap: 24px;
  align-items: baseline;
  min-width: 0;
}
.views {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
}
.view {
  color: var(--ink-soft);
  padding-bottom: 4px;
  border-bottom: 3px solid transparent;
}
.view.on {
  color: var(--ink);
  font-weight: 700;
  border-color: var(--spruce);
}
.columns {
  display: grid;
  grid-template-columns: 178px minmax(0, 1fr);
  gap: 18px;
  flex: 1;
  min-height: 0;
}
.list {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.rows {
  flex: 1;
  min-height: 0;
}
.day-name {
  font: 600 14px/1 var(--serif);
  padding: 11px 14px 10px;
  background: var(--rail);
  border-bottom: 1px solid var(--hairline);
}
.list .keys {
  justify-content: start;
  padding: 6px 12px;
  border-top: 1px solid var(--hairline);
  font-size: 12px;
}
@media (max-width: 1000px) {
  .columns {
    grid-template-columns: 140px minmax(0, 1fr);
    gap: 12px;
  }
}
</style>
