import { byRecords, decideAlone, type ByRecords } from '../../core/filing/certain.ts';
import type { FilingKnowledge } from '../../core/filing/decide.ts';
import type { Lesson } from '../../core/filing/experience.ts';
import type { Transaction } from '../foundation/database.ts';
import { toJson } from '../foundation/json.ts';
import { holdTurn } from '../foundation/locks.ts';
import { insertAll } from '../foundation/rows.ts';
import { Turns } from '../foundation/turns.ts';
import { asColumns, type Decided, type Undecided } from './decide.ts';
import { holdFiling } from './filings.ts';

/** A message of history, and by what it has to do with others. */
export interface Unrelated extends Pick<Undecided, 'filing' | 'subjectHashes'> {
  raw: { hash: Buffer };
  messageKey: Buffer | null;
  named: readonly Buffer[];
  /** Null where it is not known. */
  byRecords: ByRecords | null;
}

/** What the weighing has to do with a message. */
export interface ForWeighing {
  /** It has to do with no other, and nothing learned by evidence would change where it is: it need not be weighed. */
  alone: boolean;
  /** What it teaches by itself, if anything. */
  lesson: Lesson | null;
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
    const { bare, lesson } = message.byRecords ?? byRecords(knowledge, filing);
    const { decision, final } = decideAlone(knowledge, filing, bare);
    holdFiling(knowledge, message.raw.hash, filing, bare);
    decided.push({ ...asColumns(decision), alone: final && !related.has(message), lesson });
    await turns.pass();
  }
  return decided;
}

/** A message, and what it teaches. */
export interface Teaching {
  messageId: number;
  lesson: Lesson;
}

/**
 * Keeps what new messages of history teach by themselves. Lessons get their numbers in the order in which they are
 * committed: it comes last in its transaction, for whoever teaches waits for its end.
 */
export async function teachHistory(trx: Transaction, teaching: readonly Teaching[]): Promise<void> {
  if (!teaching.length) return;
  await holdTurn(trx, 'lessons');
  await insertAll(
    trx,
    'lesson',
    teaching.map(({ messageId, lesson }) => ({
      message_id: messageId,
      sign: 1,
      evident: true,
      lesson: toJson('lesson.lesson', lesson),
    })),
  );
  await noteHistoryTaught(trx, teaching[0]?.messageId);
}

/** Lets everything that is open be decided on anew. @param messageId one of those that taught */
export async function noteHistoryTaught(trx: Transaction, messageId: number | undefined): Promise<void> {
  if (messageId !== undefined)
    await insertAll(trx, 'history_taught', [{ message_id: messageId }], { ignore: true });
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
