import type { Knex } from 'knex';
import type { Weighing } from '../../contract/index.ts';
import { evidentLesson, type FilingKnowledge } from '../../core/filing/decide.ts';
import { apart, Past, type PastMessage } from '../../core/filing/settle.ts';
import type { FilingRegister } from '../../core/filing/register.ts';
import { MAILED, type Decision } from '../../core/filing/types.ts';
import { holdMessages } from '../correspondence/marks.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { transact, type Transaction } from '../foundation/database.ts';
import { toJson } from '../foundation/json.ts';
import { holdTurn } from '../foundation/locks.ts';
import { countOf, groupBy, idsOf, insertAll, select, selectFirst } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { Turns } from '../foundation/turns.ts';
import { asColumns, reasonOf } from './decide.ts';
import { DECIDED_ON, filingsOf } from './filings.ts';
import { COMMON_SUBJECT, noteHistoryTaught } from './history.ts';
import { filingKnowledge } from './knowledge.ts';
import { hearOfRecords } from './newRecords.ts';
import {
  FOR_GOOD,
  LEARNED,
  messageRanges,
  SETTLED,
  setStandings,
  standingsOf,
  TO_WEIGH,
} from './standing.ts';

/** So many are taken up at once, with all they have to do with. */
const BATCH = 1000;
/** Of messages that have to do with each other so many are weighed together. */
const MOST_TOGETHER = 600;
/** A batch, with all that has to do with it, is of so many at most; so many ties are looked at in one step. */
const MOST_AT_ONCE = 4000;
const MOST_ROWS = 20_000;

/** How many messages are still to be weighed, of all there are; null when hardly any. */
export async function weighingLeft(db: Knex): Promise<Weighing> {
  const left = await countOf(db('weighing').where('stage', '>', SETTLED));
  return left < FEW ? null : { left, of: await countOf(db('message')) };
}
/** Fewer than so many are not worth telling. */
const FEW = 50;

/** Whether mail from before a mailbox was connected is being taken in by anybody. */
export async function historyToCome(db: Knex): Promise<boolean> {
  const open = db('folder')
    .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
    .where('folder.history_uid', '>', 1)
    .where('folder.skipped', 0)
    .whereNull('folder.closed')
    .whereNotIn('folder.role', ['drafts', 'junk'])
    .whereNull('mailbox.paused_at')
    .whereNull('mailbox.disconnected_at')
    .whereRaw('mailbox.lease_until > UTC_TIMESTAMP(3)');
  return (await selectFirst(open, { id: 'folder.id' })) !== undefined;
}

/**
 * Weighs what is still to be weighed, and what people wrote before they were entered in the records. First it is
 * learned from, where it is certain by itself; then each message is decided on together with all it has to do with, so
 * that the order in which mail was taken in makes no difference. When history came, everything that nobody has touched
 * or kept is decided on anew with what was learned. Every step is whole and may be done again: a process that dies leaves
 * the rest to the next.
 * @param stopped tells when to leave the rest for later
 */
export async function weigh(context: AppContext, stopped: () => boolean = () => false): Promise<void> {
  await hearOfRecords(context);
  const together: Related[] = [];
  while (!stopped()) {
    const learned = await learnSome(context);
    if (!learned) break;
    together.push(learned);
  }
  if (stopped()) return;
  await takeUpHistory(context);
  // What was gathered to be learned from is decided on as it is; then whatever else there is.
  for (const each of together) if (each.ids.length && !stopped()) await decideSome(context, each);
  while (!stopped() && (await decideSome(context)));
}

/** A batch of what is new, and what of the rest has to do with it. */
interface Gathered {
  rows: ReadonlyMap<string, Member>;
  parts: readonly (readonly PastMessage[])[];
  /** All that are weighed now. */
  ids: readonly number[];
}

