import { computed, ref, type UnwrapNestedRefs } from 'vue';
import { z } from 'zod';
import {
  DraftSaved,
  DraftSent,
  DraftView,
  MisaddressedWarning,
  type Addressees,
  type FileRef,
} from '../../contract/index.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { useAutosave } from '../ui/autosave.ts';
import { act, ApiProblem, get, send, wordsOf, upload } from '../api.ts';

/** What the parts of the desk are given of the message being written. */
export type Desk = UnwrapNestedRefs<ReturnType<typeof useDraft>>;

/** One message being written: what was typed is kept as one types. */
export function useDraft(id: number) {
  const letter = ref<DraftView | null>(null);
  const people = ref<Addressees>({ to: [], cc: [], bcc: [] });
  const subject = ref('');
  const body = ref<DocNode>({ type: 'doc', content: [{ type: 'paragraph' }] });
  const quoted = ref('');
  const plain = ref(false);
  const mailboxId = ref<number | null>(null);
  const files = ref<FileRef[]>([]);
  const problem = ref('');
  const field = ref<string | null>(null);
  const sent = ref<DraftSent | null>(null);
  let version = 0;
  /** Nothing is kept of it any more. */
  let thrown = false;
  const open = computed(() => letter.value?.state === 'draft' && !sent.value);

  /** Everything that is kept, as it stands. */
  const content = () => ({
    mailboxId: mailboxId.value,
    people: people.value,
    subject: subject.value,
    body: body.value,
    plain: plain.value,
    quoted: quoted.value,
    fileIds: files.value.map((file) => file.id),
  });
  async function load(): Promise<void> {
    try {
      const found = await get(DraftView, `/drafts/${id}`);
      version = found.version;
      people.value = found.people;
      subject.value = found.subject;
      body.value = found.body as DocNode;
      quoted.value = found.quoted;
      plain.value = found.plain;
      mailboxId.value = found.mailboxId;
      files.value = found.files;
      letter.value = found;
      autosave.settled();
      problem.value = '';
    } catch (error) {
      problem.value = wordsOf(error);
    }
  }

  const autosave = useAutosave(
    () => (open.value && !thrown ? content() : null),
    async (now) => {
      const saved = await send('PUT', DraftSaved, `/drafts/${id}`, { version, ...now });
      version = saved.version;
      if (!letter.value) return;
      letter.value.fittingFiles = saved.fittingFiles;
      letter.value.savedAt = saved.savedAt;
    },
  );
  const { save, unsaved } = autosave;

  /** What gives pause before it leaves; empty when nothing does, or when it cannot be told now. */
  async function warnings(): Promise<MisaddressedWarning[]> {
    if (!(await save())) return [];
    return get(z.array(MisaddressedWarning), `/drafts/${id}/warnings`).catch(() => []);
  }

  /** Sends it off. @param at when, as an instant; null for now */
  async function dispatch(at: string | null): Promise<boolean> {
    if (!(await save())) return false;
    try {
      sent.value = await send('POST', DraftSent, `/drafts/${id}/send`, { version, at });
      problem.value = '';
      field.value = null;
      return true;
    } catch (error) {
      problem.value = wordsOf(error);
      field.value = error instanceof ApiProblem ? error.field : null;
      return false;
    }
  }
  async function recall(): Promise<void> {
    try {
      await act('POST', `/drafts/${id}/recall`);
      sent.value = null;
      await load();
    } catch (error) {
      problem.value = wordsOf(error);
    }
  }
  async function throwAway(): Promise<boolean> {
    try {
      await save();
      await act('DELETE', `/drafts/${id}`);
      thrown = true;
      return true;
    } catch (error) {
      problem.value = wordsOf(error);
      return false;
    }
  }
  /** Whether nothing was done to it since it was begun. */
  const untouched = () =>
    open.value && !thrown && version === 1 && !unsaved.value && !letter.value?.enclosures.length;

  /** Changes some of what is written. */
  function put(change: { files?: FileRef[]; subject?: string; plain?: boolean }): void {
    if (change.files) files.value = change.files;
    if (change.subject !== undefined) subject.value = change.subject;
    if (change.plain !== undefined) plain.value = change.plain;
  }
  /** How long it can still be taken back, in whole seconds. @param now in milliseconds */
  const secondsLeft = (now: number) =>
    sent.value ? Math.max(0, Math.ceil((Date.parse(sent.value.leavesAt) - now) / 1000)) : 0;

  /** Reads the enclosures again after one was added or taken off. */
  async function refresh(): Promise<void> {
    const found = await get(DraftView, `/drafts/${id}`);
    if (letter.value) letter.value.enclosures = found.enclosures;
  }
  async function enclose(file: File): Promise<void> {
    try {
      await upload(`/drafts/${id}/enclosures`, { filename: file.name, type: file.type }, file);
      await refresh();
      problem.value = '';
    } catch (error) {
      problem.value = `${file.name} could not be enclosed. ${wordsOf(error)}`;
    }
  }
  async function encloseDocument(documentId: number): Promise<void> {
    try {
      await act('POST', `/drafts/${id}/enclosures/document`, { documentId });
      await refresh();
    } catch (error) {
      problem.value = wordsOf(error);
    }
  }
  async function encloseKept(wordingIds: readonly number[]): Promise<void> {
    try {
      await act('POST', `/drafts/${id}/enclosures/kept`, { wordingIds });
      await refresh();
    } catch (error) {
      problem.value = wordsOf(error);
    }
  }
  async function takeOff(enclosure: number): Promise<void> {
    try {
      await act('DELETE', `/drafts/${id}/enclosures/${enclosure}`);
      await refresh();
    } catch (error) {
      problem.value = wordsOf(error);
    }
  }

  return {
    letter,
    people,
    subject,
    body,
    quoted,
    plain,
    mailboxId,
    files,
    /** What went wrong last, in words. */
    problem: computed(() => autosave.problem.value || problem.value),
    field,
    unsaved,
    sent,
    open,
    untouched,
    load,
    save,
    warnings,
    dispatch,
    recall,
    throwAway,
    enclose,
    encloseDocument,
    encloseKept,
    takeOff,
    put,
    secondsLeft,
  };
}
