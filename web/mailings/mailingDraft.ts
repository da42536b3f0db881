import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import { z } from 'zod';
import { FactInfo, MailingSaved, MailingView, type MailingDraft } from '../../contract/index.ts';
import { get, send, wordsOf } from '../api.ts';
import { useAutosave } from '../ui/autosave.ts';

/** The mailing being worked on: its draft, kept as one types. */
export const useMailingDraft = defineStore('workshop', () => {
  const mailing = ref<MailingView | null>(null);
  const draft = ref<MailingDraft | null>(null);
  const facts = ref<FactInfo[]>([]);
  const version = ref(0);
  const savedAt = ref<string | null>(null);
  const problem = ref('');

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
      autosave.settled();
    } catch (error) {
      problem.value = wordsOf(error);
    }
  }

  /** Reads how the mailing fares, leaving what is being typed alone. */
  async function refresh(): Promise<void> {
    if (!mailing.value) return;
    const view = await get(MailingView, `/mailings/${mailing.value.id}`).catch(() => null);
    if (view && view.id === mailing.value?.id) mailing.value = view;
  }

  const autosave = useAutosave(
    () => (isDraft.value ? draft.value : null),
    async (now) => {
      const id = mailing.value?.id ?? 0;
      const saved = await send('PUT', MailingSaved, `/mailings/${id}`, { ...now, version: version.value });
      // Another may have been opened meanwhile.
      if (mailing.value?.id !== id) return;
      version.value = saved.version;
      savedAt.value = new Date().toISOString();
      mailing.value = { ...mailing.value, name: now.name };
    },
  );

  /** It is thrown away: nothing is kept of it any more. */
  function forget(): void {
    mailing.value = draft.value = null;
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
    save: autosave.save,
    forget,
  };
});
