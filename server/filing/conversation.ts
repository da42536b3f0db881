import type { Knex } from 'knex';
import type { ConversationRow } from '../../contract/index.ts';
import { flatThreads, threads } from '../../core/conversation/thread.ts';
import { readMessage } from '../../core/message/read.ts';
import { readRaw } from '../database/raw.ts';
import { messageRows, type ListedMessage } from './rows.ts';

const MOST = 200;

/**
 * The messages of a conversation as a thread (RFC 5256): answers below what they answer, oldest first, each
 * with where it is; private ones of colleagues left out.
 */
export async function conversation(db: Knex, staffId: number, id: number): Promise<ConversationRow[]> {
  const messages: (ListedMessage & { raw_hash: Buffer })[] = await db('message')
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
    .select(
      'id',
      'at',
      'direction',
      'from_name',
      'from_address',
      'to_words',
      'subject',
      'snippet',
      'state',
      'raw_hash',
    );
  const rows = new Map((await messageRows(db, messages)).map((row) => [row.id, row]));
  const named = await Promise.all(
    messages.map(async (message) => {
      const { messageId, inReplyTo, references, subject } = await readMessage(
        await readRaw(db, message.raw_hash),
      );
      return { id: message.id, messageId, inReplyTo, references, subject, at: message.at.getTime() };
    }),
  );
  return flatThreads(threads(named)).flatMap(({ message, depth }) => {
    const row = rows.get(message.id);
    return row ? [{ ...row, depth }] : [];
  });
}
