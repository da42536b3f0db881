import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import {
  MessageView,
  SortDone,
  SortingQueue,
  type FileRef,
  type Sort,
  type SortingGroup,
  type SortingRow,
} from '../../contract/index.ts';
import { get, send, wordsOf } from '../api.ts';
import { useRequestQueue } from '../parts/requestQueue.ts';
import { many } from '../words.ts';

const LIMIT = 100;

/** The desk where messages without a sure file are given one. */
export const useSortingQueue = defineStore('desk', () => {
  const queue = ref<SortingQueue | null>(null);
  const selectedId = ref<number | null>(null);
  const message = ref<MessageView | null>(null);
  const problem = ref('');
  const said = ref('');
  /** The next message is shown while the request is still under way. */
  const { busy, follow } = useRequestQueue(async (words) => {
    await load();
    problem.value = words;
  });
  /** What is chosen for the message under the eyes; begins anew with each. */
  const rest = ref(true);
  const note = ref('');
  const chosen = ref<FileRef[]>([]);
  const addAddressTo = ref<number | null>(null);
  const ahead = new Map<number, Promise<MessageView>>();

  const rows = computed<SortingRow[]>(() => queue.value?.rows ?? []);
  const index = computed(() => rows.value.findIndex((row) => row.id === selectedId.value));

  async function load(): Promise<void> {
    try {
      const before = index.value;
      queue.value = await get(SortingQueue, '/sorting', { limit: LIMIT });
      problem.value = '';
      if (index.value < 0)
        await select(rows.value[Math.max(0, Math.min(before, rows.value.length - 1))]?.id ?? null);
    } catch (error) {
      problem.value = wordsOf(error);
    }
  }

  function fetchMessage(id: number): Promise<MessageView> {
    const waiting = ahead.get(id) ?? get(MessageView, `/messages/${id}`);
    ahead.set(id, waiting);
    waiting.catch(() => ahead.delete(id));
    return waiting;
  }

  /** Shows a message, and fetches the ones after it so that the next is there at once. */
  async function select(id: number | null): Promise<void> {
    if (id !== selectedId.value) {
      rest.value = true;
      note.value = '';
      chosen.value = [];
      addAddressTo.value = null;
    }
    selectedId.value = id;
    if (id === null) {
      message.value = null;
      return;
    }
    try {
      const found = await fetchMessage(id);
      if (selectedId.value === id) message.value = found;
      for (const row of rows.value.slice(index.value + 1, index.value + 3))
        void fetchMessage(row.id).catch(() => undefined);
    } catch (error) {
      problem.value = wordsOf(error);
    }
  }

  function move(by: number): void {
    const next = rows.value[index.value + by];
    if (next) void select(next.id);
  }

  /** Adds a file to those the message will go to, or takes it out again. */
  function toggle(file: FileRef): void {
    if (message.value?.id !== selectedId.value) return;
    const there = chosen.value.some((each) => each.id === file.id);
    chosen.value = there ? chosen.value.filter((each) => each.id !== file.id) : [...chosen.value, file];
  }

  /** Settles the message under the eyes, or others named; the one after it is there at once. */
  function settle(to: Sort['to'], others: readonly number[] = []): void {
    const id = others[0] ?? selectedId.value;
    // A key pressed before the message is shown was not meant for it.
    if (id === null || (!others.length && message.value?.id !== id)) return;
    const body: Sort = {
      messageId: id,
      alsoIds: others.slice(1),
      to,
      restOfConversation: others.length ? false : rest.value,
      note: note.value,
      addAddressTo: addAddressTo.value,
    };
    const gone = new Set(others.length ? others : [id]);
    const next =
      rows.value.slice(index.value).find((row) => !gone.has(row.id)) ??
      rows.value.filter((row) => !gone.has(row.id)).at(-1);
    if (queue.value) queue.value = { ...queue.value, rows: rows.value.filter((row) => !gone.has(row.id)) };
    void select(next?.id ?? null);
    void follow(async (last) => {
      const done = await send('POST', SortDone, '/sorting', body);
      said.value = done.settledAlong
        ? `${done.words}; ${many(done.settledAlong, 'more', 'more')} found ${done.settledAlong === 1 ? 'its' : 'their'} place by that`
        : done.words;
      if (!last()) return;
      ahead.clear();
      await load();
      if (selectedId.value !== null) await select(selectedId.value);
    });
  }

  /** Files every message of a group where it is suggested first. */
  function acceptGroup(group: SortingGroup): void {
    const ids = rows.value.filter((row) => row.group === group && row.first).map((row) => row.id);
    if (ids.length) settle({ kind: 'suggested' }, ids);
  }

  function undo(): Promise<void> {
    return follow(async () => {
      const step = queue.value?.undo;
      if (!step) return;
      said.value = (await send('POST', SortDone, `/sorting/steps/${step.id}/undo`, {})).words;
      ahead.clear();
      const known = new Set(rows.value.map((row) => row.id));
      await load();
      const back = rows.value.find((row) => !known.has(row.id));
      if (back) await select(back.id);
    });
  }

  return {
    queue,
    rows,
    selectedId,
    message,
    problem,
    said,
    busy,
    rest,
    note,
    chosen,
    addAddressTo,
    load,
    select,
    move,
    toggle,
    settle,
    acceptGroup,
    undo,
  };
});
