import { useDebounceFn } from '@vueuse/core';
import { ref, watch, type Ref } from 'vue';
import { SearchHits } from '../../contract/index.ts';
import { get } from '../api.ts';
import { useLatest } from '../ui/latest.ts';

const NOTHING: SearchHits = { files: [], clients: [] };

/** What is found for words as they are typed. */
export interface Searching {
  hits: Ref<SearchHits>;
  problem: Ref<string>;
  /**
   * Waits for what belongs to the words as they stand: whoever is quicker than the search means what it will find,
   * not what still stands there.
   * @returns whether it is there, and nothing else was typed meanwhile
   */
  settled(): Promise<boolean>;
}

/** Searches clients and files while somebody types, a moment after each change. */
export function useSearching(words: Ref<string>): Searching {
  const hits = ref<SearchHits>(NOTHING);
  const { ask, problem } = useLatest();
  let answered = '';
  let open: { words: string; answer: Promise<void> } | null = null;

  function look(): Promise<void> {
    const q = words.value;
    if (open?.words === q) return open.answer;
    const answer = ask(async () => (q.trim() ? get(SearchHits, '/search', { q }) : NOTHING)).then((found) => {
      if (open?.words === q) open = null;
      if (words.value !== q) return;
      hits.value = found ?? NOTHING;
      answered = found ? q : '';
    });
    open = { words: q, answer };
    return answer;
  }
  watch(
    words,
    useDebounceFn(() => {
      if (answered !== words.value) void look();
    }, 80),
  );

  async function settled(): Promise<boolean> {
    const q = words.value;
    if (answered !== q) await look();
    return answered === q && words.value === q;
  }
  return { hits, problem, settled };
}
