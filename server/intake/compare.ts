import type { Transaction } from '../database/database.ts';
import { readRaw } from '../database/raw.ts';
import { CouldNotBeRead, pool } from '../reading/pool.ts';
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
  const kept: { id: number; raw_hash: Buffer }[] = await trx('message')
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

/** Writes on a record what is different in another copy of it; nothing when both say the same. */
export async function noteDifference(
  trx: Transaction,
  id: number,
  recorded: Uint8Array,
  other: Uint8Array,
): Promise<void> {
  const found = await pool.run('differences', [recorded, other]).catch((error: unknown) => {
    if (error instanceof CouldNotBeRead) return ['it could not be compared'];
    throw error;
  });
  await trx('message')
    .where({ id })
    .update({ differs: found.length ? found.join(', ').slice(0, 300) : null });
}
