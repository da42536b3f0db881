import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import { fileTypeFromBuffer } from 'file-type';
import type { DocumentChange } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { insertAll } from '../foundation/rows.ts';
import { packRaw, storeRaw, type RawRow } from '../foundation/sources.ts';
import type { Rows } from '../foundation/tables.ts';
import { contentOf } from './content.ts';
import { readDocument } from './list.ts';

/** No document that is put on a file may be larger, in bytes. */
export const MOST_BYTES = 50 * 1024 * 1024;

/** What is put on a file. */
export interface NewDocument {
  filename: string;
  mimeType: string;
  content: Uint8Array;
  kindId?: number | undefined;
}

/**
 * Puts a document on a file, its content kept once however often it lies there.
 * @returns its number
 * @throws Refusal when it is empty, too large, or lies on that file already
 */
export async function putDocument(
  db: Database,
  staffId: number,
  fileId: number,
  { filename, mimeType, content, kindId }: NewDocument,
): Promise<number> {
  if (!content.length) throw new Refusal(400, `“${filename}” is empty.`, 'file');
  if (content.length > MOST_BYTES) throw new Refusal(413, `“${filename}” is larger than 50 MB.`, 'file');
  const packed = await packRaw(content);
  const row = {
    filename: documentName(filename),
    mime_type: await typeOf(content, mimeType, filename),
    kind_id: kindId,
  };
  return transact(db, (trx) => layDown(trx, staffId, fileId, packed, row));
}

/** A file's name with no path and no control characters. */
function documentName(filename: string): string {
  return (
    filename
      .replace(/[\u0000-\u001f\u007f/\\]/g, ' ')
      .trim()
      .slice(0, 255) || 'document'
  );
}

/** What a content is, by its first bytes; what it was said to be where these say nothing. */
async function typeOf(content: Uint8Array, said: string, filename: string): Promise<string> {
  const found = await fileTypeFromBuffer(content).catch(() => undefined);
  if (found) return found.mime.slice(0, 120);
  if (/\.(?:txt|csv|md)$/i.test(filename)) return 'text/plain';
  return /^[\w.+-]+\/[\w.+-]+$/.test(said) ? said.slice(0, 120).toLowerCase() : 'application/octet-stream';
}

/**
 * Lays a document down on a file, within a transaction. @param row.upload_id of a client's page that it came by
 * @returns its number @throws Refusal when the file is gone, or it lies there already
 */
export async function layDown(
  trx: Transaction,
  staffId: number,
  fileId: number,
  packed: RawRow,
  row: Pick<Rows['document'], 'filename' | 'mime_type'> & {
    kind_id?: number | null | undefined;
    upload_id?: number;
  },
): Promise<number> {
  const file = await trx('file').where({ id: fileId }).forUpdate().first('id', 'client_id', 'number');
  if (!file) throw notFound('That file');
  const before = await trx('document')
    .where({ file_id: fileId, hash: packed.hash })
    .whereNull('gone_at')
    .first('filename');
  if (before) throw new Refusal(409, `That lies on ${file.number} already, as “${before.filename}”.`, 'file');
  if (row.kind_id && !(await trx('document_kind').where({ id: row.kind_id }).first('id')))
    throw new Refusal(400, 'There is no such kind of document any more.', 'kindId');
  await storeRaw(trx, [packed]);
  const [id = 0] = await trx('document').insert({
    ...row,
    kind_id: row.kind_id ?? null,
    hash: packed.hash,
    raw_hash: packed.hash,
    size: packed.size,
    at: new Date(),
    client_id: file.client_id,
    file_id: fileId,
    staff_id: staffId,
  });
  await insertAll(trx, 'document_reading', [{ hash: packed.hash }], { ignore: true });
  await noted(trx, staffId, 'document put on file', id, file.client_id, undefined, {
    filename: row.filename,
    fileId,
  });
  return id;
}

