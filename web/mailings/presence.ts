import { useIntervalFn } from '@vueuse/core';
import { onScopeDispose, ref, watch, type Ref } from 'vue';
import { Presence } from '../../contract/index.ts';
import { send } from '../api.ts';
import { about, useLive } from '../ui/live.ts';

/** One says so often that one is there, in milliseconds. */
const TELL_EVERY = 20_000;

/**
 * Tells colleagues who are at the same mailing that one is there, and hears of them.
 * @param step where one is; null: it is looked at, not written
 */
export function usePresence(id: number, step: () => string | null): Ref<Presence> {
  const others = ref<Presence>([]);
  let told: string | null = null;
  async function tell(now: string | null) {
    if (now === null && told === null) return;
    told = now;
    try {
      others.value = await send('POST', Presence, `/mailings/${id}/presence`, { step: now });
    } catch {
      // Nobody loses anything by not being seen; it is told again soon.
    }
  }
  watch(step, (now) => void tell(now), { immediate: true });
  useIntervalFn(() => void tell(step()), TELL_EVERY);
  useLive({ mailings: about('mailing', () => [id]) }, () => void tell(step()));
  onScopeDispose(() => void tell(null));
  return others;
}
