import { select } from '../foundation/rows.ts';
import type { Prepared } from './prepare.ts';
import type { Transaction } from '../foundation/database.ts';
import { apart, settled, type Decided } from '../filing/decide.ts';
import { fromJson } from '../foundation/json.ts';

/** What we sent ourselves goes on the file that was chosen for it, or on none, whatever filing would think. */
export async function fileAsChosen(
  trx: Transaction,
  messages: readonly Prepared[],
  decided: Decided[],
): Promise<void> {
  const ids = messages
    .filter((message) => message.ours && message.read.messageId)
    .map((message) => message.read.messageId);
  if (!ids.length) return;
  const sent = trx('dispatch')
    .leftJoin('mailing', 'mailing.id', 'dispatch.mailing_id')
    .leftJoin('draft', 'draft.id', 'dispatch.draft_id')
    .whereIn('dispatch.message_id', ids);
  const rows = await select(sent, {
    message_id: 'dispatch.message_id',
    file_id: 'dispatch.file_id',
    name: 'mailing.name?',
    choice: 'mailing.file_choice?',
    file_ids: 'draft.file_ids?',
  });
  const byId = new Map(rows.map((row) => [row.message_id, row]));
  const chosen = rows.flatMap(({ file_ids }) => fromJson('draft.file_ids', file_ids ?? '[]'));
  // A file may be gone, or never have been: what leaves is logged all the same.
  const there = new Set<number>(chosen.length ? await trx('file').whereIn('id', chosen).pluck('id') : []);
  for (const [index, message] of messages.entries()) {
    const row = byId.get(message.read.messageId ?? '');
    const fileIds = row?.file_id
      ? [row.file_id]
      : fromJson('draft.file_ids', row?.file_ids ?? '[]').filter((id) => there.has(id));
    // A mailing asks everybody; nobody in particular owes an answer to it.
    if (row?.name) Object.assign(message, { asks: false, row: { ...message.row, asks: false } });
    if (row?.name && (row.choice === 'private' || row.choice === 'nowhere')) {
      const words = `Sent in the mailing “${row.name}”, which is ${row.choice === 'private' ? 'private' : 'logged on no file'}`;
      decided[index] = apart(row.choice === 'private' ? 'private' : 'aside', {
        ...{ kind: 'mailing', side: 'for', weight: 9, words },
      });
      continue;
    }
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