async function gather(
  knowledge: FilingKnowledge,
  trx: Transaction,
  { ids, alike }: Related,
): Promise<Gathered> {
  const rows = await members(trx, ids);
  const past = await pastOf(trx, knowledge, rows, alike);
  return {
    rows: new Map(rows.map((row) => [keyOf(row), row])),
    parts: apart(past),
    ids,
  };
}

/**
 * A batch of messages of which this is still to be done, with all they have to do with; null when there are none. What
 * ties them does not change once they are kept: it is looked for beside the transaction, in two places at once.
 */
async function nextRelated(db: Knex, trx: Transaction, stage: number): Promise<Related | null> {
  const waiting = trx('weighing').where({ stage }).orderBy('message_id').limit(BATCH);
  const seeds = await idsOf(waiting, 'weighing.message_id');
  return seeds.length ? related(db, seeds) : null;
}

/**
 * Learns from a batch of new messages, and decides on those of them that nothing learned would put elsewhere.
 * @returns what is still to be decided on; null when there was nothing new
 */
async function learnSome(context: AppContext): Promise<Related | null> {
  return transact(context.db, async (trx) => {
    await holdTurn(trx, 'weighing');
    // Within the turn: what was marked because something else is known now is weighed by that.
    const knowledge = await filingKnowledge(context);
    const next = await nextRelated(context.db, trx, TO_WEIGH);
    if (!next) return null;
    const marked = await holdMarks(trx, next.ids);
    const [found, before] = await Promise.all([
      gather(knowledge, trx, next),
      liveLessons(trx, next.ids, 'file_id'),
    ]);
    const wanted = new Map<number, { fileId: number; past: PastMessage }>();
    const decided: Settled[] = [];
    const turns = new Turns();
    for (const part of found.parts) {
      const byKey = new Map(part.map((each) => [each.key, each]));
      const together = new Past(knowledge, part);
      for (const [key, fileId] of together.evident()) {
        const row = found.rows.get(key);
        const past = byKey.get(key);
        if (row && past) wanted.set(row.id, { fileId, past });
      }
      const final = together.final();
      if (final) decided.push(...settledAs(found, final));
      await turns.pass();
    }
    const taught = await teachEvident(trx, knowledge.register, { before, wanted });
    const moved = await keep(trx, decided);
    if (moved || decided.length >= FEW) await noteChange(trx, 'sorting');
    const final = new Set(decided.map(({ row }) => row.id));
    const rest = await noteLearned(trx, found, marked, { taught, final });
    return { ...next, ids: rest };
  });
}

/** What was decided on a message. */
interface Settled {
  row: Member;
  decision: Decision;
}

function settledAs({ rows }: Gathered, decisions: ReadonlyMap<string, Decision>): Settled[] {
  return [...decisions].flatMap(([key, decision]) => {
    const row = rows.get(key);
    return row ? [{ row, decision }] : [];
  });
}

/**
 * Holds the marks there are of these messages until the transaction ends: who marks one anew waits for that, so that
 * no mark is taken away which was not seen. @returns the messages that bear one
 */
async function holdMarks(trx: Transaction, ids: readonly number[]): Promise<number[]> {
  const marks = trx('weighing').whereIn('message_id', ids).orderBy('message_id').forUpdate();
  return idsOf(marks, 'weighing.message_id');
}

/**
 * What is final stays where it is; the rest is decided on, and when history taught something, everything.
 * @returns the rest
 */
async function noteLearned(
  trx: Transaction,
  { ids, rows }: Gathered,
  marked: readonly number[],
  { taught, final }: { taught: ReadonlySet<number>; final: ReadonlySet<number> },
): Promise<number[]> {
  const rest = ids.filter((id) => !final.has(id));
  const [done, open] = [marked.filter((id) => final.has(id)), marked.filter((id) => !final.has(id))];
  await trx('weighing').whereIn('message_id', done).delete();
  await trx('weighing').whereIn('message_id', open).update({ stage: LEARNED });
  // Of what had no mark some may have been given one meanwhile: it keeps that.
  const had = new Set(marked);
  const fresh = rest.filter((id) => !had.has(id)).map((id) => ({ message_id: id, stage: LEARNED }));
  await insertAll(trx, 'weighing', fresh, { ignore: true });
  await noteHistoryTaught(trx, [...rows.values()].find(({ id, past }) => past && taught.has(id))?.id);
  return rest;
}

