import type { Knex } from 'knex';
import { Refusal } from '../http/problems.ts';

/** A private message is its owners' alone: theirs in whose mailbox it lies. @throws for anybody else */
export async function keepPrivate(
  db: Knex,
  staffId: number,
  row: { id: number; state: string },
): Promise<void> {
  if (row.state !== 'private') return;
  const own = await db('message_copy')
    .join('folder', 'folder.id', 'message_copy.folder_id')
    .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
    .where({ 'message_copy.message_id': row.id, 'mailbox.staff_id': staffId })
    .first('message_copy.uid');
  if (!own) throw new Refusal(403, 'That message is private to a colleague.');
}
