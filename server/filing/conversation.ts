import type { Knex } from 'knex';
import type { ConversationRow } from '../../contract/index.ts';
import { groupBy } from '../register/filingRegister.ts';

const MOST = 200;

/** The messages of a conversation, oldest first, each with where it is; private ones of colleagues left out. */
export async function conversation(db: Knex, staffId: number, id: number): Promise<ConversationRow[]> {
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
  const files: { message_id: number; id: number; number: string; client_id: number }[] = rows.length
    ? await db('filing')
        .join('file', 'file.id', 'filing.file_id')
        .whereIn(
          'message_id',
          rows.map((row) => row.id),
        )
        .select('message_id', 'file.id', 'file.number', 'file.client_id')
    : [];
  const filesOf = groupBy(files, (row) => row.message_id);
  return rows.map((row) => ({
    id: row.id,
    at: row.at.toISOString(),
    direction: row.direction,
    from: row.from_name || row.from_address,
    to: row.to_words,
    subject: row.subject,
    snippet: row.snippet,
    state: row.state,
    files: (filesOf.get(row.id) ?? []).map((file) => ({
      id: file.id,
      number: file.number,
      clientId: file.client_id,
    })),
  }));
}
