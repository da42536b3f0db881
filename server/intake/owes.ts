import type { Transaction } from '../database/database.ts';
import type { Prepared } from './prepare.ts';

/** The last words of conversations that begin with this batch, where they leave something open. */
export function lastWords(
  messages: readonly Prepared[],
  conversations: readonly number[],
  joined: ReadonlySet<number>,
): Set<Prepared> {
  const last = new Map<number, Prepared>();
  for (const [index, message] of messages.entries()) {
    const id = conversations[index] ?? 0;
    const counts = message.row.direction !== 'internal' && !message.read.automatic;
    if (!joined.has(id) && counts) last.set(id, message);
  }
  return new Set([...last.values()].filter((message) => message.asks));
}

/**
 * Who owes an answer: whoever did not write the last word of a conversation, if that leaves something open.
 * What the receiving server knows to be forged is nobody's word.
 */
export async function noteWhoOwes(trx: Transaction, conversationIds: readonly number[]): Promise<void> {
  if (!conversationIds.length) return;
  await trx('message')
    .whereIn('conversation_id', conversationIds)
    .whereNotNull('waits')
    .update({ waits: null });
  await trx.raw(
    `UPDATE message JOIN (
        SELECT id, ROW_NUMBER() OVER (PARTITION BY conversation_id ORDER BY at DESC, id DESC) AS place
        FROM message
        WHERE conversation_id IN (${conversationIds.map(() => '?').join(', ')})
          AND automatic IS NULL AND direction <> 'internal' AND NOT confirmation <=> 'failed'
      ) AS told ON told.id = message.id
      SET waits = IF(direction = 'received', 'we', 'they') WHERE told.place = 1 AND asks = 1`,
    conversationIds as number[],
  );
}
