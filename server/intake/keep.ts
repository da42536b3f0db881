import { noteChange } from '../foundation/changes.ts';
import type { Knex } from 'knex';
import { addressKey } from '../../core/address/address.ts';
import type { FilingKnowledge } from '../../core/filing/decide.ts';
import type { Lesson } from '../../core/filing/experience.ts';
import { cut } from '../../core/message/limits.ts';
import type { ReadMessage } from '../../core/message/read.ts';
import { searchWords } from '../../core/message/words.ts';
import type { Transaction } from '../foundation/database.ts';
import { holdTurn } from '../foundation/locks.ts';
import { storeRaw } from '../foundation/sources.ts';
import { noteDocuments } from '../documents/came.ts';
import { fileAsChosen } from './chosenFiles.ts';
import { decideHistory, type ForWeighing, type Teaching } from '../filing/history.ts';
import { decideFor, redecide, type Decided, type Undecided } from '../filing/decide.ts';
import { fileOn, noteSpoken, TO_WEIGH } from '../filing/standing.ts';
import { assignConversations } from './conversations.ts';
import { lastWords } from './owes.ts';
import type { Arrival, Prepared } from './prepare.ts';
import { noteAlive, noteAnswers, noteReturns } from './returns.ts';
import { askAgain, noteSenders } from './senders.ts';
import { tellApart, type Kept } from './twins.ts';
import { inPieces, insertAll } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { noteWhoOwes } from '../correspondence/owing.ts';

/** Words of so many letters go in one statement: a database server may take no more than 16 MB at once. */
const WORDS_AT_ONCE = 2_000_000;

/**
 * Keeps the sources of those messages that are not here yet, and their words for search, before their turn
 * comes: it is most of the writing. Should the process die before they are taken in, the next attempt finds them kept.
 * @param evenKnown for sources that may take the place of the one a record has
 */
export async function storeSources(
  db: Knex,
  prepared: readonly Prepared[],
  { evenKnown = false } = {},
): Promise<void> {
  const known = evenKnown ? new Set<string>() : await knownBodies(db, prepared);
  const fresh = prepared.filter((message) => !known.has(bodyName(message.family, message.bodyKey)));
  await storeRaw(
    db,
    fresh.map((message) => message.raw),
  );
  const words = new Map(
    fresh.map(({ raw, read }) => [raw.hash.toString('hex'), { hash: raw.hash, words: searchWords(read) }]),
  );
  for (const piece of inPieces([...words.values()], (row) => row.words.length, WORDS_AT_ONCE))
    await insertAll(db, 'raw_words', piece, { ignore: true });
}

/** Copies with nothing new in them; one that says something else keeps its own source. */
async function knownBodies(db: Knex, prepared: readonly Prepared[]): Promise<Set<string>> {
  const rows = await db('message')
    .whereIn(
      'family',
      prepared.map(({ family }) => family),
    )
    .select('family', 'body_key');
  return new Set(rows.flatMap(({ family, body_key }) => (body_key ? bodyName(family, body_key) : [])));
}

function bodyName(family: Buffer, bodyKey: Buffer): string {
  return `${family.toString('hex')} ${bodyKey.toString('hex')}`;
}

/** One intake at a time keeps a message, so that conversations and shared messages are joined without a race. */
export async function intakeTurn(trx: Transaction): Promise<void> {
  await holdTurn(trx, 'intake');
}

/** The record of a message, and the time it bears. */
export interface Recorded extends Pick<Rows['message'], 'id' | 'at'> {
  /** What a message of history that is new teaches by itself. */
  lesson?: Lesson;
}

/** What those of the messages that are new teach, each once. */
export function teachingOf(recorded: readonly Recorded[]): Teaching[] {
  const lessons = new Map(recorded.flatMap(({ id, lesson }) => (lesson ? [[id, lesson] as const] : [])));
  return [...lessons].map(([messageId, lesson]) => ({ messageId, lesson }));
}

/** Unread, starred: what the copies at hand say of each message. */
interface Marks {
  unread: boolean;
  starred: boolean;
}

/** The marks of the messages of a batch, by identity. */
function marksOf(arrivals: readonly Arrival[], prepared: readonly Prepared[]): Map<string, Marks> {
  const marks = new Map<string, Marks>();
  for (const [index, { seen, flagged }] of arrivals.entries()) {
    const key = prepared[index]?.key ?? '';
    const before = marks.get(key);
    marks.set(key, {
      unread: !seen || (before?.unread ?? false),
      starred: flagged || (before?.starred ?? false),
    });
  }
  return marks;
}

/**
 * Notes where the copies of messages lie, and their flags; what is still to be told to the server stays.
 * @param recorded the record of each, in order
 */
