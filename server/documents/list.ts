import type { Knex } from 'knex';
import type { DocumentRow, DocumentsPage, DocumentsQuery, FileRef } from '../../contract/index.ts';
import { lookOf } from '../../core/documents/look.ts';
import { shownName } from '../../core/address/address.ts';
import { searchExpression } from '../foundation/fullText.ts';
import { notFound } from '../foundation/refusal.ts';
import { countOf, groupBy, likePattern, select } from '../foundation/rows.ts';
import { filesByIds } from '../records/files.ts';

/** Whose documents. */
type Scope = Pick<DocumentsQuery, 'clientId' | 'fileId'>;

const COLUMNS = { at: 'document.at', name: 'document.filename', size: 'document.size' } as const;

/** Documents by number: those of messages on the files asked for, and those put there. */
function placed(db: Knex, { clientId, fileId }: Scope): Knex.QueryBuilder {
  const filed = db('filing')
    .join('document', 'document.message_id', 'filing.message_id')
    .select('document.id');
  const put = db('document').whereNull('gone_at').select('document.id');
  if (clientId) {
    filed.where('filing.client_id', clientId);
    put.where('document.client_id', clientId);
  }
  if (fileId) {
    filed.where('filing.file_id', fileId);
    put.where('document.file_id', fileId);
  }
  return (filed as Knex.QueryBuilder).union([put]);
}

/** Whether a document lies on any file: it was put there, or its message was filed. */
function lies(db: Knex, query: Knex.QueryBuilder): Knex.QueryBuilder {
  return query.where((either) =>
    either
      .where((put) => put.whereNotNull('document.file_id').whereNull('document.gone_at'))
      .orWhereExists(
        db('filing').whereRaw('filing.message_id = document.message_id').select(db.raw('1')).limit(1),
      ),
  );
}

/** Those with words in their name or text. */
function named(db: Knex, typed: string): Knex.QueryBuilder {
  const expression = searchExpression(typed);
  if (!expression) return db('document').where('filename', 'like', likePattern(typed)).select('id');
  const byName: Knex.QueryBuilder = db('document')
    .whereRaw('MATCH (name_words) AGAINST (? IN BOOLEAN MODE)', [expression])
    .select('id');
  const byText: Knex.QueryBuilder = db('document_reading')
    .join('document', 'document.hash', 'document_reading.hash')
    .whereRaw('MATCH (document_reading.words) AGAINST (? IN BOOLEAN MODE)', [expression])
    .select('document.id');
  return byName.union([byText]);
}

/** The documents asked for, all of them. */
function found(db: Knex, query: DocumentsQuery): Knex.QueryBuilder {
  const { clientId, fileId, q, kindId, how } = query;
  const all: Knex.QueryBuilder = db('document').leftJoin('message', 'message.id', 'document.message_id');
  // Gathered first and joined: as IN (…) the whole table would be gone through.
  const among = (some: Knex.QueryBuilder, name: string) =>
    all.join(some.as(name) as unknown as string, `${name}.id`, 'document.id');
  if (clientId || fileId) among(placed(db, query), 'placed');
  else lies(db, all);
  if (q?.trim()) among(named(db, q.trim()), 'named');
  if (kindId) all.where('document.kind_id', kindId);
  if (how === 'put')
    all.whereNotNull('document.file_id').whereNull('document.piece_id').whereNull('document.upload_id');
  else if (how === 'made') all.whereNotNull('document.piece_id');
  else if (how === 'came')
    all.where((either) => either.where('message.direction', 'received').orWhereNotNull('document.upload_id'));
  else if (how === 'went') all.whereIn('message.direction', ['sent', 'internal']);
  return all;
}

/** A page of documents. Of a client's, or a file's, each content stands there once, where it lay last. */
export async function listDocuments(db: Knex, query: DocumentsQuery): Promise<DocumentsPage> {
  const { clientId, fileId, sort, order, offset, limit } = query;
  const once = Boolean(clientId || fileId);
  const ranked = db
    .from<object>(
      found(db, query)
        .select('document.id', 'document.at', 'document.filename', 'document.size', {
          place: db.raw(
            'ROW_NUMBER() OVER (PARTITION BY document.hash ORDER BY document.at DESC, document.id DESC)',
          ),
          times: db.raw('COUNT(*) OVER (PARTITION BY document.hash)'),
        })
        .as('document') as unknown as string,
    )
    .where('document.place', 1);
  const page = once
    ? ranked.clone().select('document.id', 'document.times')
    : found(db, query).select('document.id', { times: db.raw('1') });
  const [rows, total, unread] = await Promise.all([
    page.orderBy(COLUMNS[sort], order).orderBy('document.id', order).offset(offset).limit(limit) as Promise<
      { id: number; times: number }[]
    >,
    countOf(once ? ranked.clone() : found(db, query)),
    countOf(db('document_reading').where({ state: 'waiting' })),
  ]);
  const timesOf = new Map(rows.map(({ id, times }) => [id, times]));
  const read = await readDocuments(
    db,
    rows.map(({ id }) => id),
    query,
  );
  return { total, unread, rows: read.map((row) => ({ ...row, times: Number(timesOf.get(row.id) ?? 1) })) };
}

