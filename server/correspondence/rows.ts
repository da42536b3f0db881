import type { Knex } from 'knex';
import { shownName } from '../../core/address/address.ts';
import type { MessageRow } from '../../contract/index.ts';
import { filesByIds } from '../records/files.ts';
import { groupBy, select } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';

/** The columns of `message` that a row of a list needs. */
export type ListedMessage = Pick<
  Rows['message'],
  | 'id'
  | 'at'
  | 'direction'
  | 'from_name'
  | 'from_address'
  | 'to_words'
  | 'subject'
  | 'snippet'
  | 'state'
  | 'confirmation'
>;

/** The files that messages are on, by number, a row for each of both. */
export async function filesOfMessages(db: Knex, ids: readonly number[]) {
  if (!ids.length) return [];
  const filed = db('filing').join('file', 'file.id', 'filing.file_id').whereIn('filing.message_id', ids);
  return select(filed, {
    message_id: 'filing.message_id',
    id: 'file.id',
    number: 'file.number',
    client_id: 'file.client_id',
  });
}

/** Messages as rows of a list, in the order given, each with the files it is on. */
export async function messageRows(db: Knex, messages: readonly ListedMessage[]): Promise<MessageRow[]> {
  const ids = messages.map((message) => message.id);
  const filed = ids.length
    ? await db('filing').whereIn('message_id', ids).select('message_id', 'file_id')
    : [];
  const files = await filesByIds(db, [...new Set(filed.map((row) => row.file_id))]);
  const filesOf = groupBy(filed, (row) => row.message_id);
  return messages.map((message) => ({
    id: message.id,
    at: message.at.toISOString(),
    direction: message.direction,
    from: shownName(message.from_name, message.from_address),
    fromAddress: message.from_address,
    doubtful: message.confirmation === 'failed',
    to: message.to_words,
    subject: message.subject,
    snippet: message.snippet,
    state: message.state,
    files: (filesOf.get(message.id) ?? []).flatMap((each) => files.get(each.file_id) ?? []),
  }));
}