export async function recordCopies(
  trx: Transaction,
  arrivals: readonly Arrival[],
  recorded: readonly Recorded[],
): Promise<void> {
  await trx.raw(
    `INSERT INTO message_copy (folder_id, shown_in, uid, message_id, seen, flagged, at, size)
      VALUES ${arrivals.map(() => '(?, ?, ?, ?, ?, ?, ?, ?)').join(', ')}
      ON DUPLICATE KEY UPDATE message_id = VALUES(message_id), seen = VALUES(seen), flagged = VALUES(flagged),
        at = VALUES(at), size = VALUES(size)`,
    arrivals.flatMap((arrival, index) => [
      arrival.folderId,
      arrival.folderId,
      arrival.uid,
      recorded[index]?.id ?? 0,
      arrival.seen,
      arrival.flagged,
      // Of one message all copies bear one time, so that lists show it once.
      recorded[index]?.at ?? arrival.internalDate,
      arrival.raw.length,
    ]),
  );
  const fresh = arrivals.filter(({ past }) => !past);
  if (fresh.length) await applyPending(trx, fresh);
}

/** A message moved here is told to the server, and may be starred, before it is taken in at its new place. */
async function applyPending(trx: Transaction, arrivals: readonly Arrival[]): Promise<void> {
  for (const flag of ['seen', 'flagged'] as const)
    await trx.raw(
      `UPDATE message_copy JOIN mail_change USING (folder_id, uid) SET message_copy.${flag} = mail_change.value
        WHERE mail_change.kind = ? AND (mail_change.folder_id, mail_change.uid) IN (${arrivals.map(() => '(?, ?)').join(', ')})`,
      [flag, ...arrivals.flatMap(({ folderId, uid }) => [folderId, uid])],
    );
}

/**
 * Keeps those of the messages that are new, oldest first, and decides on them; their sources are kept already.
 * Whoever calls it has waited its turn ({@link intakeTurn}).
 * @param arrivals the copies they come from, in the same order; none for what we sent ourselves
 * @returns the record of each, in the order given
 */
export async function recordMessages(
  trx: Transaction,
  knowledge: FilingKnowledge,
  prepared: readonly Prepared[],
  arrivals: readonly Arrival[] = [],
): Promise<Recorded[]> {
  const known = await tellApart(trx, prepared);
  const marks = marksOf(arrivals, prepared);
  const fresh = new Map<string, Prepared>();
  for (const message of prepared) {
    const first = fresh.get(message.key);
    if (known.has(message.key)) continue;
    // Of two copies in one batch the one that shows it to be ours is kept.
    if (!first || (message.ours && !first.ours)) fresh.set(message.key, message);
  }
  const records = new Map<string, Recorded>(known);
  const ordered = [...fresh.values()].sort((a, b) => a.at.getTime() - b.at.getTime());
  if (ordered.length) await recordNew(trx, knowledge, ordered, marks, records);
  await foundToBeOurs(trx, knowledge, prepared, known);
  return prepared.map((message) => records.get(message.key) ?? { id: 0, at: message.at });
}

async function recordNew(
  trx: Transaction,
  knowledge: FilingKnowledge,
  ordered: readonly Prepared[],
  marks: ReadonlyMap<string, Marks>,
  records: Map<string, Recorded>,
): Promise<void> {
  const { conversations, joined, borne } = await assignConversations(trx, ordered);
  const turned = await noteSenders(trx, ordered);
  const decided = await decideNew(trx, knowledge, ordered, borne);
  await fileAsChosen(trx, ordered, decided);
  const waits = lastWords(ordered, conversations, joined);
  const now = new Date();
  const rows = ordered.map((message, index) => ({
    identity: message.identity,
    family: message.family,
    ...message.row,
    conversation_id: conversations[index],
    ...decided[index]?.columns,
    decided_at: now,
    unread: marks.get(message.key)?.unread ?? false,
    starred: marks.get(message.key)?.starred ?? false,
    waits: waits.has(message) ? (message.ours ? 'they' : 'we') : null,
  }));
  const inserted = await insertAll(trx, 'message', rows, { returning: ['id', 'identity'] });
  const ids = new Map(
    (inserted as Pick<Rows['message'], 'id' | 'identity'>[]).map((row) => [
      row.identity.toString('hex'),
      row.id,
    ]),
  );
  const idOf = (message: Prepared) => ids.get(message.key) ?? 0;
  for (const [index, message] of ordered.entries())
    records.set(message.key, {
      id: idOf(message),
      at: message.at,
      ...(teaches(message, decided[index]) ? { lesson: decided[index].lesson } : {}),
    });
  await insertParts(trx, ordered, decided, idOf);
  await askAgain(trx, turned);
  await noteWhoOwes(trx, [...joined]);
  if (decided.some(({ columns }) => columns.state === 'suggested')) await noteChange(trx, 'sorting');
  await noteChange(
    trx,
    'mail',
    'file',
    decided.flatMap(({ fileIds }) => fileIds),
  );
  await noteReturns(trx, ordered, idOf);
  await noteAlive(trx, ordered);
  await noteAnswers(trx, ordered, idOf);
}