/**
 * Makes what evidence taught about these messages what it teaches now. What a person decided teaches by itself.
 * @returns those of which something else is taught
 */
async function teachEvident(
  trx: Transaction,
  register: FilingRegister,
  { before, wanted }: Evidence,
): Promise<Set<number>> {
  const changed = [...new Set([...before.keys(), ...wanted.keys()])].filter((id) => {
    const live = before.get(id);
    return !live || (live.evident && live.told !== wanted.get(id)?.fileId);
  });
  if (!changed.length) return new Set();
  // Who decides on one teaches in its place, and holds this turn until both are kept.
  await holdTurn(trx, 'lessons');
  const open = await idsOf(trx('message').whereIn('id', changed).whereNull('decided_by'), 'message.id');
  const now = await liveLessons(trx, open, 'lesson');
  const lessons = open.flatMap((id) => {
    const [live, teaches] = [now.get(id), wanted.get(id)];
    if (live && !live.evident) return [];
    const lesson = teaches && evidentLesson(register, teaches.past.message, teaches.fileId);
    return [
      ...(live ? [{ message_id: id, sign: -1, evident: true, lesson: live.told }] : []),
      ...(lesson
        ? [{ message_id: id, sign: 1, evident: true, lesson: toJson('lesson.lesson', lesson) }]
        : []),
    ];
  });
  await insertAll(trx, 'lesson', lessons);
  return new Set(lessons.map(({ message_id }) => message_id));
}

type Live<Column extends 'file_id' | 'lesson'> = Map<
  number,
  { evident: boolean; told: Rows['lesson'][Column] }
>;

/** What evidence taught about messages, and what it teaches now; by their ids. */
interface Evidence {
  before: Live<'file_id'>;
  wanted: ReadonlyMap<number, { fileId: number; past: PastMessage }>;
}

/** Of the messages that teach now: whether that is by evidence, and a column of the lesson. */
async function liveLessons<Column extends 'file_id' | 'lesson'>(
  trx: Transaction,
  ids: readonly number[],
  column: Column,
): Promise<Live<Column>> {
  const rows = await select(trx('lesson').whereIn('message_id', ids).orderBy('id'), {
    id: 'lesson.message_id',
    sign: 'lesson.sign',
    evident: 'lesson.evident',
    told: trx.raw<Rows['lesson'][Column]>('??', [column]),
  });
  const last = new Map(rows.map((row) => [row.id, row]));
  return new Map(
    [...last].flatMap(([id, { sign, evident, told }]) =>
      sign > 0 ? [[id, { evident: Boolean(evident), told }] as const] : [],
    ),
  );
}

/** When history has been learned from, everything that is open is decided on anew. */
async function takeUpHistory({ db }: AppContext): Promise<void> {
  const taught: number[] = await db('history_taught').pluck('message_id');
  if (!taught.length) return;
  for (const range of await messageRanges(db))
    await transact(db, (trx) =>
      trx('weighing')
        .join('message', 'message.id', 'weighing.message_id')
        .whereBetween('weighing.message_id', range)
        .where('weighing.stage', SETTLED)
        .whereNull('message.decided_by')
        .whereNull('message.kept_at')
        .whereIn('message.state', ['suggested', 'logged', 'aside'])
        .whereRaw('message.taken_in_at > UTC_TIMESTAMP(3) - INTERVAL ? DAY', [FOR_GOOD])
        .update({ stage: LEARNED }),
    );
  await db('history_taught').whereIn('message_id', taught).delete();
}

/**
 * Decides on a batch with all it has to do with.
 * @param related the batch, where it is known
 * @returns whether there was any
 */
