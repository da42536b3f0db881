import { selectFirst } from '../foundation/rows.ts';
import type { Knex } from 'knex';
import { storeRaw, packRaw } from '../foundation/sources.ts';
import { documentContent } from '../documents/keep.ts';
import { readDraft } from './drafts.ts';
import { Refusal } from '../foundation/refusal.ts';

/** So much may be enclosed; more is turned away by many servers (common practice). */
const MOST_BYTES = 25 * 1024 * 1024;

/** Where an enclosure comes from: with which message it came here, which document it is; null where it is none. */
interface EnclosureFrom {
  messageId: number | null;
  documentId: number | null;
}
const NOWHERE: EnclosureFrom = { messageId: null, documentId: null };

/** Adds an enclosure to a draft. @throws when it would be too large to be accepted anywhere */
export async function addEnclosure(
  db: Knex,
  staffId: number,
  id: number,
  filename: string,
  mimeType: string,
  content: Uint8Array,
  from: EnclosureFrom = NOWHERE,
): Promise<void> {
  const draft = await readDraft(db, staffId, id);
  if (draft.state !== 'draft') throw new Refusal(409, 'This message is on its way already.');
  const before = await selectFirst(
    db('draft_enclosure').join('raw', 'raw.hash', 'draft_enclosure.hash').where({ draft_id: id }),
    { bytes: db.raw<number | null>('SUM(raw.size)') },
  );
  if (Number(before?.bytes ?? 0) + content.length > MOST_BYTES)
    throw new Refusal(413, 'Together the enclosures are larger than 25 MB, which most mail servers refuse.');
  await storeEnclosure(db, id, filename, mimeType, content, from);
  await db('draft').where({ id }).update({ mirrored: 0, saved_at: new Date() });
}

/**
 * Keeps an enclosure with its draft, its content once however often it is enclosed.
 */
export async function storeEnclosure(
  db: Knex,
  draftId: number,
  filename: string,
  mimeType: string,
  content: Uint8Array,
  from: EnclosureFrom = NOWHERE,
): Promise<void> {
  const packed = await packRaw(content);
  await storeRaw(db, [packed]);
  await db('draft_enclosure').insert({
    draft_id: draftId,
    filename: enclosureName(filename),
    mime_type: enclosureType(mimeType),
    hash: packed.hash,
    from_message_id: from.messageId,
    document_id: from.documentId,
  });
}

/** A file's name as it becomes a header: with no path and no control characters. */
export function enclosureName(filename: string): string {
  return (
    filename
      .replace(/[\u0000-\u001f\u007f/\\]/g, ' ')
      .trim()
      .slice(0, 255) || 'enclosure'
  );
}

/** What a file is said to be, where that has the form of such a word (RFC 2045 section 5.1). */
export function enclosureType(mimeType: string): string {
  return /^[\w.+-]+\/[\w.+-]+$/.test(mimeType) ? mimeType.slice(0, 120) : 'application/octet-stream';
}

/** Takes an enclosure off. @throws Refusal for anybody else's draft, or when it is on its way */
export async function dropEnclosure(
  db: Knex,
  staffId: number,
  id: number,
  enclosureId: number,
): Promise<void> {
  const draft = await readDraft(db, staffId, id);
  if (draft.state !== 'draft') throw new Refusal(409, 'This message is on its way already.');
  await db('draft_enclosure').where({ id: enclosureId, draft_id: id }).delete();
  await db('draft').where({ id }).update({ mirrored: 0, saved_at: new Date() });
}

/** Encloses a document that lies on a file. @throws Refusal when there is none, or it is too large beside the others */
export async function encloseDocument(
  db: Knex,
  staffId: number,
  id: number,
  documentId: number,
): Promise<void> {
  const { row, content } = await documentContent(db, documentId);
  const from = { messageId: row.message_id, documentId };
  await addEnclosure(db, staffId, id, row.filename, row.mime_type, content, from);
}
