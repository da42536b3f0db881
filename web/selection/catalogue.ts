import { defineStore } from 'pinia';
import { ref } from 'vue';
import { SelectionCatalogue } from '../../contract/index.ts';
import type { Catalogue } from '../../core/selection/catalogue.ts';
import { get, wordsOf } from '../api.ts';

/** All that can be selected by, read once and again when somebody opens a screen that selects. */
export const useCatalogue = defineStore('catalogue', () => {
  const facts = ref<Catalogue>([]);
  const problem = ref('');

  async function read(): Promise<void> {
    try {
      facts.value = await get(SelectionCatalogue, '/selections/catalogue');
      problem.value = '';
    } catch (error) {
      problem.value = wordsOf(error);
    }
  }
  return { facts, problem, read };
});
