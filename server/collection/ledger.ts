import type { Knex } from 'knex';
import type { CollectionEntry } from '../../contract/index.ts';
import type { LedgerKind } from '../correspondence/ledger/port.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database } from '../foundation/database.ts';
import { notFound } from '../foundation/refusal.ts';
import { likePattern, select } from '../foundation/rows.ts';
import { noteAttempt, refuseTooMany } from '../security/attempts.ts';
import { tellOf, type PageRow } from './pages.ts';
import { generalFile } from './uploads.ts';

/** Entries as they are read, of a query over their table; in its order. */
export async function readEntries(db: Knex, query: Knex.QueryBuilder): Promise<CollectionEntry[]> {
  const rows = await select(
    query
      .join('client', 'client.id', 'collection_entry.client_id')
      .join('file', 'file.id', 'collection_entry.file_id')
      .leftJoin('collection_page', 'collection_page.id', 'collection_entry.page_id')
      .leftJoin('person', 'person.id', 'collection_page.person_id')
      .leftJoin('collection_item', 'collection_item.id', 'collection_entry.item_id')
      .leftJoin('dispatch', 'dispatch.id', 'collection_item.dispatch_id')
      .leftJoin('mailing', 'mailing.id', 'dispatch.mailing_id')
      .leftJoin('staff', 'staff.id', 'collection_item.laid_by'),
    {
      ...{ id: 'collection_entry.id', at: 'collection_entry.at', kind: 'collection_entry.kind' },
      ...{ words: 'collection_entry.words', waits: 'collection_entry.waits' },
      ...{ clientId: 'client.id', client: 'client.name', fileId: 'file.id', number: 'file.number' },
      ...{ personId: 'person.id?', first: 'person.first_name?', last: 'person.last_name?' },
      ...{ by: 'staff.name?', mailing: 'mailing.name?' },
      collectedAt: db.raw<Date | null>(
        '(SELECT MIN(taken.at) FROM collection_taken taken WHERE taken.item_id = collection_entry.item_id)',
      ),
    },
  );
  return rows.map(
    ({ id, at, kind, words, waits, clientId, client, fileId, number, personId, first, last, ...row }) => ({
      ...{ id, kind, words, personId, at: at.toISOString(), waits: Boolean(waits) },
      person: `${first ?? ''} ${last ?? ''}`.trim(),
      by: row.by ?? (row.mailing === null ? '' : `the mailing “${row.mailing}”`),
      collectedAt: row.collectedAt?.toISOString() ?? null,
      client: { id: clientId, name: client },
      files: [{ id: fileId, number }],
    }),
  );
}

/** What came and went by clients' pages stands in the ledger among the mail. */
export const pageEntries: LedgerKind<'page'> = {
  kind: 'page',
  parts: ['page'],

  find(db, { clientId, fileId, words }) {
    const found = db('collection_entry').where('collection_entry.client_id', clientId);
    if (fileId) found.where('collection_entry.file_id', fileId);
    if (words) found.where('collection_entry.words', 'like', likePattern(words));
    return found.select({ id: 'collection_entry.id', at: 'collection_entry.at' });
  },

  async read(db, ids) {
    const entries = await readEntries(
      db,
      db('collection_entry').whereIn('collection_entry.id', [...ids]) as Knex.QueryBuilder,
    );
    return new Map(entries.map((page) => [page.id, { page }]));
  },
};

/** Keeps a line that a client left on their page: it lies on their General file, and wants an answer. */
export async function leaveLine(
  db: Database,
  page: Pick<PageRow, 'id' | 'client_id'>,
  words: string,
): Promise<void> {
  const often = 'That is a great deal at once. Please wait';
  await refuseTooMany(db, 'line on a page', String(page.id), often, undefined, 'words');
  await noteAttempt(db, 'line on a page', String(page.id));
  await transact(db, async (trx) => {
    const fileId = await generalFile(trx, page.client_id);
    await trx('collection_entry').insert({
      ...{ page_id: page.id, client_id: page.client_id, file_id: fileId, at: new Date() },
      ...{ kind: 'line', words, waits: 1 },
    });
    await tellOf(trx, page.client_id);
    await noteChange(trx, 'mail', 'file', [fileId]);
  });
}

/** Says whether a line still wants an answer. */
export async function setLineWaits(db: Database, staffId: number, id: number, waits: boolean): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('collection_entry').where({ id, kind: 'line' }).forUpdate().first();
    if (!row) throw notFound('That line');
    await trx('collection_entry').where({ id }).update({ waits });
    const action = waits ? 'answer needed' : 'no answer needed';
    await noteAudit(trx, { staffId, action, subject: 'line', id });
    await tellOf(trx, row.client_id);
    await noteChange(trx, 'mail', 'file', [row.file_id]);
  });
}
