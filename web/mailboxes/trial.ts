import { ref } from 'vue';
import { TryResult, Verified, type MailboxAccess } from '../../contract/index.ts';
import { ApiProblem, send, wordsOf } from '../api.ts';

/** One step of trying a mailbox: what is tried, and what came of it in words. */
export interface Step {
  name: string;
  state: 'waiting' | 'trying' | 'good' | 'bad';
  words: string;
}

/** Tries a mailbox step by step, telling each as it goes. */
export function useTrial() {
  const steps = ref<Step[]>([]);
  const busy = ref(false);
  const field = ref<string | null>(null);
  const folders = ref<{ path: string; messages: number }[]>([]);

  async function run(name: string, work: () => Promise<{ ok: boolean; words: string }>): Promise<boolean> {
    const step: Step = { name, state: 'trying', words: '' };
    steps.value = [...steps.value.filter((each) => each.name !== name), step];
    const set = (change: Partial<Step>) =>
      (steps.value = steps.value.map((each) => (each.name === name ? { ...each, ...change } : each)));
    busy.value = true;
    try {
      const { ok, words } = await work();
      set({ state: ok ? 'good' : 'bad', words });
      return ok;
    } catch (error) {
      field.value = error instanceof ApiProblem ? error.field : null;
      set({ state: 'bad', words: wordsOf(error) });
      return false;
    } finally {
      busy.value = false;
    }
  }

  /** Both servers. @returns whether both let us in */
  async function tryAccess(
    access: MailboxAccess,
    how: { password?: string; mailboxId?: number },
  ): Promise<boolean> {
    steps.value = [];
    field.value = null;
    const incoming = await run('Incoming mail', async () => {
      const result = await send('POST', TryResult, '/mailboxes/try', { access, ...how, step: 'incoming' });
      folders.value = result.folders;
      return result;
    });
    const outgoing = await run('Outgoing mail', () =>
      send('POST', TryResult, '/mailboxes/try', { access, ...how, step: 'outgoing' }),
    );
    return incoming && outgoing;
  }

  const verify = (id: number) =>
    run('A message to itself', () => send('POST', Verified, `/mailboxes/${id}/verify`, {}));

  return { steps, busy, field, folders, tryAccess, verify };
}
