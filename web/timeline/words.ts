import type { EntryState, TimelineEntry, TimelineKind } from '../../contract/index.ts';
import { list } from '../words.ts';

export const KIND_WORDS: Record<TimelineKind, string> = { note: 'Note', call: 'Call', meeting: 'Meeting' };

/** What is said of an entry that has not simply taken place. */
export const STATE_WORDS: Record<EntryState, string> = { planned: 'planned', done: '', off: 'called off' };

/** Who took part in an entry, as one reads it after its kind: `with Agnes Garrowby and Tobias Fenn`. */
export function company({ people, staff, by }: TimelineEntry): string {
  const names = [...people, ...staff.filter(({ name }) => name !== by)].map(({ name }) => name);
  return names.length ? `with ${list(names)}` : '';
}
