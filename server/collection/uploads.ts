import { fileTypeFromBuffer } from 'file-type';
import type { Knex } from 'knex';
import type { UploadSettle } from '../../contract/index.ts';
import { isText, judgeUpload, MOST_WAITING, MOST_WAITING_BYTES } from '../../core/collection/upload.ts';
import { layDown } from '../documents/keep.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { selectFirst } from '../foundation/rows.ts';
import { hashOf, packRaw } from '../foundation/sources.ts';
import type { Rows } from '../foundation/tables.ts';
import { noteAttempt, refuseTooMany } from '../security/attempts.ts';
import { fileOfClient, tellOf, type PageRow } from './pages.ts';

/** A database server may take no more than 16 MB in one statement. */
const PIECE = 4 * 1024 * 1024;
/** By so much of it text is told from what is none. */
const HEAD = 256 * 1024;

/** Bytes that somebody puts on their page. */
export interface Given {
  filename: string;
  content: Buffer;
  /** What it answers of what is asked for. */
  wantedId: number | null;
}

/**
 * Takes something that a client put on their page, and keeps it apart: it is in no search and on no file before
 * somebody of the office has looked at it.
 * @returns its number
 * @throws Refusal when it is too large, too much, or of a kind that is not taken: by its bytes, whatever it says
 */
export async function giveUpload(
  db: Database,
  page: Pick<PageRow, 'id' | 'client_id'>,
  { filename, content, wantedId }: Given,
): Promise<number> {
  const words = 'That is a great deal at once. Please wait';
  await refuseTooMany(db, 'put on a page', String(page.id), words, undefined, 'file');
  await noteAttempt(db, 'put on a page', String(page.id));
  const judged = judgeUpload({ filename, size: content.length, ...(await whatItIs(content)) });
  if (!judged.taken) throw new Refusal(400, `“${filename.slice(0, 120)}”: ${judged.why}`, 'file');
  const hash = hashOf(content);
  return transact(db, async (trx) => {
    await trx('collection_page').where({ id: page.id }).forUpdate().first('id');
    await refuseTooMuch(trx, page.id, content.length);
    const wanted = wantedId === null ? null : await wantedOf(trx, page.id, wantedId);
    const [id = 0] = await trx('collection_upload').insert({
      ...{ page_id: page.id, wanted_id: wantedId, hash, at: new Date() },
      ...{ filename: judged.filename, mime_type: judged.mimeType, size: content.length },
      file_id: wanted?.file_id ?? (await generalFile(trx, page.client_id)),
    });
    for (let at = 0; at < content.length; at += PIECE)
      await trx('collection_apart').insert({
        ...{ upload_id: id, position: at / PIECE, bytes: content.subarray(at, at + PIECE) },
      });
    await tellOf(trx, page.client_id);
    return id;
  });
}

/** What bytes are: by what stands at their beginning, or text throughout. */
async function whatItIs(content: Buffer): Promise<{ found: string | null; text: boolean }> {
  const found = await fileTypeFromBuffer(content).catch(() => undefined);
  const text = !found && isText(new TextDecoder().decode(content.subarray(0, HEAD), { stream: true }));
  return { found: found?.mime ?? null, text };
}

async function refuseTooMuch(trx: Transaction, pageId: number, more: number): Promise<void> {
  const waiting = await selectFirst(trx('collection_upload').where({ page_id: pageId, state: 'waiting' }), {
    count: trx.raw<number>('COUNT(*)'),
    bytes: trx.raw<number | null>('SUM(size)'),
  });
  if (Number(waiting?.count ?? 0) >= MOST_WAITING || Number(waiting?.bytes ?? 0) + more > MOST_WAITING_BYTES)
    throw new Refusal(
      409,
      'So much of yours waits to be looked at that no more fits. We shall see to it; try again later.',
      'file',
    );
}

async function wantedOf(trx: Knex, pageId: number, id: number) {
  const row = await trx('collection_wanted')
    .where({ id, page_id: pageId })
    .whereNull('closed_at')
    .first('file_id');
  if (!row) throw new Refusal(404, 'That is not asked for any more. Put it there without it.', 'file');
  return row;
}