/** Lays a document on another file too. @returns the number of that one @throws Refusal when it lies there already */
export async function copyDocument(
  db: Database,
  staffId: number,
  id: number,
  fileId: number,
): Promise<number> {
  const { row, content } = await documentContent(db, id);
  const packed = await packRaw(content);
  const { filename, mime_type, kind_id } = row;
  return transact(db, (trx) => layDown(trx, staffId, fileId, packed, { filename, mime_type, kind_id }));
}

/** A document that lies on a file, with its bytes. @throws Refusal when there is none */
export async function documentContent(
  db: Knex,
  id: number,
): Promise<{ row: Rows['document']; content: Uint8Array }> {
  await readDocument(db, id);
  const row = await db('document').where({ id }).first();
  if (!row) throw notFound('That document');
  return { row, ...(await contentOf(db, row)) };
}

/**
 * Changes what a document is called, of which kind it is; of what was put there also its file and day.
 * @throws Refusal when it came with mail and is to lie elsewhere: it lies where its message does
 */
export async function changeDocument(
  db: Database,
  staffId: number,
  id: number,
  { filename, kindId, fileId, on }: DocumentChange,
): Promise<void> {
  await readDocument(db, id);
  const { zone } = await readFirm(db);
  await transact(db, async (trx) => {
    const before = await trx('document').where({ id }).forUpdate().first();
    if (!before) throw notFound('That document');
    if (before.piece_id !== null && on !== undefined)
      throw new Refusal(409, 'It is of the day on which it was released.');
    if (before.message_id !== null && (fileId !== undefined || on !== undefined))
      throw new Refusal(
        409,
        'It came or went with a message, and lies on that one’s file, on that one’s day.',
      );
    const file =
      fileId === undefined ? undefined : await trx('file').where({ id: fileId }).first('id', 'client_id');
    if (fileId !== undefined && !file) throw notFound('That file');
    const after = {
      ...(filename === undefined ? {} : { filename: documentName(filename) }),
      ...(kindId === undefined ? {} : { kind_id: kindId }),
      ...(file ? { file_id: file.id, client_id: file.client_id } : {}),
      ...(on === undefined ? {} : { at: DateTime.fromISO(on, { zone }).plus({ hours: 12 }).toJSDate() }),
    };
    if (!Object.keys(after).length) return;
    await trx('document').where({ id }).update(after).catch(refuseUnknownKind);
    const { filename: was, kind_id, file_id, at } = before;
    await noted(trx, staffId, 'document changed', id, before.client_id, { was, kind_id, file_id, at }, after);
    if (file && file.client_id !== before.client_id)
      await noteChange(trx, 'documents', 'client', [file.client_id]);
  });
}

const NO_REFERENCE = 1452;
function refuseUnknownKind(error: unknown): never {
  if ((error as { errno?: number }).errno !== NO_REFERENCE) throw error;
  throw new Refusal(400, 'There is no such kind of document any more.', 'kindId');
}

/**
 * Takes a document off its file, or brings it back.
 * @throws Refusal when it came with mail: it goes where its message goes
 */
export async function removeDocument(
  db: Database,
  staffId: number,
  id: number,
  gone: boolean,
): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('document').where({ id }).forUpdate().first();
    if (!row) throw notFound('That document');
    if (row.message_id !== null)
      throw new Refusal(409, 'It came or went with a message, and stays with that.');
    if (row.piece_id !== null) throw new Refusal(409, 'It is what went to the client: it stays on file.');
    await trx('document')
      .where({ id })
      .update({ gone_at: gone ? new Date() : null });
    const action = gone ? 'document taken off file' : 'document brought back';
    await noted(trx, staffId, action, id, row.client_id, undefined, { filename: row.filename });
  });
}

async function noted(
  trx: Transaction,
  staffId: number,
  action: string,
  id: number,
  clientId: number | null,
  before: object | undefined,
  after: object | undefined,
): Promise<void> {
  await noteAudit(trx, { staffId, action, subject: 'document', id, before, after });
  if (clientId === null) await noteChange(trx, 'documents');
  else await noteChange(trx, 'documents', 'client', [clientId]);
}
