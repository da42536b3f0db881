import { defineStore } from 'pinia';
import { computed, ref, watch } from 'vue';
import { z } from 'zod';
import { FactInfo, MailingView, SelectionFields, type MailingDraft } from '../../contract/index.ts';
import { ApiProblem, get, send, wordsOf } from '../api.ts';

const SAVE_AFTER = 700;

/** The mailing being worked on: its draft, kept as one types. */
export const useMailingDraft = defineStore('workshop', () => {
  const mailing = ref<MailingView | null>(null);
  const draft = ref<MailingDraft | null>(null);
  const fields = ref<SelectionFields | null>(null);
  const facts = ref<FactInfo[]>([]);
  const version = ref(0);
  const savedAt = ref<string | null>(null);
  const dirty = ref(false);
  const problem = ref('');
  const stale = ref(false);
  let timer: ReturnType<typeof setTimeout> | null = null;
  let saving: Promise<void> = Promise.resolve();
  let quiet = false;

  const isDraft = computed(() => mailing.value?.state === 'draft');

  async function open(id: number): Promise<void> {
    try {
      const [view, known, catalogue] = await Promise.all([
        get(MailingView, `/mailings/${id}`),
        get(SelectionFields, '/selection/fields'),
        get(z.array(FactInfo), '/facts/known'),
      ]);
      quiet = true;
      mailing.value = view;
      draft.value = view.draft;
      fields.value = known;
      facts.value = catalogue;
      version.value = view.version;
      savedAt.value = view.savedAt;
      dirty.value = false;
      stale.value = false;
      problem.value = '';
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

  watch(
    draft,
    () => {
      if (quiet) {
        quiet = false;
        return;
      }
      if (!isDraft.value) return;
      dirty.value = true;
      if (timer) clearTimeout(timer);
      timer = setTimeout(() => void save(), SAVE_AFTER);
    },
    { deep: true, flush: 'sync' },
  );

  /** Saves now if anything changed; calls follow one another. @returns whether all is saved */
  async function save(): Promise<boolean> {
    if (timer) clearTimeout(timer);
    saving = saving.then(saveOnce);
    await saving;
    return !dirty.value;
  }

  async function saveOnce(): Promise<void> {
    if (!dirty.value || !draft.value || !mailing.value || stale.value) return;
    dirty.value = false;
    try {
      const saved = await send('PUT', z.object({ version: z.number() }), `/mailings/${mailing.value.id}`, {
        ...draft.value,
        version: version.value,
      });
      version.value = saved.version;
      savedAt.value = new Date().toISOString();
      mailing.value = { ...mailing.value, name: draft.value.name };
      problem.value = '';
    } catch (error) {
      dirty.value = true;
      stale.value = error instanceof ApiProblem && error.status === 409;
      problem.value = wordsOf(error);
    }
  }

  return {
    mailing,
    draft,
    fields,
    facts,
    version,
    savedAt,
    dirty,
    problem,
    stale,
    isDraft,
    open,
    refresh,
    save,
  };
});
