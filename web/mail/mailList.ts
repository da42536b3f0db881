import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import { z } from 'zod';
import {
  Joined,
  LookedOnServer,
  MailActDone,
  MailPage,
  ShownMailbox,
  SortDone,
  type Join,
  type MailAct,
  type MailRow,
  type MailView,
  type Sort,
} from '../../contract/index.ts';
import { get, send, wordsOf } from '../api.ts';
import { many } from '../words.ts';

const PAGE = 60;
/** So long a step can be taken back from the line above the list. */
const UNDO_SECONDS = 10;
const OFF = 'mailboxes switched off';

/** What stands above the list after a step, and how to take it back. */
export interface Said {
  words: string;
  undo: (() => Promise<unknown>) | null;
}

/** The mail at hand: which mailboxes are shown, what of them, and what was done lately. */
export const useMailList = defineStore('post', () => {
  const boxes = ref<ShownMailbox[]>([]);
  const off = ref(new Set<number>(JSON.parse(localStorage.getItem(OFF) ?? '[]') as number[]));
  const view = ref<MailView>('everything');
  const folder = ref<number | null>(null);
  const thrown = ref(false);
  const q = ref('');
  const from = ref('');
  const until = ref('');
  const rows = ref<MailRow[]>([]);
  const next = ref<string | null>(null);
  const loading = ref(false);
  const loaded = ref(false);
  const problem = ref('');
  const ticked = ref(new Set<number>());
  const openId = ref<number | null>(null);
  const atId = ref<number | null>(null);
  const said = ref<Said>({ words: '', undo: null });
  /** What was to be thrown away in mailboxes without a bin. */
  const binless = ref<{ ids: number[]; boxes: number[] }>({ ids: [], boxes: [] });
  let asked = 0;

  const on = computed(() => boxes.value.filter((box) => !off.value.has(box.id)).map((box) => box.id));
  const current = computed(() => rows.value.find((row) => row.id === atId.value) ?? null);
  /** What an act is done to: the ticked rows, or the one the cursor is on. */
  const chosen = computed(() =>
    ticked.value.size ? [...ticked.value] : atId.value === null ? [] : [atId.value],
  );

  const query = () => ({
    boxes: on.value.join(','),
    view: view.value,
    folder: folder.value,
    thrown: thrown.value ? '1' : null,
    q: q.value.trim(),
    from: from.value,
    until: until.value,
  });

  async function loadBoxes(): Promise<void> {
    boxes.value = await get(z.array(ShownMailbox), '/mail/boxes');
  }

  /** Reads the list from its top; as many rows as are shown, so that nothing jumps. */
  async function load(again = false): Promise<void> {
    const mine = ++asked;
    loading.value = true;
    try {
      await loadBoxes();
      const limit = again ? Math.min(200, Math.max(PAGE, rows.value.length)) : PAGE;
      const page = on.value.length
        ? await get(MailPage, '/mail', { ...query(), limit })
        : { rows: [], next: null };
      if (mine !== asked) return;
      const more = again ? rows.value.slice(limit) : [];
      const here = new Set([...page.rows, ...more].map((row) => row.id));
      // What is being read stays where it is, even if it is unread no more.
      const read = again ? rows.value.filter((row) => row.id === openId.value && !here.has(row.id)) : [];
      rows.value = [...page.rows, ...more, ...read].sort(
        (a, b) => Date.parse(b.at) - Date.parse(a.at) || b.id - a.id,
      );
      if (!more.length) next.value = page.next;
      problem.value = '';
      loaded.value = true;
      if (!rows.value.some((row) => row.id === atId.value)) atId.value = rows.value[0]?.id ?? null;
    } catch (error) {
      if (mine === asked) problem.value = wordsOf(error);
    } finally {
      if (mine === asked) loading.value = false;
    }
  }

  async function more(): Promise<void> {
    if (!next.value || loading.value) return;
    const mine = ++asked;
    loading.value = true;
    try {
      const page = await get(MailPage, '/mail', { ...query(), after: next.value, limit: PAGE });
      if (mine !== asked) return;
      const here = new Set(rows.value.map((row) => row.id));
      rows.value = [...rows.value, ...page.rows.filter((row) => !here.has(row.id))];
      next.value = page.next;
    } catch (error) {
      if (mine === asked) problem.value = wordsOf(error);
    } finally {
      if (mine === asked) loading.value = false;
    }
  }

  function show(change: () => void): Promise<void> {
    change();
    ticked.value = new Set();
    openId.value = null;
    rows.value = [];
    loaded.value = false;
    return load();
  }

  function switchBox(id: number): Promise<void> {
    const now = new Set(off.value);
    if (!now.delete(id)) now.add(id);
    localStorage.setItem(OFF, JSON.stringify([...now]));
    return show(() => (off.value = now));
  }

  function tick(id: number): void {
    const now = new Set(ticked.value);
    if (!now.delete(id)) now.add(id);
    ticked.value = now;
  }

  function move(by: number): void {
    const at = rows.value.findIndex((row) => row.id === atId.value);
    const to = rows.value[Math.max(0, Math.min(rows.value.length - 1, at + by))];
    if (to) atId.value = to.id;
  }

  let forget: ReturnType<typeof setTimeout> | null = null;
  function say(words: string, undo: Said['undo'] = null): void {
    if (forget) clearTimeout(forget);
    said.value = { words, undo };
    forget = setTimeout(() => (said.value = { words: '', undo: null }), UNDO_SECONDS * 1000);
  }
  async function undo(): Promise<void> {
    const back = said.value.undo;
    if (!back) return;
    said.value = { words: '', undo: null };
    await attempt(async () => {
      await back();
      say('Taken back.');
    });
  }

  async function attempt(work: () => Promise<void>): Promise<void> {
    try {
      await work();
      problem.value = '';
      await load(true);
    } catch (error) {
      problem.value = wordsOf(error);
      await load(true);
    }
  }

  const tell = (act: MailAct['act'], messageIds: readonly number[], within: readonly number[] = on.value) =>
    send('POST', MailActDone, '/mail/acts', { messageIds: [...messageIds], boxes: [...within], act });

  /**
   * Shown at once; what the server refuses comes back with the words why.
   * @param within the mailboxes in which it is done; all that are shown when left out
   */
  function mark(
    kind: 'read' | 'star',
    ids: readonly number[],
    value: boolean,
    within?: readonly number[],
  ): Promise<void> {
    for (const row of rows.value)
      if (ids.includes(row.id)) {
        if (kind === 'read') row.unread = !value;
        else row.starred = value;
      }
    return attempt(async () => void (await tell({ kind, on: value }, ids, within)));
  }

  /**
   * Moves messages away, with a way back. What lies in a mailbox without a bin stays until somebody says what to do.
   * @param within the mailboxes in which it is done; all that are shown when left out
   */
  function take(
    act: MailAct['act'] & { kind: 'move' | 'throw away' },
    ids: readonly number[],
    where: string,
    within?: readonly number[],
  ): Promise<void> {
    return attempt(async () => {
      const done = await tell(act, ids, within);
      if (done.withoutBin.length) binless.value = { ids: [...ids], boxes: done.withoutBin };
      if (!done.moved.length && !done.gone) return;
      leave(ids);
      const words = done.gone && !done.moved.length ? 'Thrown away for good' : where;
      say(
        `${words}: ${many(done.messages, 'message')}.`,
        done.moved.length
          ? () =>
              tell({ kind: 'put back', copies: done.moved }, [
                ...new Set(done.moved.map((each) => each.messageId)),
              ])
          : null,
      );
    });
  }

  /** The cursor goes on to the next row that stays. */
  function leave(ids: readonly number[]): void {
    const at = rows.value.findIndex((row) => row.id === atId.value);
    const stays = [
      ...rows.value.slice(Math.max(0, at)),
      ...rows.value.slice(0, Math.max(0, at)).reverse(),
    ].find((row) => !ids.includes(row.id));
    rows.value = rows.value.filter((row) => !ids.includes(row.id));
    ticked.value = new Set([...ticked.value].filter((id) => !ids.includes(id)));
    if (openId.value !== null && ids.includes(openId.value)) openId.value = null;
    atId.value = stays?.id ?? null;
  }

  function file(ids: readonly number[], to: Sort['to']): Promise<void> {
    const [first, ...others] = ids;
    if (first === undefined) return Promise.resolve();
    return attempt(async () => {
      const done = await send('POST', SortDone, '/sorting', { messageId: first, alsoIds: others, to });
      ticked.value = new Set();
      say(`${done.words}.`, () => send('POST', SortDone, `/sorting/steps/${done.stepId}/undo`, {}));
    });
  }

  /** Makes the conversations of these messages one: that of the oldest of them. */
  function gather(ids: readonly number[]): Promise<void> {
    const chosen = rows.value.filter((row) => ids.includes(row.id));
    const oldest = chosen.at(-1);
    if (!oldest) return Promise.resolve();
    const join = (id: number, to: z.input<typeof Join>) => send('POST', Joined, `/messages/${id}/join`, to);
    return attempt(async () => {
      // Which conversation each is of the server knows: what is listed here may be a moment old.
      const moved: { id: number; before: number }[] = [];
      for (const { id } of chosen.filter((row) => row !== oldest)) {
        const { before, conversationId } = await join(id, { withId: oldest.id });
        if (before !== conversationId) moved.push({ id, before });
      }
      ticked.value = new Set();
      say(
        moved.length
          ? `${many(chosen.length, 'message')} are one conversation now.`
          : 'They were one already.',
        moved.length
          ? async () => {
              for (const { id, before } of moved) await join(id, { conversationId: before });
            }
          : null,
      );
    });
  }

  const dealWith = (ids: readonly number[], value: boolean) =>
    attempt(async () => void (await tell({ kind: 'deal with', on: value }, ids)));

  /** @returns what the servers had that was not here, in words */
  async function lookOnServers(): Promise<void> {
    await attempt(async () => {
      const found = await send('POST', LookedOnServer, '/mail/on-server', {
        q: q.value.trim(),
        boxes: on.value,
      });
      const words = found.found
        ? `${many(found.found, 'message')} found on the server and taken in.`
        : 'The servers have nothing more of that.';
      say([words, ...found.problems].join(' '));
    });
  }

  return {
    boxes,
    off,
    on,
    view,
    folder,
    thrown,
    q,
    from,
    until,
    rows,
    next,
    loading,
    loaded,
    problem,
    ticked,
    openId,
    atId,
    current,
    chosen,
    said,
    binless,
    load,
    more,
    show,
    switchBox,
    tick,
    move,
    mark,
    take,
    file,
    gather,
    dealWith,
    undo,
    say,
    lookOnServers,
  };
});
