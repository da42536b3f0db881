import { ref, watch } from 'vue';
import { Timing, TimingPlan } from '../../contract/index.ts';
import { send } from '../api.ts';
import { useLatest } from '../ui/latest.ts';

/** Nothing more must have been changed for so long, in milliseconds, before it is laid out. */
const QUIET = 350;

/**
 * Lays a mailing out whenever its timing changes.
 * @param id of the mailing
 * @param timing what it is laid out by; null: nothing yet
 */
export function usePlan(id: () => number, timing: () => Timing | null) {
  const { ask, problem } = useLatest();
  const plan = ref<TimingPlan | null>(null);
  const errors = ref<{ path: string; message: string }[]>([]);
  let waiting: ReturnType<typeof setTimeout> | undefined;
  async function load(): Promise<void> {
    const now = timing();
    if (!now) return;
    const checked = Timing.safeParse(now);
    errors.value = checked.success
      ? []
      : checked.error.issues.map(({ path, message }) => ({ path: path.join('.'), message }));
    if (!checked.success) return;
    const found = await ask(() =>
      send('POST', TimingPlan, '/mailings/timing', { mailingId: id(), timing: checked.data }),
    );
    if (found) plan.value = found;
  }
  watch(
    () => JSON.stringify(timing()),
    (_now, before) => {
      clearTimeout(waiting);
      waiting = setTimeout(() => void load(), before === undefined ? 0 : QUIET);
    },
    { immediate: true },
  );
  const errorOf = (path: string) => errors.value.flatMap((each) => (each.path === path ? each.message : []));
  return { plan, problem, load, errorOf, errors };
}