async function decideSome(context: AppContext, related?: Related): Promise<boolean> {
  return transact(context.db, async (trx) => {
    await holdTurn(trx, 'weighing');
    const knowledge = await filingKnowledge(context);
    const next = related ?? (await nextRelated(context.db, trx, LEARNED));
    if (!next) return false;
    const found = await gather(knowledge, trx, next);
    const turns = new Turns();
    const decided: Settled[] = [];
    for (const part of found.parts) {
      const together = new Past(knowledge, part);
      decided.push(...settledAs(found, related ? together.settleByAll() : together.settle()));
      await turns.pass();
    }
    const moved = await keep(trx, decided);
    await trx('weighing')
      .whereIn('message_id', found.ids)
      .where({ stage: LEARNED })
      .update({ stage: SETTLED });
    if (moved || found.ids.length >= FEW) await noteChange(trx, 'sorting');
    return true;
  });
}

/** Puts messages where they were found to belong, unless a person has done something about them meanwhile. */
async function keep(trx: Transaction, decided: readonly Settled[]): Promise<number> {
  const different = decided.flatMap(({ row, decision }) =>
    standsAs(row, decision) ? [] : [{ row, ...asColumns(decision) }],
  );
  if (!different.length) return 0;
  const ids = different.map(({ row }) => row.id);
  await holdMessages(trx, ids);
  const standings = await standingsOf(trx, ids);
  // Somebody may have seen it and left it there meanwhile.
  const kept = new Set(await idsOf(trx('message').whereIn('id', ids).whereNotNull('kept_at'), 'message.id'));
  const now = new Date().toISOString();
  const moves = different.flatMap(({ row, columns, fileIds }) => {
    const before = standings.get(row.id);
    const untouched =
      before &&
      !kept.has(row.id) &&
      before.decided_by === null &&
      before.later_until === null &&
      before.state === row.state &&
      before.fileIds.join() === row.fileIds.join();
    return untouched ? [{ id: row.id, to: { ...before, ...columns, decided_at: now, fileIds } }] : [];
  });
  await setStandings(trx, moves);
  return moves.length;
}

/** Whether a message is where it was decided to be already, for the same reasons. */
function standsAs(row: Member, decision: Decision): boolean {
  // Other reasons are told as well.
  if (row.state !== decision.state || row.reason !== reasonOf(decision)) return false;
  const fileIds = decision.state === 'logged' ? [...decision.fileIds].sort((a, b) => a - b) : [];
  if (row.fileIds.join() !== fileIds.join()) return false;
  return (
    decision.state !== 'suggested' || row.candidates === toJson('message.candidates', decision.candidates)
  );
}

const MEMBER = [
  ...DECIDED_ON,
  'identity',
  'state',
  'candidates',
  'reason',
  'decided_by',
  'kept_at',
  'later_until',
  'corrected_at',
  'problem',
] as const;
type Member = Pick<Rows['message'], (typeof MEMBER)[number]> & { fileIds: number[] };

/** The same in whatever order mail was taken in. */
function keyOf({ identity }: Member): string {
  return identity.toString('hex');
}

/** In the order in which they were taken in. */
async function members(trx: Transaction, ids: readonly number[]): Promise<Member[]> {
  // While one is read the other is looked for.
  const [rows, filed] = await Promise.all([
    trx('message')
      .whereIn('id', ids)
      .orderBy('id')
      .select(...MEMBER),
    trx('filing').whereIn('message_id', ids).select('message_id', 'file_id'),
  ]);
  const filesOf = groupBy(filed, (row) => row.message_id);
  return rows.map((row) => ({
    ...row,
    fileIds: (filesOf.get(row.id) ?? []).map(({ file_id }) => file_id).sort((a, b) => a - b),
  }));
}

