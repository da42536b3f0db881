import type { Knex } from 'knex';
import { shownName } from '../../core/address/address.ts';
import type { Confirmation, MessageRow } from '../../contract/index.ts';
import { filesByIds } from '../records/files.ts';
import { groupBy } from '../foundation/rows.ts';

/** The columns of `message` that a row of a list needs. */
export interface ListedMessage {
  id: number;
  at: Date;
  direction: MessageRow['direction'];
  from_name: string;
  from_address: string;
  to_words: string;
  subject: string;
  snippet: string;
  state: MessageRow['state'];
  confirmation: Confirmation | null;
}

/** Messages as rows of a list, in the order given, each with the files it is on. */
export async function messageRows(db: Knex, messages: readonly ListedMessage[]): Promise<MessageRow[]> {
  const ids = messages.map((message) => message.id);
  const filed: { message_id: number; file_id: number }[] = ids.length
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
