import type { Knex } from 'knex';
import type { LayOut } from '../../contract/index.ts';
import { contentOf } from '../documents/content.ts';
import { noteAudit, noteHappenings } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { packRaw, readRaw, storeRaw } from '../foundation/sources.ts';
import type { Rows } from '../foundation/tables.ts';
import { fileOfClient, pageOf, tellOf, todayOf, type PageRow } from './pages.ts';

/** Something to be laid out on a page; its content is kept already. */
export interface Laying {
  fileId: number;
  filename: string;
  mimeType: string;
  size: number;
  hash: Buffer;
  documentId: number | null;
  dispatchId: number | null;
  /** The last day. */
  until: string;
}

/** Those that lie there: neither withdrawn nor replaced, and their time not over. */
export function lying(query: Knex.QueryBuilder, today: string): Knex.QueryBuilder {
  return query
    .whereNull('collection_item.withdrawn_at')
    .whereNull('collection_item.replaced_by')
    .where('collection_item.until', '>=', today);
}

/**
 * Lays something out on a page, within a transaction. Under the same name on the same file it takes the place of what
 * lay there, as its next version; the very same content stays as it is, and lies there longer.
 */
export async function layWithin(
  trx: Transaction,
  page: Pick<PageRow, 'id' | 'client_id'>,
  laying: Laying,
  staffId: number | null,
): Promise<'laid' | 'replaced' | 'there'> {
  // Held, so that of two layings at once the second finds the first.
  await trx('collection_page').where({ id: page.id }).forUpdate().first('id');
  const before = await trx('collection_item')
    .where({ page_id: page.id, file_id: laying.fileId, filename: laying.filename })
    .whereNull('replaced_by')
    .orderBy('id', 'desc')
    .first();
  if (before?.hash.equals(laying.hash) && before.withdrawn_at === null) {
    await trx('collection_item')
      .where({ id: before.id })
      .update({ until: laying.until > before.until ? laying.until : before.until });
    await tellOf(trx, page.client_id);
    return 'there';
  }
  const now = new Date();
  const [id = 0] = await trx('collection_item').insert({
    ...{ page_id: page.id, file_id: laying.fileId, filename: laying.filename, mime_type: laying.mimeType },
    ...{ size: laying.size, hash: laying.hash, document_id: laying.documentId },
    ...{ dispatch_id: laying.dispatchId, until: laying.until, laid_at: now, laid_by: staffId },
    version: (before?.version ?? 0) + 1,
  });
  if (before) await trx('collection_item').where({ id: before.id }).update({ replaced_by: id });
  await trx('collection_entry').insert({
    ...{ page_id: page.id, client_id: page.client_id, file_id: laying.fileId, at: now },
    ...{ kind: 'laid out', words: laying.filename, item_id: id },
  });
  const after = { filename: laying.filename, fileId: laying.fileId, until: laying.until };
  await noteAudit(trx, { staffId, action: 'laid out on their page', subject: 'item', id, after });
  await noteHappenings(trx, [{ kind: 'document shared', subject: 'item', id, fact: null, value: null }]);
  await tellOf(trx, page.client_id);
  await noteChange(trx, 'mail', 'file', [laying.fileId]);
  return before && before.withdrawn_at === null ? 'replaced' : 'laid';
}

/**
 * Lays a document of a file out on the pages of some of its client's people.
 * @returns for how many it is new, and for how many it took the place of an earlier version
 */
export async function layOut(
  db: Database,
  staffId: number,
  clientId: number,
  { personIds, documentId, fileId, until }: LayOut,
): Promise<{ laid: number; replaced: number }> {
  const document = await documentOfClient(db, clientId, documentId);
  if (until < todayOf(await readFirm(db)))
    throw new Refusal(400, 'That day has passed. Choose a later one.', 'until');
  const packed = await packRaw((await contentOf(db, document)).content);
  return transact(db, async (trx) => {
    await fileOfClient(trx, clientId, fileId);
    await storeRaw(trx, [packed]);
    const made = { laid: 0, replaced: 0 };
    for (const personId of new Set(personIds)) {
      const page = await pageOf(trx, { clientId, personId });
      if (page.withdrawn_at)
        throw new Refusal(409, 'Their page is withdrawn. Open it again first.', 'personIds');
      const done = await layWithin(
        trx,
        page,
        {
          ...{ fileId, documentId, until, dispatchId: null, hash: packed.hash, size: packed.size },
          ...{ filename: document.filename, mimeType: document.mime_type },
        },
        staffId,
      );
      if (done !== 'there') made[done]++;
    }
    return made;
  });
}

/** A document that lies on one of a client's files. @throws Refusal when it is another's, or gone */
async function documentOfClient(db: Knex, clientId: number, id: number): Promise<Rows['document']> {
  const row = await db('document').where({ id }).whereNull('gone_at').first();
  const own =
    row &&
    (row.client_id === clientId ||
      (row.message_id !== null &&
        (await db('filing').where({ message_id: row.message_id, client_id: clientId }).first('file_id'))));
  if (!row || !own) throw notFound('That document of this client');
  return row;
}

/** Takes something off a page, or puts it back. */
export async function settleItem(
  db: Database,
  staffId: number,
  id: number,
  withdrawn: boolean,
): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('collection_item').where({ id }).forUpdate().first();
    if (!row) throw notFound('That document');
    if (row.replaced_by !== null) throw new Refusal(409, 'A later version lies in its place.');
    await trx('collection_item')
      .where({ id })
      .update({ withdrawn_at: withdrawn ? new Date() : null });
    const action = withdrawn ? 'taken off their page' : 'put back on their page';
    await noteAudit(trx, { staffId, action, subject: 'item', id, after: { filename: row.filename } });
    const page = await trx('collection_page').where({ id: row.page_id }).first('client_id');
    await tellOf(trx, page?.client_id ?? 0);
  });
}

/**
 * Something that lies on a page, with its bytes, and notes that it was collected.
 * @throws Refusal when it lies on no page, or on another
 */
export async function collect(
  db: Database,
  page: Pick<PageRow, 'id' | 'client_id'>,
  id: number,
): Promise<{ filename: string; content: Buffer }> {
  const today = todayOf(await readFirm(db));
  const row = await lying(db('collection_item').where({ id, page_id: page.id }), today).first(
    'filename',
    'hash',
    'file_id',
  );
  if (!row) throw notFound('That document');
  const content = await readRaw(db, row.hash);
  await transact(db, async (trx) => {
    await trx('collection_taken').insert({ item_id: id, at: new Date() });
    await tellOf(trx, page.client_id);
    await noteChange(trx, 'mail', 'file', [row.file_id]);
  });
  return { filename: row.filename, content };
}
