import { useDebounceFn } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { z } from 'zod';
import { DraftSaved, DraftSent, DraftView, type Addressees, type FileRef } from '../../contract/index.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { act, ApiProblem, get, send, wordsOf } from '../api.ts';

const SAVE_AFTER = 700;
const RETRY_AFTER = 5000;

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
  const saving = ref(false);
  const unsaved = ref(false);
  const sent = ref<DraftSent | null>(null);
  let version = 0;
  let line: Promise<void> = Promise.resolve();
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
  /** What the server has, as text: the objects themselves change under the hand. */
  let kept = '';

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
      kept = JSON.stringify(content());
      letter.value = found;
      problem.value = '';
    } catch (error) {
      problem.value = wordsOf(error);
    }
  }

  /** Keeps what was typed; one save after the other, each of the latest. */
  function save(): Promise<void> {
    line = line.then(async () => {
      if (!unsaved.value || !open.value) return;
      unsaved.value = false;
      saving.value = true;
      const now = content();
      const text = JSON.stringify(now);
      try {
        const saved = await send('PUT', DraftSaved, `/drafts/${id}`, { version, ...now });
        version = saved.version;
        kept = text;
        if (letter.value) {
          letter.value.fittingFiles = saved.fittingFiles;
          letter.value.savedAt = saved.savedAt;
        }
        problem.value = '';
      } catch (error) {
        unsaved.value = true;
        problem.value = wordsOf(error);
        // Whatever may pass by itself is tried again; what another window did is not.
        if (error instanceof ApiProblem && (error.status === 0 || error.status >= 500))
          setTimeout(() => void save(), RETRY_AFTER);
      } finally {
        saving.value = false;
      }
    });
    return line;
  }
  const soon = useDebounceFn(() => void save(), SAVE_AFTER);
  watch(
    [people, subject, body, quoted, plain, mailboxId, files],
    () => {
      if (!letter.value || (JSON.stringify(content()) === kept && !saving.value)) return;
      unsaved.value = true;
      void soon();
    },
    { deep: true },
  );
  /** Sends it off. @param at when, as an instant; null for now */
  async function dispatch(at: string | null): Promise<boolean> {
    await save();
    if (unsaved.value) return false;
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
      await line;
      unsaved.value = false;
      await act('DELETE', `/drafts/${id}`);
      return true;
    } catch (error) {
      problem.value = wordsOf(error);
      return false;
    }
  }
  /** Whether nothing was done to it since it was begun. */
  const untouched = () => open.value && version === 1 && !unsaved.value && !letter.value?.enclosures.length;

  /** Reads the enclosures again after one was added or taken off. */
  async function refresh(): Promise<void> {
    const found = await get(DraftView, `/drafts/${id}`);
    if (letter.value) letter.value.enclosures = found.enclosures;
  }
  async function enclose(file: File): Promise<void> {
    const search = new URLSearchParams({ filename: file.name, type: file.type });
    try {
      const response = await fetch(`/api/drafts/${id}/enclosures?${search}`, { method: 'POST', body: file });
      if (!response.ok) {
        const told = z.object({ message: z.string() }).safeParse(await response.json().catch(() => null));
        throw new ApiProblem(response.status, told.data?.message ?? `${file.name} could not be enclosed.`);
      }
      await refresh();
      problem.value = '';
    } catch (error) {
      problem.value =
        error instanceof ApiProblem ? error.message : `${file.name} could not be enclosed. Please try again.`;
    }
  }
  async function encloseFrom(messageId: number, index: number): Promise<void> {
    try {
      await act('POST', `/drafts/${id}/enclosures/from`, { messageId, index });
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
    problem,
    field,
    saving,
    unsaved,
    sent,
    open,
    untouched,
    load,
    save,
    dispatch,
    recall,
    throwAway,
    enclose,
    encloseFrom,
    takeOff,
  };
}