/** Where something lies that belongs to no piece of work. */
export async function generalFile(trx: Knex, clientId: number): Promise<number> {
  const file = await trx('file').where({ client_id: clientId, general: 1 }).orderBy('id').first('id');
  if (!file) throw new Refusal(409, 'That cannot be taken just now. Please write to us.');
  return file.id;
}

/** Takes back what a client put there by mistake, as long as nobody has looked at it. */
export async function takeUploadBack(
  db: Database,
  page: Pick<PageRow, 'id' | 'client_id'>,
  id: number,
): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('collection_upload').where({ id, page_id: page.id }).forUpdate().first('state');
    if (!row) throw notFound('That');
    if (row.state !== 'waiting') throw new Refusal(409, 'We have seen to it already. Please write to us.');
    await trx('collection_upload').where({ id }).update({ state: 'taken back', settled_at: new Date() });
    await trx('collection_apart').where({ upload_id: id }).delete();
    await tellOf(trx, page.client_id);
  });
}

/** Something kept apart, with its bytes. @throws Refusal when it is not, or not any more */
export async function readUpload(
  db: Knex,
  id: number,
): Promise<{ row: Rows['collection_upload']; content: Buffer }> {
  const row = await db('collection_upload').where({ id }).first();
  const pieces: Buffer[] = await db('collection_apart')
    .where({ upload_id: id })
    .orderBy('position')
    .pluck('bytes');
  if (!row || !pieces.length) throw new Refusal(404, 'That is not kept apart any more.');
  return { row, content: Buffer.concat(pieces) };
}

/**
 * Takes what a client put on their page in, onto a file, and ticks off what was asked for; or refuses it, with a word
 * that the client reads. What is refused is kept no longer.
 * @throws Refusal when somebody has seen to it meanwhile
 */
export async function settleUpload(
  db: Database,
  staffId: number,
  id: number,
  settle: UploadSettle,
): Promise<void> {
  const packed = settle.to === 'taken in' ? await packRaw((await readUpload(db, id)).content) : null;
  await transact(db, async (trx) => {
    const row = await trx('collection_upload').where({ id }).forUpdate().first();
    const page = row && (await trx('collection_page').where({ id: row.page_id }).first());
    if (!row || !page) throw notFound('That document');
    if (row.state !== 'waiting') throw new Refusal(409, 'Somebody has seen to it meanwhile.');
    const settled = { settled_at: new Date(), settled_by: staffId };
    if (settle.to === 'refused' || !packed) {
      const why = settle.to === 'refused' ? settle.why : '';
      await trx('collection_upload')
        .where({ id })
        .update({ ...settled, state: 'refused', why });
    } else {
      await fileOfClient(trx, page.client_id, settle.fileId);
      await landOn(trx, staffId, { ...row, file_id: settle.fileId }, packed, settle.kindId);
      await trx('collection_upload')
        .where({ id })
        .update({ ...settled, state: 'taken in', file_id: settle.fileId });
      await trx('collection_entry').insert({
        ...{ page_id: page.id, client_id: page.client_id, file_id: settle.fileId, at: row.at },
        ...{ kind: 'came', words: row.filename, upload_id: id },
      });
      if (row.wanted_id !== null)
        await trx('collection_wanted')
          .where({ id: row.wanted_id })
          .whereNull('came_at')
          .update({ came_at: row.at });
      await noteChange(trx, 'mail', 'file', [settle.fileId]);
    }
    await trx('collection_apart').where({ upload_id: id }).delete();
    const action = `from their page: ${settle.to}`;
    const after = { filename: row.filename };
    await noteAudit(trx, { staffId, action, subject: 'client', id: page.client_id, after });
    await tellOf(trx, page.client_id);
  });
}

/** The document on its file; where the very same lies there already, that one stands for it. */
async function landOn(
  trx: Transaction,
  staffId: number,
  row: Rows['collection_upload'],
  packed: Awaited<ReturnType<typeof packRaw>>,
  kindId: number | null,
): Promise<void> {
  const there = await trx('document')
    .where({ file_id: row.file_id, hash: row.hash })
    .whereNull('gone_at')
    .first('id');
  if (there) return;
  const { filename, mime_type } = row;
  await layDown(trx, staffId, row.file_id, packed, {
    ...{ filename, mime_type, kind_id: kindId, upload_id: row.id },
  });
}
