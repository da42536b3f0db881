import type { Subject } from '../selection/tree.ts';
import { collated } from '../office/collated.ts';
import type { When } from './order.ts';

/** Something that was done, as it is appended for orders to hear of. */
export interface Happening {
  kind:
    | 'client new'
    | 'person new'
    | 'file opened'
    | 'becomes'
    | 'fee note entered'
    | 'fee note paid'
    | 'message comes'
    | 'message leaves'
    | 'mailing answered'
    | 'mailing opened'
    | 'document comes'
    | 'document shared';
  /** Which table its number is of. */
  subject: Subject | 'fee note' | 'message' | 'dispatch' | 'document' | 'item';
  id: number;
  /** Of *becomes*: which field, as a record's history names it. */
  fact: string | null;
  /** What it holds now; of a list, what came to it. */
  value: unknown;
}

/** A line of the audit, as far as it tells what happened. */
export interface Noted {
  action: string;
  subject: string;
  id: number;
  before?: unknown;
  after?: unknown;
}

const SUBJECTS: readonly string[] = ['client', 'person', 'file'];
const asObject = (value: unknown): Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value)
    ? (value as Record<string, unknown>)
    : {};

/** What of a change to the records an order may wait for: the one place where that is read out of the audit. */
export function happeningsOf({ action, subject, id, before, after }: Noted): Happening[] {
  const plain = (kind: Happening['kind']): Happening[] => [
    { kind, subject: subject as Happening['subject'], id, fact: null, value: null },
  ];
  if (subject === 'fee note') {
    if (action === 'fee note entered')
      return [...plain('fee note entered'), ...(asObject(after).paid_on ? plain('fee note paid') : [])];
    const paid = !asObject(before).paid_on && asObject(after).paid_on;
    return action === 'fee note changed' && paid ? plain('fee note paid') : [];
  }
  if (subject === 'document') return action === 'document put on file' ? plain('document comes') : [];
  if (!SUBJECTS.includes(subject)) return [];
  if (action === `${subject} made`) return plain(subject === 'client' ? 'client new' : 'person new');
  // Each client begins with a file of General correspondence: that is no piece of work.
  if (action === 'file opened') return asObject(after).general ? [] : plain('file opened');
  if (action !== `${subject} changed` && action !== `${subject} taken back`) return [];
  return changed(asObject(before), asObject(after)).map(({ fact, value }) => ({
    kind: 'becomes',
    subject: subject as Subject,
    id,
    fact,
    value,
  }));
}

function changed(before: Record<string, unknown>, after: Record<string, unknown>) {
  return Object.entries(after).flatMap(([fact, value]) => {
    const was = before[fact] ?? null;
    if (JSON.stringify(was) === JSON.stringify(value ?? null)) return [];
    if (!Array.isArray(value)) return [{ fact, value: value ?? null }];
    const had = new Set((Array.isArray(was) ? was : []).map((each) => JSON.stringify(each)));
    const came = value.filter((each) => !had.has(JSON.stringify(each)));
    return came.length ? [{ fact, value: came }] : [];
  });
}

/** Whether what happened is what an order waits for, as far as it tells by itself; of words see {@link hasWords}. */
export function isMeant(
  when: When,
  happening: Pick<Happening, 'kind' | 'subject' | 'fact' | 'value'>,
): boolean {
  if (when.on !== happening.kind) return false;
  if (when.on !== 'becomes') return true;
  if (when.of !== happening.subject || when.fact !== happening.fact) return false;
  if (when.value === null) return happening.value !== null && happening.value !== '';
  const values = Array.isArray(happening.value) ? happening.value : [happening.value];
  return values.some((value) => sameValue(value, when.value));
}

/** Names of the office's lists are the same whatever their capitals. */
function sameValue(a: unknown, b: unknown): boolean {
  return typeof a === 'string' && typeof b === 'string' ? collated(a) === collated(b) : a === b;
}

/** Whether all of these words stand in a text, wherever and in whatever capitals. No words: in any. */
export function hasWords(words: string, text: string): boolean {
  const folded = text.toLocaleLowerCase('en');
  return words
    .toLocaleLowerCase('en')
    .split(/\s+/)
    .every((word) => folded.includes(word));
}
