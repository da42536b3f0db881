import { computed, ref, watch, type Ref } from 'vue';
import { ApiProblem, wordsOf } from '../api.ts';

/** After the last key, in milliseconds. */
const SAVE_AFTER = 700;
/** What may pass by itself is tried again after so long. */
const RETRY_AFTER = 5000;

export interface Autosave {
  /** Keeps now whatever is not kept yet; one save after the other, each of the latest. @returns whether all is kept */
  save(): Promise<boolean>;
  /** What is on the screen is what the server has: after it was read, say. */
  settled(): void;
  /** Something was typed that is not kept yet, or is just being kept. */
  unsaved: Ref<boolean>;
  /** It is just being kept. */
  saving: Ref<boolean>;
  /** Why it is not kept, in words; empty when nothing is wrong. */
  problem: Ref<string>;
  /** Somebody else has changed it meanwhile: it is not tried again by itself. */
  stale: Ref<boolean>;
}

/**
 * Keeps what is typed as one types.
 * @param content everything that is kept, as it stands; null while there is nothing to keep
 * @param keep hands it to the server. What it throws is told, and tried again when it may pass by itself
 */
export function useAutosave<T>(content: () => T | null, keep: (content: T) => Promise<void>): Autosave {
  const dirty = ref(false);
  const saving = ref(false);
  const problem = ref('');
  const stale = ref(false);
  let line: Promise<void> = Promise.resolve();
  let timer: ReturnType<typeof setTimeout> | undefined;
  /** What the server has, as text: the objects themselves change under the hand. */
  let kept = '';

  async function once(): Promise<void> {
    const now = content();
    if (!dirty.value || now === null) return;
    dirty.value = false;
    saving.value = true;
    const text = JSON.stringify(now);
    try {
      await keep(now);
      kept = text;
      problem.value = '';
    } catch (error) {
      dirty.value = true;
      problem.value = wordsOf(error);
      const status = error instanceof ApiProblem ? error.status : null;
      stale.value = status === 409;
      if (status === 0 || (status ?? 0) >= 500) later(RETRY_AFTER);
    } finally {
      saving.value = false;
    }
  }

  async function save(): Promise<boolean> {
    clearTimeout(timer);
    line = line.then(once);
    await line;
    return !dirty.value;
  }
  function later(after: number): void {
    clearTimeout(timer);
    timer = setTimeout(() => void save(), after);
  }

  watch(
    content,
    (now) => {
      if (now === null || (JSON.stringify(now) === kept && !saving.value)) return;
      dirty.value = true;
      later(SAVE_AFTER);
    },
    { deep: true, flush: 'sync' },
  );

  function settled(): void {
    clearTimeout(timer);
    kept = JSON.stringify(content());
    dirty.value = false;
    stale.value = false;
    problem.value = '';
  }
  return { save, settled, unsaved: computed(() => dirty.value || saving.value), saving, problem, stale };
}
