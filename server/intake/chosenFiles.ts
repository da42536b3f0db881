import type { Prepared } from './prepare.ts';
import type { Transaction } from '../foundation/database.ts';
import { settled, type Decided } from '../filing/decide.ts';

/** What we sent ourselves goes on the file that was chosen for it, whatever filing would think. */
export async function settleSent(
  trx: Transaction,
  messages: readonly Prepared[],
  decided: Decided[],
): Promise<void> {
  const ids = messages
    .filter((message) => message.ours && message.read.messageId)
    .map((message) => message.read.messageId);
  if (!ids.length) return;
  const rows: { message_id: string; file_id: number | null; name: string | null; file_ids: string | null }[] =
    await trx('dispatch')
      .leftJoin('mailing', 'mailing.id', 'dispatch.mailing_id')
      .leftJoin('draft', 'draft.id', 'dispatch.draft_id')
      .whereIn('dispatch.message_id', ids)
      .select('dispatch.message_id', 'dispatch.file_id', 'mailing.name', 'draft.file_ids');
  const byId = new Map(rows.map((row) => [row.message_id, row]));
  const chosen = rows.flatMap(({ file_ids }) => JSON.parse(file_ids ?? '[]') as number[]);
  // A file may be gone, or never have been: what leaves is logged all the same.
  const there = new Set<number>(chosen.length ? await trx('file').whereIn('id', chosen).pluck('id') : []);
  for (const [index, message] of messages.entries()) {
    const row = byId.get(message.read.messageId ?? '');
    const fileIds = row?.file_id
      ? [row.file_id]
      : (JSON.parse(row?.file_ids ?? '[]') as number[]).filter((id) => there.has(id));
    // A mailing asks everybody; nobody in particular owes an answer to it.
    if (row?.name) Object.assign(message, { asks: false, row: { ...message.row, asks: false } });
    // A written message without a file is decided on like any other.
    if (!row || !fileIds.length) continue;
    decided[index] = settled(
      fileIds,
      row.name
        ? { kind: 'mailing', side: 'for', weight: 9, words: `Sent in the mailing “${row.name}”` }
        : { kind: 'hand', side: 'for', weight: 9, words: 'The file was chosen when it was written' },
    );
  }
}
