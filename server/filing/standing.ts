import type { Knex } from 'knex';
import { noteChange } from '../foundation/changes.ts';
import type { Transaction } from '../foundation/database.ts';
import { notFound } from '../foundation/refusal.ts';
import { toJson, type Standing } from '../foundation/json.ts';
import { groupBy, selectFirst } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';

/**
 * What is still to be done with a message (see `weighing.ts`): to be decided on anew once history teaches something; to
 * be learned from; to be decided on with all it has to do with. One that stands nowhere in the table is settled for good,
 * until another that has to do with it comes.
 */
export const SETTLED = 0;
export const TO_WEIGH = 1;
export const LEARNED = 2;

/** What was settled without a person longer ago than this, in days, stays unless a message of its conversation comes. */
export const FOR_GOOD = 30;

/** So many are marked at once, that nobody waits for them long. */
const MARKED = 5000;

/** The numbers of all messages, as the first and the last of so many at once. */
export async function messageRanges(db: Knex): Promise<[number, number][]> {
  const newest = (await selectFirst(db('message'), { id: db.raw<number | null>('MAX(id)') }))?.id ?? 0;
  return Array.from({ length: Math.ceil(newest / MARKED) }, (_, piece) => [
    piece * MARKED + 1,
    (piece + 1) * MARKED,
  ]);
}

/** Lets the messages that a query finds be weighed by what is known now, but those on which a person decided. */
export async function weighAnew(trx: Transaction, messages: Knex.QueryBuilder): Promise<void> {
  await trx.raw(
    'INSERT INTO weighing (message_id, stage) ? ON DUPLICATE KEY UPDATE stage = VALUES(stage)',
    messages.whereNull('decided_by').select('message.id', trx.raw(TO_WEIGH)),
  );
}

/** Whether a message is still to be learned from, or decided on with others. */
export async function isToBeWeighed(db: Knex, id: number): Promise<boolean> {
  const row = await db('weighing').where({ message_id: id }).where('stage', '>', SETTLED).first('stage');
  return row !== undefined;
}

type StandingRow = Pick<
  Rows['message'],
  | 'state'
  | 'sorting'
  | 'decided_at'
  | 'decided_by'
  | 'evidence'
  | 'candidates'
  | 'reason'
  | 'later_until'
  | 'corrected_at'
  | 'probability'
>;

function asStanding(row: StandingRow, fileIds: number[]): Standing {
  const { state, sorting, decided_by, evidence, candidates, reason, probability } = row;
  return {
    state,
    sorting,
    decided_at: row.decided_at.toISOString(),
    decided_by,
    evidence,
    candidates,
    reason,
    probability,
    later_until: row.later_until?.toISOString() ?? null,
    corrected_at: row.corrected_at?.toISOString() ?? null,
    fileIds,
  };
}

/**
 * A message's standing; the message is locked until the transaction ends.
 * @throws Refusal when the message is not here
 */
export async function standingOf(trx: Transaction, id: number): Promise<Standing> {
  const row = await trx('message').where({ id }).forUpdate().first();
  if (!row) throw notFound('One of the messages');
  const fileIds: number[] = await trx('filing').where({ message_id: id }).orderBy('file_id').pluck('file_id');
  return asStanding(row, fileIds);
}

/** The standings of many messages, by their ids; all are locked until the transaction ends. */
export async function standingsOf(trx: Transaction, ids: readonly number[]): Promise<Map<number, Standing>> {
  const rows = await trx('message').whereIn('id', ids).orderBy('id').forUpdate().select();
  const filed = await trx('filing')
    .whereIn('message_id', ids)
    .orderBy('file_id')
    .forUpdate()
    .select('message_id', 'file_id');
  const filesOf = groupBy(filed, (row) => row.message_id);
  return new Map(
    rows.map((row) => [
      row.id,
      asStanding(
        row,
        (filesOf.get(row.id) ?? []).map(({ file_id }) => file_id),
      ),
    ]),
  );
}

const dateOrNull = (instant: string | null) => (instant === null ? null : new Date(instant));

/** A message, and where it is put. */
export interface Put {
  id: number;
  to: Standing;
}

/** Puts a message where the standing says. */
export function setStanding(trx: Transaction, id: number, to: Standing): Promise<void> {
  return setStandings(trx, [{ id, to }]);
}

/** So many are put in one statement: the evidence of each may be long. */
const AT_ONCE = 100;

/** Puts messages where their standings say. */
export async function setStandings(trx: Transaction, puts: readonly Put[]): Promise<void> {
  for (let at = 0; at < puts.length; at += AT_ONCE) await setSome(trx, puts.slice(at, at + AT_ONCE));
}

