import type { Knex } from 'knex';
import type { MessageRow } from '../../contract/index.ts';
import { messageRows } from './rows.ts';

const MOST = 200;

/** The messages of a conversation, oldest first, each with where it is; private ones of colleagues left out. */
export async function conversation(db: Knex, staffId: number, id: number): Promise<MessageRow[]> {
  const rows = await db('message')
    .where({ conversation_id: id })
    .where((any) =>
      any
        .whereNot('state', 'private')
        .orWhereExists((query) =>
          query
            .select(db.raw('1'))
            .from('message_copy')
            .join('folder', 'folder.id', 'message_copy.folder_id')
            .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
            .whereRaw('message_copy.message_id = message.id')
            .where('mailbox.staff_id', staffId),
        ),
    )
    .orderBy('at')
    .limit(MOST)
    .select('id', 'at', 'direction', 'from_name', 'from_address', 'to_words', 'subject', 'snippet', 'state');
  return messageRows(db, rows);
}
