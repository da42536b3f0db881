import { certainPlace, decideAlone, decideBare } from '../../core/filing/certain.ts';
import type { FilingKnowledge } from '../../core/filing/decide.ts';
import type { Decision } from '../../core/filing/types.ts';
import type { Transaction } from '../foundation/database.ts';
import { Turns } from '../foundation/turns.ts';
import { asColumns, type Decided, type Undecided } from './decide.ts';
import { holdFiling } from './filings.ts';

/** A message of history, and by what it has to do with others. */
export interface Unrelated extends Pick<Undecided, 'filing' | 'subjectHashes'> {
  raw: { hash: Buffer };
  messageKey: Buffer | null;
  named: readonly Buffer[];
  /** See `decideBare`; null where it is not known. */
  bare: Decision | null;
}

/** What the weighing has to do with a message. */
export interface ForWeighing {
  /** It is to be learned from, or decided on with others. */
  weigh: boolean;
  /** It has to do with no other, and nothing learned by evidence would change where it is. */
  alone: boolean;
}

/** A subject that more messages than this with one correspondent bear is no sign of a conversation. */
export const COMMON_SUBJECT = 12;

/**
 * Decides on messages of history each by itself, and tells which are to be weighed. In the order given.
 * @param borne keys of these messages, in hexadecimal, that others at hand bear or name
 */
export async function decideHistory(
  trx: Transaction,
  knowledge: FilingKnowledge,
  messages: readonly Unrelated[],
  borne: ReadonlySet<string>,
): Promise<(Decided & ForWeighing)[]> {
  if (!messages.length) return [];
  const related = await relatedAmong(trx, messages, borne);
  const turns = new Turns();
  const decided: (Decided & ForWeighing)[] = [];
  for (const message of messages) {
    const { filing } = message;
    const bare = message.bare ?? decideBare(knowledge, filing);
    const { decision, final } = decideAlone(knowledge, filing, bare);
    holdFiling(knowledge, message.raw.hash, filing, bare);
    const alone = final && !related.has(message);
    decided.push({
      ...asColumns(decision),
      alone,
      weigh: !alone || certainPlace(knowledge, filing, bare) !== null,
    });
    await turns.pass();
  }
  return decided;
}

/** Those of the messages that name others, are named by any, or share a subject and a correspondent with a few. */
async function relatedAmong(
  trx: Transaction,
  messages: readonly Unrelated[],
  borne: ReadonlySet<string>,
): Promise<Set<Unrelated>> {
  const bearing = await borneSubjects(trx, messages);
  const named = new Set(messages.flatMap((message) => message.named).map(hex));
  return new Set(
    messages.filter(
      ({ messageKey, named: names, subjectHashes }) =>
        names.length > 0 ||
        (messageKey !== null && (borne.has(hex(messageKey)) || named.has(hex(messageKey)))) ||
        subjectHashes.some((hash) => bearing.has(hex(hash))),
    ),
  );
}

/** Subjects of these messages that others bear, here or among them, but not too many. */
async function borneSubjects(trx: Transaction, messages: readonly Unrelated[]): Promise<Set<string>> {
  const counts = new Map<string, { hash: Buffer; count: number }>();
  for (const hash of messages.flatMap(({ subjectHashes }) => subjectHashes)) {
    const before = counts.get(hex(hash));
    counts.set(hex(hash), { hash, count: (before?.count ?? 0) + 1 });
  }
  if (!counts.size) return new Set();
  const here = await trx('message_subject')
    .whereIn(
      'subject_key',
      [...counts.values()].map(({ hash }) => hash),
    )
    .groupBy('subject_key')
    .select('subject_key')
    .count<{ subject_key: Buffer; count: number }[]>({ count: '*' });
  for (const { subject_key, count } of here) {
    const known = counts.get(hex(subject_key));
    if (known) known.count += Number(count);
  }
  return new Set(
    [...counts].flatMap(([key, { count }]) => (count > 1 && count <= COMMON_SUBJECT ? [key] : [])),
  );
}

function hex(hash: Buffer): string {
  return hash.toString('hex');
}
