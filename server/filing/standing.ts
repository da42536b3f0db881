import type { FilingState } from '../../core/filing/types.ts';
import type { Transaction } from '../foundation/database.ts';
import { notFound } from '../foundation/refusal.ts';

/** Where a message is and why: all that a step changes, so that undoing restores it exactly. */
export interface Standing {
  state: FilingState;
  sorting: string | null;
  decided_at: string;
  decided_by: number | null;
  evidence: string;
  candidates: string;
  reason: string | null;
  later_until: string | null;
  corrected_at: string | null;
  fileIds: number[];
}

/** A message's standing and its time; the message is locked until the transaction ends. */
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

/** Puts a message where the standing says. */
export async function setStanding(trx: Transaction, id: number, at: Date, to: Standing): Promise<void> {
  const { fileIds, decided_at, later_until, corrected_at, ...columns } = to;
  await trx('message')
    .where({ id })
    .update({
      ...columns,
      decided_at: new Date(decided_at),
      later_until: later_until && new Date(later_until),
      corrected_at: corrected_at && new Date(corrected_at),
    });
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
    before_value: JSON.stringify(before),
    after_value: JSON.stringify(after),
    along,
  });
}
