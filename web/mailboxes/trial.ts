import { ref } from 'vue';
import { MailboxAccess, TryAsk, TryResult, Verified } from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';
import { useForm } from '../ui/form.ts';

/** One step of trying a mailbox: what is tried, and what came of it in words. */
export interface Step {
  name: string;
  state: 'waiting' | 'trying' | 'good' | 'bad';
  words: string;
}

/** The fields of a way in, as they are called within a form. */
export const ACCESS_FIELDS = Object.keys(MailboxAccess.shape).map((name) => `access.${name}`);

/** Tries a mailbox step by step, telling each as it goes. */
export function useTrial() {
  const steps = ref<Step[]>([]);
  const busy = ref(false);
  const form = useForm(TryAsk, [...ACCESS_FIELDS, 'password']);
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
      form.refused(error);
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
    let ok = false;
    await form.submit({ access, ...how, step: 'incoming' }, async (asked) => {
      const incoming = await run('Incoming mail', async () => {
        const result = await send('POST', TryResult, '/mailboxes/try', asked);
        folders.value = result.folders;
        return result;
      });
      const outgoing = await run('Outgoing mail', () =>
        send('POST', TryResult, '/mailboxes/try', { ...asked, step: 'outgoing' }),
      );
      ok = incoming && outgoing;
    });
    return ok;
  }

  const verify = (id: number) =>
    run('A message to itself', () => send('POST', Verified, `/mailboxes/${id}/verify`, {}));

  return { steps, busy, errorOf: form.errorOf, folders, tryAccess, verify };
}
