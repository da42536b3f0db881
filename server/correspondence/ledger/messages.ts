import type { Knex } from 'knex';
import { shownName } from '../../../core/address/address.ts';
import { groupBy, likePattern, select } from '../../foundation/rows.ts';
import { filesOfMessages } from '../rows.ts';
import type { LedgerKind } from './port.ts';

/** Every message on one of the client's files, once. */
export const messageEntries: LedgerKind<'message'> = {
  kind: 'message',
  parts: ['message'],

  find(db, { clientId, fileId, words }) {
    const filed = db('filing').join('file', 'file.id', 'filing.file_id').where('file.client_id', clientId);
    if (fileId) filed.where('file.id', fileId);
    if (words) {
      const pattern = likePattern(words);
      filed
        .join('message', 'message.id', 'filing.message_id')
        .where((any) =>
          any
            .where('message.subject', 'like', pattern)
            .orWhere('message.snippet', 'like', pattern)
            .orWhere('message.from_name', 'like', pattern),
        );
    }
    return filed
      .groupBy('filing.message_id')
      .select({ id: 'filing.message_id', at: db.raw('MAX(filing.at)') });
  },

  async read(db, ids) {
    const [messages, files, mailings] = await Promise.all([
      db('message').whereIn('id', ids).select(),
      filesOfMessages(db, ids),
      mailingsOf(db, ids),
    ]);
    const filesOf = groupBy(files, (row) => row.message_id);
    const mailingOf = new Map(mailings.map(({ message_id, ...mailing }) => [message_id, mailing]));
    return new Map(
      messages.map((row) => [
        row.id,
        {
          direction: row.direction,
          subject: row.subject,
          from: shownName(row.from_name, row.from_address),
          to: row.to_words,
          snippet: row.snippet,
          enclosures: row.enclosures,
          automatic: row.automatic,
          waits: row.waits,
          differs: row.differs,
          mailing: mailingOf.get(row.id) ?? null,
          files: (filesOf.get(row.id) ?? []).map(({ id, number }) => ({ id, number })),
        },
      ]),
    );
  },
};

function mailingsOf(db: Knex, messageIds: readonly number[]) {
  const sent = db('dispatch')
    .join('mailing', 'mailing.id', 'dispatch.mailing_id')
    .whereIn('dispatch.logged_message_id', messageIds);
  return select(sent, {
    message_id: 'dispatch.logged_message_id',
    id: 'mailing.id',
    name: 'mailing.name',
    recipients: db.raw<number>(
      '(SELECT COUNT(*) FROM dispatch AS other WHERE other.mailing_id = mailing.id)',
    ),
  });
}
