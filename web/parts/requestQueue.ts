import { ref } from 'vue';
import { wordsOf } from '../api.ts';

/**
 * Work that must follow in the order it was asked for, while the screen goes on: one request after the
 * other, each told whether it is the last for now.
 * @param failed called with the words of what went wrong
 */
export function useRequestQueue(failed: (words: string) => Promise<void> | void) {
  let line: Promise<void> = Promise.resolve();
  let waiting = 0;
  const busy = ref(false);
  function follow(work: (last: () => boolean) => Promise<void>): Promise<void> {
    waiting++;
    busy.value = true;
    line = line
      .then(() => work(() => waiting === 1))
      .catch((error: unknown) => failed(wordsOf(error)))
      .finally(() => (busy.value = --waiting > 0));
    return line;
  }
  return { busy, follow };
}