async function setSome(trx: Transaction, puts: readonly Put[]): Promise<void> {
  const ids = puts.map(({ id }) => id);
  const rows = puts.map(({ id, to: { fileIds: _, ...columns } }) => ({
    id,
    ...columns,
    decided_at: new Date(columns.decided_at),
    later_until: dateOrNull(columns.later_until),
    corrected_at: dateOrNull(columns.corrected_at),
  }));
  const names = Object.keys(rows[0] ?? {});
  const one = names.map((name) => `? AS ${name}`).join(', ');
  await trx.raw(
    `UPDATE message JOIN (${rows.map(() => `SELECT ${one}`).join(' UNION ALL ')}) AS put ON put.id = message.id
      SET ${names
        .filter((name) => name !== 'id')
        .map((name) => `message.${name} = put.${name}`)
        .join(', ')}`,
    rows.flatMap((row) => Object.values(row)),
  );
  const before: number[] = await trx('filing')
    .whereIn('message_id', ids)
    .distinct('file_id')
    .pluck('file_id');
  await noteChange(trx, 'mail', 'message', ids);
  await noteChange(trx, 'mail', 'file', [...before, ...puts.flatMap(({ to }) => to.fileIds)]);
  await trx('filing').whereIn('message_id', ids).delete();
  await fileOn(
    trx,
    puts.flatMap(({ id, to }) => to.fileIds.map((fileId) => ({ messageId: id, fileId }))),
  );
}

/** Puts messages on files, with whose those are and who speaks, so that both are found by client and time. */
export async function fileOn(
  trx: Transaction,
  wanted: readonly { messageId: number; fileId: number }[],
): Promise<void> {
  for (let at = 0; at < wanted.length; at += AT_ONCE) {
    const some = wanted.slice(at, at + AT_ONCE);
    const pairs = some.map(() => 'SELECT ? AS message_id, ? AS file_id').join(' UNION ALL ');
    await trx.raw(
      `INSERT INTO filing (message_id, file_id, at, client_id, spoken)
        SELECT message.id, file.id, message.at, file.client_id, ${SPOKEN}
        FROM (${pairs}) AS pair JOIN message ON message.id = pair.message_id JOIN file ON file.id = pair.file_id`,
      some.flatMap(({ messageId, fileId }) => [messageId, fileId]),
    );
    await noteFiled(
      trx,
      some.map(({ messageId }) => messageId),
    );
  }
}

/** What was written so many days ago, and comes onto a file now, has just come; older mail is only put in its place. */
const JUST_COME_DAYS = 14;

/** Appends that client mail came or left, with its documents: what was there before its mailbox was connected did not. */
async function noteFiled(trx: Transaction, ids: readonly number[]): Promise<void> {
  const fresh = `message.id IN (${ids.map(() => '?').join(', ')}) AND message.past = 0 AND message.automatic IS NULL
    AND message.at > UTC_TIMESTAMP(3) - INTERVAL ${JUST_COME_DAYS} DAY`;
  await trx.raw(
    `INSERT INTO happening (kind, subject, subject_id)
      SELECT IF(direction = 'received', 'message comes', 'message leaves'), 'message', id
      FROM message WHERE ${fresh} AND direction <> 'internal'
      UNION ALL SELECT 'document comes', 'document', document.id
      FROM message JOIN document ON document.message_id = message.id
      WHERE ${fresh} AND direction = 'received' AND document.gone_at IS NULL`,
    [...ids, ...ids],
  );
}

/** Who speaks in a message: nobody in what a machine wrote, or colleagues among themselves. */
const SPOKEN = `CASE WHEN message.direction = 'sent' THEN 'us'
  WHEN message.direction = 'received' AND (message.automatic IS NULL OR message.automatic = 'list') THEN 'client' END`;

/** Notes anew who speaks in messages of which it is now known. */
export async function noteSpoken(trx: Transaction, ids: readonly number[]): Promise<void> {
  const filed = trx('filing').join('message', 'message.id', 'filing.message_id').whereIn('message.id', ids);
  await filed.update({ spoken: trx.raw(SPOKEN) });
}

/** Notes in a step's record how a message stood before and after it. */
export async function noteMove(
  trx: Transaction,
  stepId: number,
  messageId: number,
  before: Standing,
  after: Standing,
  along = false,
): Promise<void> {
  await trx('filing_step_message').insert({
    step_id: stepId,
    message_id: messageId,
    before_value: toJson('filing_step_message.before_value', before),
    after_value: toJson('filing_step_message.after_value', after),
    along,
  });
}
