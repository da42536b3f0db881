import { onScopeDispose } from 'vue';
import type { z } from 'zod';
import { Changes, type Change, type ChangeSubject, type Topic } from '../../contract/changes.ts';

/** What a screen shows: of each topic all of it, or what the test says. */
export type Concerns = Partial<Record<Topic, true | ((change: Change) => boolean)>>;

type Listener = (changes: z.output<typeof Changes>) => void;
const listeners = new Set<Listener>();
let source: EventSource | null = null;

/** Several changes in a moment count once, in milliseconds. */
export const MOMENT = 250;
/** The same for what goes through all the records to be shown again: a list brought in changes some each moment. */
export const LATER = 3000;

/** Opens the line on which the server tells what changed; once for the whole app. */
export function openLive(): void {
  source ??= new EventSource('/api/events');
  source.onmessage = (event: MessageEvent<string>) => {
    const changes = Changes.parse(JSON.parse(event.data));
    for (const listener of listeners) listener(changes);
  };
}

export function closeLive(): void {
  source?.close();
  source = null;
}

/** For changes of these things alone; of a change of the whole topic always. */
export function about(
  subject: ChangeSubject,
  ids: () => readonly (number | null | undefined)[],
): (change: Change) => boolean {
  return (change) => change.subject === null || (change.subject === subject && ids().includes(change.id));
}

/** Whether a change concerns a screen. */
export function concerned(concerns: Concerns, change: Change): boolean {
  const concern = concerns[change.topic];
  return concern === true || (concern !== undefined && concern(change));
}

/**
 * Calls back when something that concerns a screen changed, as long as the component lives.
 * @param act is told of all the changes of a moment that concern it
 * @param moment in milliseconds; longer for what costs the server more
 */
export function useLive(
  concerns: Concerns,
  act: (changes: readonly Change[]) => void,
  moment = MOMENT,
): void {
  let waiting: ReturnType<typeof setTimeout> | null = null;
  let gathered: Change[] = [];
  const listener: Listener = (changes) => {
    const ours = changes.filter((change) => concerned(concerns, change));
    gathered.push(...ours);
    if (!gathered.length || waiting) return;
    waiting = setTimeout(() => {
      waiting = null;
      const told = gathered;
      gathered = [];
      act(told);
    }, moment);
  };
  listeners.add(listener);
  onScopeDispose(() => {
    listeners.delete(listener);
    if (waiting) clearTimeout(waiting);
  });
}
