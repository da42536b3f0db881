import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import { MessageView, SortDone, SortingQueue, type Sort, type SortingRow } from '../../contract/index.ts';
import { get, send, wordsOf } from '../api.ts';

const LIMIT = 100;

/** The desk where messages without a sure file are given one. */
export const useDesk = defineStore('desk', () => {
  const queue = ref<SortingQueue | null>(null);
  const selectedId = ref<number | null>(null);
  const message = ref<MessageView | null>(null);
  const problem = ref('');
  const said = ref('');
  const busy = ref(false);
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

  async function settle(to: Sort['to'], restOfConversation: boolean): Promise<void> {
    const id = selectedId.value;
    if (id === null || busy.value) return;
    busy.value = true;
    try {
      const done = await send('POST', SortDone, '/sorting', { messageId: id, to, restOfConversation });
      const next = rows.value[index.value + 1] ?? rows.value[index.value - 1];
      said.value = done.messages > 1 ? `${done.words}, ${done.messages} messages` : done.words;
      ahead.clear();
      if (queue.value) queue.value = { ...queue.value, rows: rows.value.filter((row) => row.id !== id) };
      await select(next?.id ?? null);
      await load();
    } catch (error) {
      problem.value = wordsOf(error);
    } finally {
      busy.value = false;
    }
  }

  async function undo(): Promise<void> {
    const step = queue.value?.undo;
    if (!step || busy.value) return;
    busy.value = true;
    try {
      said.value = (await send('POST', SortDone, `/sorting/steps/${step.id}/undo`, {})).words;
      ahead.clear();
      const known = new Set(rows.value.map((row) => row.id));
      await load();
      const back = rows.value.find((row) => !known.has(row.id));
      if (back) await select(back.id);
    } catch (error) {
      problem.value = wordsOf(error);
    } finally {
      busy.value = false;
    }
  }

  return { queue, rows, selectedId, message, problem, said, busy, load, select, move, settle, undo };
});