async function pastOf(
  trx: Transaction,
  knowledge: FilingKnowledge,
  rows: readonly Member[],
  alike: Related['alike'],
): Promise<PastMessage[]> {
  const filings = await filingsOf(trx, knowledge, rows);
  return rows.flatMap((row): PastMessage[] => {
    const filing = filings.get(row.id);
    if (!filing) return [];
    const { message, bare } = filing;
    const { state, fileIds } = row;
    return [
      {
        key: keyOf(row),
        messageId: row.message_id,
        message,
        ours: row.direction !== 'received',
        subjectKeys: [...(alike.get(row.id) ?? [])],
        held: isHeld(row) ? { state, fileIds, mailed: row.reason === MAILED } : null,
        ...(bare ? { bare } : {}),
      },
    ];
  });
}

/** Reasons for which a message is where it is beyond what could be weighed: somebody chose the file beforehand. */
const CHOSEN = new Set<string>([MAILED, 'hand']);

/** Whether a person, or what a person chose, has put a message where it is, or has seen it there and left it. */
function isHeld(row: Member): boolean {
  return (
    row.decided_by !== null ||
    row.kept_at !== null ||
    row.later_until !== null ||
    row.corrected_at !== null ||
    row.problem !== null ||
    row.state === 'private' ||
    ((row.state === 'logged' || row.state === 'aside') && CHOSEN.has(row.reason ?? ''))
  );
}

/** Messages that have to do with each other. */
interface Related {
  ids: readonly number[];
  /** The subjects, by their hashes in hexadecimal, that each of them bears together with others. */
  alike: ReadonlyMap<number, ReadonlySet<string>>;
}

/**
 * These messages and all that name them, are named by them, name the same, or share a subject and a correspondent.
 * Where that is too much, only the first half of them; of one message so many of those it has to do with.
 */
async function related(db: Knex, seeds: readonly number[]): Promise<Related> {
  const found = new Set(seeds);
  const alike = new Map<number, Set<string>>();
  const most = seeds.length > 1 ? MOST_AT_ONCE : MOST_TOGETHER;
  for (let edge: number[] = [...seeds]; edge.length;) {
    const [named, bearing] = await Promise.all([linkedWith(db, edge), underSameSubject(db, edge)]);
    for (const { key, messageIds } of bearing)
      for (const id of messageIds) alike.set(id, (alike.get(id) ?? new Set()).add(key));
    edge = [...new Set([...named, ...bearing.flatMap(({ messageIds }) => messageIds)])].filter(
      (id) => !found.has(id),
    );
    for (const id of edge) found.add(id);
    if (found.size <= most && Math.max(named.length, bearing.length) < MOST_ROWS) continue;
    return seeds.length > 1
      ? related(db, seeds.slice(0, Math.ceil(seeds.length / 2)))
      : { ids: [...found].slice(0, MOST_TOGETHER), alike };
  }
  return { ids: [...found], alike };
}

async function linkedWith(db: Knex, ids: readonly number[]): Promise<number[]> {
  const own = db('message_link').whereIn('message_id', ids).distinct('link_key').as('own');
  return idsOf(
    db('message_link').join(own, 'own.link_key', 'message_link.link_key').limit(MOST_ROWS),
    'message_link.message_id',
  );
}

/** Of each subject with one correspondent that a few messages bear together, those. */
async function underSameSubject(
  db: Knex,
  ids: readonly number[],
): Promise<{ key: string; messageIds: number[] }[]> {
  const own = db('message_subject').whereIn('message_id', ids).distinct('subject_key').as('own');
  const borne = db('message_subject')
    .join(own, 'own.subject_key', 'message_subject.subject_key')
    .groupBy('message_subject.subject_key')
    .havingRaw('COUNT(*) BETWEEN 2 AND ?', [COMMON_SUBJECT])
    .limit(MOST_ROWS);
  const rows = await select(borne, {
    key: 'message_subject.subject_key',
    messages: db.raw<string>('GROUP_CONCAT(message_subject.message_id)'),
  });
  return rows.map(({ key, messages }) => ({
    key: key.toString('hex'),
    messageIds: messages.split(',').map(Number),
  }));
}
