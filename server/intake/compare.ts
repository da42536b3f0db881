import type { Transaction } from '../foundation/database.ts';
import { readRaw } from '../foundation/sources.ts';
import { noteDifference } from '../correspondence/differences.ts';
import type { Arrival, Prepared } from './prepare.ts';

/**
 * Compares copies that lie in Sent with what was recorded as sent, and flags on the record what a reader
 * would find different. Most copies have the very same bytes and are not looked at further.
 */
export async function compareSent(
  trx: Transaction,
  arrivals: readonly Arrival[],
  prepared: readonly Prepared[],
  ids: readonly number[],
): Promise<void> {
  const sent = arrivals.flatMap((arrival, index) => {
    const message = prepared[index];
    return arrival.sent && message?.ours ? [{ arrival, message, id: ids[index] ?? 0 }] : [];
  });
  if (!sent.length) return;
  const kept = await trx('message')
    .whereIn(
      'id',
      sent.map(({ id }) => id),
    )
    .select('id', 'raw_hash');
  const hashes = new Map(kept.map((row) => [row.id, row.raw_hash]));
  for (const { arrival, message, id } of sent) {
    const recorded = hashes.get(id);
    if (!recorded || recorded.equals(message.raw.hash)) continue;
    await noteDifference(trx, id, await readRaw(trx, recorded), arrival.raw);
  }
}
