import type { Knex } from 'knex';
import type { Weighing } from '../../contract/index.ts';
import { evidentLesson, type FilingKnowledge } from '../../core/filing/decide.ts';
import { apart, Past, type PastMessage } from '../../core/filing/settle.ts';
import { subjectKeys } from '../../core/filing/message.ts';
import type { FilingRegister } from '../../core/filing/register.ts';
import type { Decision } from '../../core/filing/types.ts';
import { holdMessages } from '../correspondence/marks.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { transact, type Transaction } from '../foundation/database.ts';
import { fromJson, toJson } from '../foundation/json.ts';
import { holdTurn } from '../foundation/locks.ts';
import { countOf, groupBy, idsOf, insertAll, selectFirst } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { Turns } from '../foundation/turns.ts';
import { asColumns, DECIDED_ON, filingsOf } from './decide.ts';
import { filingKnowledge } from './knowledge.ts';
import { setStandings, standingsOf, TO_WEIGH } from './standing.ts';

/** Still to be weighed: learned from first, then decided on; a message of history has all others decided on with it. */
const LEARNED = 2;
const HISTORY = 3;

/** So many are taken up at once, with all they have to do with. */
const BATCH = 100;
/** Of messages that have to do with each other so many are weighed together. */
const MOST_TOGETHER = 600;
/** A subject that so many messages with one correspondent bear is no sign of a conversation. */
const COMMON_SUBJECT = 40;
/** What was settled without a person longer ago than this, in days, stays unless a message of its conversation comes. */
const FOR_GOOD = 30;
/** So many are marked at once, that nobody waits for them long. */
const MARKED = 5000;

