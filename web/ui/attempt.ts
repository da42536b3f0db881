import { ref, type Ref } from 'vue';
import { wordsOf } from '../api.ts';

/** What is done to something on a screen: what was refused is told, and what stands there is read again. */
export interface Attempts {
  /** @returns whether it was done */
  attempt(work: () => Promise<unknown>): Promise<boolean>;
  /** Why the last one was not. */
  failed: Ref<string>;
}

/** @param again reads what stands there, once something was done */
export function useAttempt(again: () => unknown): Attempts {
  const failed = ref('');
  async function attempt(work: () => Promise<unknown>): Promise<boolean> {
    try {
      await work();
      failed.value = '';
      await again();
      return true;
    } catch (error) {
      failed.value = wordsOf(error);
      return false;
    }
  }
  return { attempt, failed };
}