/** Documents in the order given; those that lie nowhere any more are left out. @param scope whose files are named */
export async function readDocuments(
  db: Knex,
  ids: readonly number[],
  { clientId }: Scope = {},
): Promise<DocumentRow[]> {
  if (!ids.length) return [];
  const filed = db('filing')
    .join('document', 'document.message_id', 'filing.message_id')
    .whereIn('document.id', [...ids]);
  const [rows, filings] = await Promise.all([
    select(
      db('document')
        .leftJoin('message', 'message.id', 'document.message_id')
        .leftJoin('staff', 'staff.id', 'document.staff_id')
        .leftJoin('document_kind', 'document_kind.id', 'document.kind_id')
        .leftJoin('collection_upload', 'collection_upload.id', 'document.upload_id')
        .leftJoin('collection_page', 'collection_page.id', 'collection_upload.page_id')
        .leftJoin('person', 'person.id', 'collection_page.person_id')
        .whereIn('document.id', [...ids]),
      {
        id: 'document.id',
        filename: 'document.filename',
        mimeType: 'document.mime_type',
        size: 'document.size',
        at: 'document.at',
        messageId: 'document.message_id',
        fileId: 'document.file_id',
        gone: 'document.gone_at',
        pieceId: 'document.piece_id',
        kindId: 'document.kind_id',
        kind: 'document_kind.name?',
        staff: 'staff.name?',
        uploadId: 'document.upload_id',
        first: 'person.first_name?',
        last: 'person.last_name?',
        direction: 'message.direction?',
        fromName: 'message.from_name?',
        fromAddress: 'message.from_address?',
      },
    ),
    select(clientId ? filed.where('filing.client_id', clientId) : filed, {
      id: 'document.id',
      fileId: 'filing.file_id',
    }),
  ]);
  const filedOn = groupBy(filings, ({ id }) => id);
  const files = await filesByIds(db, [
    ...new Set([...filings.map(({ fileId }) => fileId), ...rows.flatMap(({ fileId }) => fileId ?? [])]),
  ]);
  const byId = new Map(rows.map((row) => [row.id, row]));
  return ids.flatMap((id): DocumentRow[] => {
    const row = byId.get(id);
    if (!row || row.gone) return [];
    const { filename, mimeType, size, messageId } = row;
    const on = row.fileId === null ? (filedOn.get(id) ?? []).map((each) => each.fileId) : [row.fileId];
    return [
      {
        ...{ id, filename, mimeType, size, messageId },
        at: row.at.toISOString(),
        how: howOf(row),
        from: fromOf(row),
        kind: row.kindId === null ? null : { id: row.kindId, name: row.kind ?? '' },
        look: lookOf(mimeType, filename),
        files: on.flatMap((fileId): FileRef | [] => files.get(fileId) ?? []),
        times: 1,
      },
    ];
  });
}

/** One of them. @throws Refusal when it lies on no file (any more) */
export async function readDocument(db: Knex, id: number): Promise<DocumentRow> {
  const [row] = await readDocuments(db, [id]);
  if (!row?.files.length) throw notFound('That document');
  return row;
}

/** Who sent it, or put it there: of what came by a client's page its reader. */
function fromOf(row: {
  direction: string | null;
  uploadId: number | null;
  first: string | null;
  last: string | null;
  staff: string | null;
  fromName: string | null;
  fromAddress: string | null;
}): string {
  if (row.uploadId !== null) return `${row.first ?? ''} ${row.last ?? ''}`.trim() || 'their page';
  return row.direction === null ? (row.staff ?? '') : shownName(row.fromName ?? '', row.fromAddress ?? '');
}

function howOf({
  direction,
  pieceId,
  uploadId,
}: {
  direction: string | null;
  pieceId: number | null;
  uploadId: number | null;
}): DocumentRow['how'] {
  if (uploadId !== null) return 'came';
  if (direction === null) return pieceId === null ? 'put' : 'made';
  return direction === 'received' ? 'came' : 'went';
}
