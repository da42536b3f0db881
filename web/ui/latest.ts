import { ref, type Ref } from 'vue';
import { wordsOf } from '../api.ts';

/** Questions of which only the newest one's answer counts. */
export interface Latest {
  /**
   * Asks. A late answer to an older question never takes the place of a newer one's.
   * @returns the answer; undefined when something else was asked meanwhile, or when it failed, which `problem` tells
   */
  ask<T>(question: () => Promise<T>): Promise<T | undefined>;
  /** Whether the newest question is still open. */
  asking: Ref<boolean>;
  /** What went wrong with the newest question, in words; empty when nothing did. */
  problem: Ref<string>;
}

/** For a screen, or a part of one, that reads what it shows again and again. */
export function useLatest(): Latest {
  const asking = ref(false);
  const problem = ref('');
  let newest = 0;

  async function ask<T>(question: () => Promise<T>): Promise<T | undefined> {
    const own = ++newest;
    asking.value = true;
    try {
      const answer = await question();
      if (own !== newest) return undefined;
      problem.value = '';
      return answer;
    } catch (error) {
      if (own === newest) problem.value = wordsOf(error);
      return undefined;
    } finally {
      if (own === newest) asking.value = false;
    }
  }
  return { ask, asking, problem };
}
