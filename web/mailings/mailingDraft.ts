import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import { z } from 'zod';
import { FactInfo, MailingSaved, MailingView, type MailingDraft } from '../../contract/index.ts';
import { ApiProblem, get, send, wordsOf } from '../api.ts';
import { useAutosave } from '../ui/autosave.ts';
import { copyOf, together, type Together } from './together.ts';

/** The mailing being worked on: its draft, kept as one types. */
export const useMailingDraft = defineStore('mailing draft', () => {
  const mailing = ref<MailingView | null>(null);
  const draft = ref<MailingDraft | null>(null);
  const facts = ref<FactInfo[]>([]);
  const version = ref(0);
  const savedAt = ref<string | null>(null);
  const problem = ref('');

  /** What the server has, as far as it is known here: what two people changed is told by it. */
  let base: MailingDraft | null = null;
  /** What a colleague and oneself have changed differently: it waits for a word. */
  const contested = ref<{ theirs: MailingView; both: Together['both'] } | null>(null);

  const isDraft = computed(() => mailing.value?.state === 'draft');

  async function open(id: number): Promise<void> {
    try {
      const [view, catalogue] = await Promise.all([
        get(MailingView, `/mailings/${id}`),
        get(z.array(FactInfo), '/facts/known'),
      ]);
      mailing.value = view;
      draft.value = view.draft;
      facts.value = catalogue;
      version.value = view.version;
      savedAt.value = view.savedAt;
      problem.value = '';
      base = copyOf(view.draft);
      contested.value = null;
      autosave.settled();
    } catch (error) {
      problem.value = wordsOf(error);
    }
  }

  /** Reads how the mailing fares, and takes in what a colleague has changed of it; what is being typed is left alone. */
  async function refresh(): Promise<void> {
    if (!mailing.value) return;
    const view = await get(MailingView, `/mailings/${mailing.value.id}`).catch(() => null);
    if (!view || view.id !== mailing.value?.id) return;
    mailing.value = view;
    // While something is being kept the answer may tell of that alone.
    if (view.state === 'draft' && view.version > version.value && !autosave.saving.value) takeIn(view);
  }

  /** Takes in what a colleague has kept. @returns whether nothing of it is contested */
  function takeIn(view: MailingView): boolean {
    if (!draft.value || !base) return false;
    const { draft: all, both } = together(base, draft.value, view.draft);
    if (both.length) {
      contested.value = { theirs: view, both };
      return false;
    }
    const untouched = !autosave.unsaved.value;
    base = copyOf(view.draft);
    version.value = view.version;
    savedAt.value = view.savedAt;
    draft.value = all;
    contested.value = null;
    if (untouched) autosave.settled();
    return true;
  }

  /** Settles what both changed: what stands here, or what the colleague wrote; what only they changed stands either way. */
  async function settle(whose: 'mine' | 'theirs'): Promise<void> {
    if (!contested.value || !draft.value || !base) return;
    const { theirs, both } = contested.value;
    const { draft: all } = together(base, draft.value, theirs.draft);
    const part = (key: keyof MailingDraft) => ({ [key]: theirs.draft[key] });
    draft.value = whose === 'mine' ? all : Object.assign({}, all, ...both.map(part));
    base = copyOf(theirs.draft);
    version.value = theirs.version;
    contested.value = null;
    await autosave.save();
  }

  const autosave = useAutosave(
    () => (isDraft.value ? draft.value : null),
    async (now) => {
      const id = mailing.value?.id ?? 0;
      const keep = (what: MailingDraft) =>
        send('PUT', MailingSaved, `/mailings/${id}`, { ...what, version: version.value });
      let what = copyOf(now);
      let saved: z.output<typeof MailingSaved>;
      try {
        saved = await keep(what);
      } catch (error) {
        if (!(error instanceof ApiProblem) || error.status !== 409) throw error;
        // A colleague was quicker: what both wrote is put together where that can be done.
        const view = await get(MailingView, `/mailings/${id}`);
        if (mailing.value?.id !== id || view.state !== 'draft' || !takeIn(view) || !draft.value) throw error;
        what = copyOf(draft.value);
        saved = await keep(what);
      }
      // Another may have been opened meanwhile.
      if (mailing.value?.id !== id) return;
      base = what;
      version.value = saved.version;
      savedAt.value = new Date().toISOString();
      mailing.value = { ...mailing.value, name: now.name };
    },
  );

  /** It is thrown away: nothing is kept of it any more. */
  function forget(): void {
    mailing.value = draft.value = contested.value = null;
    autosave.settled();
  }

  return {
    mailing,
    draft,
    facts,
    version,
    savedAt,
    dirty: autosave.unsaved,
    /** What went wrong last, in words. */
    problem: computed(() => autosave.problem.value || problem.value),
    tell: (words: string) => (problem.value = words),
    stale: autosave.stale,
    isDraft,
    open,
    refresh,
    contested,
    settle,
    save: autosave.save,
    forget,
  };
});
