import type { Knex } from 'knex';
import type { DocNode } from '../../core/merge/document.ts';
import { picturesWith, type Frame } from '../../core/merge/frame.ts';
import { pictureId } from '../../core/merge/html.ts';
import { transact } from '../foundation/database.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { packRaw, readRaw, storeRaw } from '../foundation/sources.ts';
import { insertAll } from '../foundation/rows.ts';

/** No picture may be larger: it travels with every copy. */
const MOST_BYTES = 3 * 1024 * 1024;

/** How each kind of picture begins that every mail program shows (PNG 3rd edition 5.2, ITU-T T.81 B.1.1.3, GIF89a 17). */
const BEGINNINGS: readonly [type: string, bytes: readonly number[]][] = [
  ['image/png', [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]],
  ['image/jpeg', [0xff, 0xd8, 0xff]],
  ['image/gif', [0x47, 0x49, 0x46, 0x38]],
];

/** A picture that travels with a message. */
export interface InlinePicture {
  filename: string;
  contentType: string;
  content: Buffer;
  cid: string;
}

/**
 * Keeps a picture to be put into texts, each content once.
 * @returns its hash in hexadecimal
 * @throws Refusal when it is no picture that every mail program shows, or too large
 */
export async function keepPicture(db: Knex, staffId: number, content: Buffer): Promise<string> {
  const type = BEGINNINGS.find(([, bytes]) => bytes.every((byte, at) => content[at] === byte))?.[0];
  if (!type)
    throw new Refusal(415, 'That is no picture that every mail program shows. Choose a PNG, JPEG or GIF.');
  if (content.length > MOST_BYTES)
    throw new Refusal(
      413,
      'A picture may have 3 MB at most: it travels with every copy. Make it smaller first.',
    );
  const packed = await packRaw(content);
  await transact(db, async (trx) => {
    await storeRaw(trx, [packed]);
    await insertAll(
      trx,
      'picture',
      [{ hash: packed.hash, mime_type: type, made_at: new Date(), made_by: staffId }],
      { ignore: true },
    );
  });
  return packed.hash.toString('hex');
}

/** A kept picture. @throws Refusal when there is none of that hash */
export async function readPicture(db: Knex, hash: string): Promise<{ type: string; content: Buffer }> {
  const row = await db('picture')
    .where({ hash: Buffer.from(hash, 'hex') })
    .first('hash', 'mime_type');
  if (!row) throw notFound('That picture');
  return { type: row.mime_type, content: await readRaw(db, row.hash) };
}

/** The pictures of a text and its frame, to travel with it; one that is not kept here is left out. */
export async function picturesFor(
  db: Knex,
  doc: DocNode,
  frame: Frame | null = null,
): Promise<InlinePicture[]> {
  const hashes = picturesWith(doc, frame);
  if (!hashes.length) return [];
  const rows = await db('picture')
    .whereIn(
      'hash',
      hashes.map((hash) => Buffer.from(hash, 'hex')),
    )
    .select('hash', 'mime_type');
  return Promise.all(
    rows.map(async ({ hash, mime_type: contentType }, at) => ({
      filename: `picture-${at + 1}.${contentType.replace('image/', '').replace('jpeg', 'jpg')}`,
      contentType,
      content: await readRaw(db, hash),
      cid: pictureId(hash.toString('hex')),
    })),
  );
}

/** HTML as it is shown here, where nothing travels with it: its pictures are in it. */
export function withPictures(
  html: string,
  attached: readonly (Omit<InlinePicture, 'cid'> & { cid?: string })[],
): string {
  return attached.reduce(
    (shown, { cid, contentType, content }) =>
      cid
        ? shown.replaceAll(`"cid:${cid}"`, `"data:${contentType};base64,${content.toString('base64')}"`)
        : shown,
    html,
  );
}
