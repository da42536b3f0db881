import { ref } from 'vue';
import { Checks, Preview } from '../../contract/index.ts';
import { get, wordsOf } from '../api.ts';
import { useMailingDraft } from './mailingDraft.ts';

/** The message as each recipient will read it, one after another, and what the checks found. */
export function usePreviews() {
  const editing = useMailingDraft();
  const checks = ref<Checks | null>(null);
  const preview = ref<Preview | null>(null);
  const at = ref(0);
  const problem = ref('');
  const path = () => `/mailings/${editing.mailing?.id ?? 0}`;

  async function load() {
    try {
      await editing.save();
      checks.value = await get(Checks, `${path()}/checks`);
      await show(Math.min(at.value, Math.max(0, checks.value.order.length - 1)));
      problem.value = '';
    } catch (error) {
      problem.value = wordsOf(error);
    }
  }
  async function show(index: number) {
    const key = checks.value?.order[index];
    if (key === undefined) return;
    at.value = index;
    try {
      const found = await get(Preview, `${path()}/preview`, { key });
      if (at.value === index) preview.value = found;
    } catch (error) {
      problem.value = wordsOf(error);
    }
  }
  const next = () => show(Math.min(at.value + 1, (checks.value?.order.length ?? 1) - 1));
  const before = () => show(Math.max(at.value - 1, 0));
  return { checks, preview, at, problem, load, show, next, before };
}