/** How many messages are still to be weighed, of all there are; null when hardly any. */
export async function weighingLeft(db: Knex): Promise<Weighing> {
  const left = await countOf(db('message').where('weigh', '>', 0));
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
 * Weighs what is still to be weighed. First it is learned from, where it is certain by itself; then each message is
 * decided on together with all it has to do with, so that the order in which mail was taken in makes no difference.
 * When history came, everything that nobody has touched or kept is decided on anew with what was learned. Every step
 * is whole and may be done again: a process that dies leaves the rest to the next.
 * @param stopped tells when to leave the rest for later
 */
export async function weigh(context: AppContext, stopped: () => boolean = () => false): Promise<void> {
  while (!stopped() && (await learnSome(context)));
  if (stopped()) return;
  await takeUpHistory(context);
  while (!stopped() && (await decideSome(context)));
}

/** A batch of what is new, and what of the rest has to do with it. */
interface Gathered {
  knowledge: FilingKnowledge;
  rows: ReadonlyMap<string, Member>;
  parts: readonly (readonly PastMessage[])[];
  /** All that are weighed now. */
  ids: readonly number[];
}

async function gather(knowledge: FilingKnowledge, trx: Transaction, weigh: number): Promise<Gathered | null> {
  const seeds = await idsOf(trx('message').where({ weigh }).orderBy('id').limit(BATCH), 'message.id');
  if (!seeds.length) return null;
  const ids = await related(trx, seeds);
  const rows = await members(trx, ids);
  const past = await pastOf(trx, knowledge.register, rows);
  return {
    knowledge,
    rows: new Map(rows.map((row) => [keyOf(row), row])),
    parts: apart(past),
    ids,
  };
}

/** Learns from a batch of new messages. @returns whether there were any */
async function learnSome(context: AppContext): Promise<boolean> {
  const knowledge = await filingKnowledge(context);
  return transact(context.db, async (trx) => {
    await holdTurn(trx, 'weighing');
    const found = await gather(knowledge, trx, TO_WEIGH);
    if (!found) return false;
    const wanted = new Map<number, { fileId: number; past: PastMessage }>();
    const turns = new Turns();
    for (const part of found.parts) {
      const byKey = new Map(part.map((each) => [each.key, each]));
      for (const [key, fileId] of new Past(knowledge, part).evident()) {
        const row = found.rows.get(key);
        const past = byKey.get(key);
        if (row && past) wanted.set(row.id, { fileId, past });
      }
      await turns.pass();
    }
    await teachEvident(trx, knowledge.register, [...found.rows.values()], wanted);
    const marked = () => trx('message').whereIn('id', found.ids);
    await marked().where({ weigh: TO_WEIGH, past: 1 }).update({ weigh: HISTORY });
    await marked().whereNot({ weigh: HISTORY }).update({ weigh: LEARNED });
    return true;
  });
}

/** Makes what evidence taught about these messages what it teaches now. What a person decided teaches by itself. */
async function teachEvident(
  trx: Transaction,
  register: FilingRegister,
  rows: readonly Member[],
  wanted: ReadonlyMap<number, { fileId: number; past: PastMessage }>,
): Promise<void> {
  const ids = rows.map(({ id }) => id);
  const taught = await trx('lesson').whereIn('message_id', ids).orderBy('id').select();
  const live = new Map(taught.map((lesson) => [lesson.message_id, lesson]));
  const changes = rows.flatMap(({ id }) => {
    const last = live.get(id);
    const before = last && last.sign > 0 ? last : null;
    if (before && !before.evident) return [];
    const now = wanted.get(id);
    const same = before && fromJson('lesson.lesson', before.lesson).files[0]?.id === now?.fileId;
    return same || (!before && !now) ? [] : [{ id, before, now }];
  });
  if (!changes.length) return;
  await holdTurn(trx, 'lessons');
  await holdMessages(
    trx,
    changes.map(({ id }) => id),
  );
  // Somebody may have decided meanwhile, which teaches in its place.
  const open = new Set(
    await idsOf(
      trx('message')
        .whereIn(
          'id',
          changes.map(({ id }) => id),
        )
        .whereNull('decided_by')
        .forUpdate(),
      'message.id',
    ),
  );
  const lessons = changes
    .filter(({ id }) => open.has(id))
    .flatMap(({ id, before, now }) => [
      ...(before ? [{ message_id: id, sign: -1, evident: true, lesson: before.lesson }] : []),
      ...(now
        ? [
            {
              message_id: id,
              sign: 1,
              evident: true,
              lesson: toJson('lesson.lesson', evidentLesson(register, now.past.message, now.fileId)),
            },
          ]
        : []),
    ]);
  await insertAll(trx, 'lesson', lessons);
}

/** When history has been learned from, everything that is open is decided on anew. */
async function takeUpHistory({ db }: AppContext): Promise<void> {
  const [first] = await db('message').where({ weigh: HISTORY }).limit(1).pluck('id');
  if (first === undefined) return;
  const newest = (await selectFirst(db('message'), { id: db.raw<number | null>('MAX(id)') }))?.id ?? 0;
  for (let from = 0; from <= newest; from += MARKED)
    await transact(db, (trx) =>
      trx('message')
        .whereBetween('id', [from + 1, from + MARKED])
        .where({ weigh: 0 })
        .whereNull('decided_by')
        .whereNull('kept_at')
        .whereIn('state', ['suggested', 'logged', 'aside'])
        .whereRaw('taken_in_at > UTC_TIMESTAMP(3) - INTERVAL ? DAY', [FOR_GOOD])
        .update({ weigh: LEARNED }),
    );
  await transact(db, (trx) => trx('message').where({ weigh: HISTORY }).update({ weigh: LEARNED }));
}

/** Decides on a batch with all it has to do with. @returns whether there was any */
async function decideSome(context: AppContext): Promise<boolean> {
  const knowledge = await filingKnowledge(context);
  return transact(context.db, async (trx) => {
    await holdTurn(trx, 'weighing');
    const found = await gather(knowledge, trx, LEARNED);
    if (!found) return false;
    const turns = new Turns();
    const decided: { row: Member; decision: Decision }[] = [];
    for (const part of found.parts) {
      for (const [key, decision] of new Past(knowledge, part).settle()) {
        const row = found.rows.get(key);
        if (row) decided.push({ row, decision });
      }
      await turns.pass();
    }
    const moved = await keep(trx, decided);
    await trx('message').whereIn('id', found.ids).where({ weigh: LEARNED }).update({ weigh: 0 });
    if (moved || found.ids.length >= FEW) await noteChange(trx, 'sorting');
    return true;
  });
}

/** Puts messages where they were found to belong, unless a person has done something about them meanwhile. */
async function keep(
  trx: Transaction,
  decided: readonly { row: Member; decision: Decision }[],
): Promise<number> {
  const different = decided.flatMap(({ row, decision }) => {
    const { columns, fileIds } = asColumns(decision);
    const same =
      row.state === columns.state &&
      row.fileIds.join() === [...fileIds].sort((a, b) => a - b).join() &&
      (columns.state !== 'suggested' || row.candidates === columns.candidates);
    return same ? [] : [{ row, columns, fileIds }];
  });
  if (!different.length) return 0;
  const ids = different.map(({ row }) => row.id);
  await holdMessages(trx, ids);
  const standings = await standingsOf(trx, ids);
  const now = new Date().toISOString();
  const moves = different.flatMap(({ row, columns, fileIds }) => {
    const before = standings.get(row.id);
    const untouched =
      before &&
      before.decided_by === null &&
      before.later_until === null &&
      before.state === row.state &&
      before.fileIds.join() === row.fileIds.join();
    return untouched
      ? [{ id: row.id, at: row.at, to: { ...before, ...columns, decided_at: now, fileIds } }]
      : [];
  });
  await setStandings(trx, moves);
  return moves.length;
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
  const [rows, filed] = await Promise.all([
    trx('message')
      .whereIn('id', ids)
      .orderBy('id')
      .select(...MEMBER),
    trx('filing').whereIn('message_id', ids).orderBy('file_id').select('message_id', 'file_id'),
  ]);
  const filesOf = groupBy(filed, (row) => row.message_id);
  return rows.map((row) => ({ ...row, fileIds: (filesOf.get(row.id) ?? []).map(({ file_id }) => file_id) }));
}

async function pastOf(
  trx: Transaction,
  register: FilingRegister,
  rows: readonly Member[],
): Promise<PastMessage[]> {
  const filings = await filingsOf(trx, register, rows);
  const isOurs = (address: string) => register.isOurs(address);
  return rows.flatMap((row): PastMessage[] => {
    const message = filings.get(row.id);
    if (!message) return [];
    const { state, fileIds } = row;
    return [
      {
        key: keyOf(row),
        messageId: row.message_id,
        message,
        ours: row.direction !== 'received',
        subjectKeys: subjectKeys(message, isOurs),
        held: isHeld(row) ? { state, fileIds } : null,
      },
    ];
  });
}

/** Reasons for which a message is where it is beyond what could be weighed: somebody chose the file beforehand. */
const CHOSEN = new Set(['mailing', 'hand']);

/** Whether a person, or what a person chose, has put a message where it is, or has seen it there and left it. */
function isHeld(row: Member): boolean {
  return (
    row.decided_by !== null ||
    row.kept_at !== null ||
    row.later_until !== null ||
    row.corrected_at !== null ||
    row.problem !== null ||
    row.state === 'private' ||
    (row.state === 'logged' && CHOSEN.has(row.reason ?? ''))
  );
}

/**
 * These messages and all that name them, are named by them, name the same, or share a subject and a correspondent.
 * Where there are too many, only the first and so many of those it has to do with.
 */
async function related(trx: Transaction, seeds: readonly number[]): Promise<number[]> {
  const found = new Set(seeds);
  for (let edge: number[] = [...seeds]; edge.length;) {
    const [named, alike] = await Promise.all([linkedWith(trx, edge), underSameSubject(trx, edge)]);
    edge = [...new Set([...named, ...alike])].filter((id) => !found.has(id));
    for (const id of edge) found.add(id);
    if (found.size <= seeds.length + MOST_TOGETHER) continue;
    const [first] = seeds;
    return seeds.length > 1 && first !== undefined
      ? related(trx, [first])
      : [...found].slice(0, MOST_TOGETHER);
  }
  return [...found];
}

function linkedWith(trx: Transaction, ids: readonly number[]): Promise<number[]> {
  const others = trx('message_link as own')
    .join('message_link as other', 'other.link_key', 'own.link_key')
    .whereIn('own.message_id', ids)
    .whereRaw('other.message_id <> own.message_id')
    .distinct()
    .orderBy('other.message_id')
    .limit(2 * MOST_TOGETHER);
  return others.pluck('other.message_id') as Promise<number[]>;
}

async function underSameSubject(trx: Transaction, ids: readonly number[]): Promise<number[]> {
  const [rows] = await trx.raw<[{ message_id: number }[]]>(
    `SELECT DISTINCT other.message_id FROM (
        SELECT own.subject_key FROM (SELECT DISTINCT subject_key FROM message_subject WHERE message_id IN (${ids.map(() => '?').join(', ')})) AS own
        JOIN message_subject AS bearer ON bearer.subject_key = own.subject_key
        GROUP BY own.subject_key HAVING COUNT(*) BETWEEN 2 AND ?
      ) AS shared JOIN message_subject AS other ON other.subject_key = shared.subject_key
      ORDER BY other.message_id LIMIT ?`,
    [...ids, COMMON_SUBJECT, 2 * MOST_TOGETHER],
  );
  return (rows ?? []).map(({ message_id }) => message_id);
}
