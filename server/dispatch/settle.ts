import type { Prepared } from '../mailbox/intake.ts';
import type { Transaction } from '../database/database.ts';
import { settled, type Decided } from '../filing/decide.ts';

/** What we sent ourselves goes on the file that was chosen for it, whatever filing would think. */
export async function settleSent(
  trx: Transaction,
  messages: readonly Prepared[],
  decided: Decided[],
): Promise<void> {
  const ids = messages
    .filter((message) => !message.received && message.read.messageId)
    .map((message) => message.read.messageId);
  if (!ids.length) return;
  const rows: { message_id: string; file_id: number; name: string }[] = await trx('dispatch')
    .join('mailing', 'mailing.id', 'dispatch.mailing_id')
    .whereIn('dispatch.message_id', ids)
    .select('dispatch.message_id', 'dispatch.file_id', 'mailing.name');
  const byId = new Map(rows.map((row) => [row.message_id, row]));
  for (const [index, message] of messages.entries()) {
    const row = byId.get(message.read.messageId ?? '');
    if (row)
      decided[index] = settled(row.file_id, {
        kind: 'mailing',
        side: 'for',
        weight: 9,
        words: `Sent in the mailing “${row.name}”`,
      });
  }
}
