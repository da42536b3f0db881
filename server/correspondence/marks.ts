import type { Transaction } from '../foundation/database.ts';

/**
 * Holds messages until the transaction ends: whoever changes where their copies lie, or what these say, does so
 * first, and one after another. It writes, since of what is only read no other node of a cluster of databases knows.
 */
export async function holdMessages(trx: Transaction, messageIds: readonly number[]): Promise<void> {
  const ids = [...new Set(messageIds)].sort((a, b) => a - b);
  if (ids.length) await trx('message').whereIn('id', ids).increment('turn', 1);
}

/** Brings what a message says of itself, unread or starred, in line with its copies. */
export async function refreshMarks(trx: Transaction, messageIds: readonly number[]): Promise<void> {
  const ids = [...new Set(messageIds)];
  if (!ids.length) return;
  await trx.raw(
    `UPDATE message LEFT JOIN (
        SELECT message_id, MAX(1 - seen) AS unread, MAX(flagged) AS starred FROM message_copy
        WHERE message_id IN (${ids.map(() => '?').join(', ')}) AND shown_in IS NOT NULL GROUP BY message_id
      ) AS copies ON copies.message_id = message.id
      SET message.unread = COALESCE(copies.unread, 0), message.starred = COALESCE(copies.starred, 0)
      WHERE message.id IN (${ids.map(() => '?').join(', ')})`,
    [...ids, ...ids],
  );
}
