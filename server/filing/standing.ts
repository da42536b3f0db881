import { noteChange } from '../foundation/changes.ts';
import type { Transaction } from '../foundation/database.ts';
import { notFound } from '../foundation/refusal.ts';
import { toJson, type Standing } from '../foundation/json.ts';

/**
 * A message's standing and its time; the message is locked until the transaction ends.
 * @throws Refusal when the message is not here
 */
export async function standingOf(trx: Transaction, id: number): Promise<{ standing: Standing; at: Date }> {
  const row = await trx('message').where({ id }).forUpdate().first();
  if (!row) throw notFound('One of the messages');
  const fileIds: number[] = await trx('filing').where({ message_id: id }).orderBy('file_id').pluck('file_id');
  const { state, sorting, decided_by, evidence, candidates, reason } = row;
  return {
    standing: {
      state,
      sorting,
      decided_at: row.decided_at.toISOString(),
      decided_by,
      evidence,
      candidates,
      reason,
      later_until: row.later_until?.toISOString() ?? null,
      corrected_at: row.corrected_at?.toISOString() ?? null,
      fileIds,
    },
    at: row.at,
  };
}

const dateOrNull = (instant: string | null) => (instant === null ? null : new Date(instant));

/** Puts a message where the standing says. */
export async function setStanding(trx: Transaction, id: number, at: Date, to: Standing): Promise<void> {
  const { fileIds, decided_at, later_until, corrected_at, ...columns } = to;
  await trx('message')
    .where({ id })
    .update({
      ...columns,
      decided_at: new Date(decided_at),
      later_until: dateOrNull(later_until),
      corrected_at: dateOrNull(corrected_at),
    });
  const before: number[] = await trx('filing').where({ message_id: id }).pluck('file_id');
  await noteChange(trx, 'mail', 'message', [id]);
  await noteChange(trx, 'mail', 'file', [...before, ...fileIds]);
  await trx('filing').where({ message_id: id }).delete();
  if (fileIds.length)
    await trx('filing').insert(fileIds.map((fileId) => ({ message_id: id, file_id: fileId, at })));
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