/**
 * Decides on new messages: on what comes now by all that is known, on history each by itself, since what it has to do
 * with may not be here yet. It is weighed when that is.
 */
async function decideNew(
  trx: Transaction,
  knowledge: FilingKnowledge,
  messages: readonly Prepared[],
  borne: ReadonlySet<string>,
): Promise<(Decided & Partial<ForWeighing>)[]> {
  const history = messages.filter(({ past }) => past);
  const alone = await decideHistory(trx, knowledge, history, borne);
  const present = await decideFor(trx, knowledge, messages.filter(({ past }) => !past).map(undecided));
  const [nextAlone, nextPresent] = [alone.values(), present.values()];
  return messages.flatMap(({ past }) => (past ? nextAlone : nextPresent).next().value ?? []);
}

/** What was kept as somebody's claim to be us turns out to lie in Sent: from now on it is ours. */
async function foundToBeOurs(
  trx: Transaction,
  knowledge: FilingKnowledge,
  prepared: readonly Prepared[],
  known: ReadonlyMap<string, Kept>,
): Promise<void> {
  const found = new Map<number, Prepared>();
  for (const message of prepared) {
    const before = known.get(message.key);
    if (message.ours && before?.direction === 'received') found.set(before.id, message);
  }
  for (const [id, message] of found)
    await trx('message')
      .where({ id })
      .update({ direction: message.row.direction, asks: message.asks, confirmation: null });
  if (!found.size) return;
  await noteSpoken(trx, [...found.keys()]);
  const conversations: number[] = await trx('message')
    .whereIn('id', [...found.keys()])
    .distinct('conversation_id')
    .pluck('conversation_id');
  await noteWhoOwes(trx, conversations);
  await redecide(trx, knowledge, [...found.keys()], { evenAside: true });
}

/** Everything that hangs on the records of new messages. */
async function insertParts(
  trx: Transaction,
  messages: readonly Prepared[],
  decided: readonly (Decided & Partial<ForWeighing>)[],
  idOf: (message: Prepared) => number,
): Promise<void> {
  const all = <T>(table: string, rowsOf: (message: Prepared, index: number) => Record<string, T>[]) =>
    insertAll(trx, table, messages.flatMap(rowsOf));
  // Handed over together: while one is carried out the next is written.
  await Promise.all([
    all<Buffer | number>('message_link', linksOf(idOf)),
    all('message_subject', (message) =>
      message.subjectHashes.map((key) => ({ message_id: idOf(message), subject_key: key })),
    ),
    all('message_party', (message) => parties(message.read, idOf(message))),
    // It is weighed anew with all it has to do with, when that is here.
    all('weighing', (message, index) =>
      decided[index]?.alone ? [] : [{ message_id: idOf(message), stage: TO_WEIGH }],
    ),
    noteDocuments(
      trx,
      messages.map((message) => ({ id: idOf(message), at: message.at, documents: message.documents })),
    ),
  ]);
  await fileOn(
    trx,
    messages.flatMap((message, index) =>
      (decided[index]?.fileIds ?? []).map((fileId) => ({ messageId: idOf(message), fileId })),
    ),
  );
}

/** Whether a message teaches where it is by itself: it could be read, and nobody had chosen another place for it. */
function teaches(
  { read }: Prepared,
  decided: (Decided & Partial<ForWeighing>) | undefined,
): decided is Decided & { lesson: Lesson } {
  return Boolean(decided?.lesson) && !read.problem;
}

/** Its own identifier at place 0, those it names from 1 on, each once. */
function linksOf(idOf: (message: Prepared) => number) {
  return (message: Prepared) => {
    const { messageKey, named } = message;
    const others = named.filter((key) => !messageKey?.equals(key));
    const own = messageKey ? [{ message_id: idOf(message), link_key: messageKey, place: 0 }] : [];
    return [
      ...own,
      ...others.map((key, index) => ({ message_id: idOf(message), link_key: key, place: index + 1 })),
    ];
  };
}

function undecided(message: Prepared): Undecided {
  return {
    filing: message.filing,
    messageId: message.read.messageId,
    subjectHashes: message.subjectHashes,
  };
}

/** So many people of one message are kept apart. */
const MOST_PARTIES = 500;

function parties(read: ReadMessage, messageId: number) {
  const seen = new Set<string>();
  const all = [
    ...(read.from ? [{ role: 'from', ...read.from }] : []),
    ...read.to.map((mailbox) => ({ role: 'to', ...mailbox })),
    ...read.cc.map((mailbox) => ({ role: 'cc', ...mailbox })),
    ...read.bcc.map((mailbox) => ({ role: 'bcc', ...mailbox })),
  ];
  return all.slice(0, MOST_PARTIES).flatMap(({ role, name, address }) => {
    const key = cut(addressKey(address), 254);
    if (!address || seen.has(`${role} ${key}`)) return [];
    seen.add(`${role} ${key}`);
    return [{ message_id: messageId, role, email_key: key, email: cut(address, 254), name: cut(name, 255) }];
  });
}
