import type { Knex } from 'knex';
import { shownName } from '../../core/address/address.ts';
import type { z } from 'zod';
import type { LedgerPage, LedgerQuery } from '../../contract/index.ts';
import { notesOf } from './notes.ts';
import { likePattern, groupBy } from '../foundation/rows.ts';

/** One page of a client's correspondence, newest first: every message on one of the client's files, once. */
export async function ledger(
  db: Knex,
  clientId: number,
  query: z.infer<typeof LedgerQuery>,
): Promise<LedgerPage> {
  const within = db('filing').join('file', 'file.id', 'filing.file_id').where('file.client_id', clientId);
  if (query.fileId) within.where('file.id', query.fileId);
  if (query.q?.trim()) {
    const pattern = likePattern(query.q.trim());
    within
      .join('message', 'message.id', 'filing.message_id')
      .where((any) =>
        any
          .where('message.subject', 'like', pattern)
          .orWhere('message.snippet', 'like', pattern)
          .orWhere('message.from_name', 'like', pattern),
      );
  }
  const [{ total = 0 } = {}] = (await within.clone().countDistinct('filing.message_id as total')) as {
    total: number;
  }[];
  const page: { message_id: number }[] = await within
    .clone()
    .groupBy('filing.message_id')
    .orderByRaw('MAX(filing.at) DESC, filing.message_id DESC')
    .offset(query.offset)
    .limit(query.limit)
    .select('filing.message_id');
  const ids = page.map((row) => row.message_id);
  const notes = await notesOf(db, (narrow) => {
    narrow.where('file.client_id', clientId);
    if (query.fileId) narrow.where('file.id', query.fileId);
    if (query.q?.trim()) narrow.where('note.words', 'like', likePattern(query.q.trim()));
    return narrow;
  });
  const unfiled = query.fileId || query.q?.trim() ? [] : await unfiledWith(db, clientId);
  if (!ids.length) return { entries: [], total, notes, unfiled };
  const [messages, files, mailings] = await Promise.all([
    db('message').whereIn('id', ids).select(),
    db('filing')
      .join('file', 'file.id', 'filing.file_id')
      .whereIn('message_id', ids)
      .select('message_id', 'file.id', 'file.number'),
    db('dispatch')
      .join('mailing', 'mailing.id', 'dispatch.mailing_id')
      .whereIn('logged_message_id', ids)
      .select('logged_message_id', 'mailing.id', 'mailing.name')
      .select(db('dispatch as other').whereRaw('other.mailing_id = mailing.id').count('*').as('recipients')),
  ]);
  const filesOf = groupBy(
    files as { message_id: number; id: number; number: string }[],
    (row) => row.message_id,
  );
  const mailingOf = new Map(
    (mailings as { logged_message_id: number; id: number; name: string; recipients: number }[]).map((row) => [
      row.logged_message_id,
      row,
    ]),
  );
  const byId = new Map(messages.map((row) => [row.id as number, row]));
  return {
    total,
    notes,
    unfiled,
    entries: ids.flatMap((id) => {
      const row = byId.get(id);
      if (!row) return [];
      const mailing = mailingOf.get(id);
      return [
        {
          id,
          at: row.at.toISOString(),
          direction: row.direction,
          subject: row.subject,
          from: shownName(row.from_name, row.from_address),
          to: row.to_words,
          snippet: row.snippet,
          enclosures: row.enclosures,
          automatic: row.automatic,
          waits: row.waits,
          differs: row.differs,
          mailing: mailing ? { id: mailing.id, name: mailing.name, recipients: mailing.recipients } : null,
          files: (filesOf.get(id) ?? []).map((file) => ({ id: file.id, number: file.number })),
        },
      ];
    }),
  };
}

const MOST_UNFILED = 10;

/** What people of the client wrote or were written and is on no file yet: seen with the client all the same. */
async function unfiledWith(db: Knex, clientId: number): Promise<LedgerPage['unfiled']> {
  const addresses: string[] = await db('client_person')
    .join('address', 'address.person_id', 'client_person.person_id')
    .where({ client_id: clientId })
    .distinct('email_key')
    .pluck('email_key');
  if (!addresses.length) return [];
  const rows = await db('message')
    .whereIn('id', db('message_party').whereIn('email_key', addresses).select('message_id'))
    .where({ state: 'suggested' })
    .orderBy('at', 'desc')
    .limit(MOST_UNFILED)
    .select('id', 'at', 'direction', 'subject', 'from_name', 'from_address');
  return rows.map((row) => ({
    id: row.id,
    at: row.at.toISOString(),
    direction: row.direction,
    subject: row.subject,
    from: shownName(row.from_name, row.from_address),
  }));
}
