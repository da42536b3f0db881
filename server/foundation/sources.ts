import { hash } from 'node:crypto';
import { promisify } from 'node:util';
import { deflateRaw, inflateRaw } from 'node:zlib';
import type { Knex } from 'knex';
import { inPieces, insertAll } from './rows.ts';

const pack = promisify(deflateRaw);
const unpack = promisify(inflateRaw);

/** The hash under which raw bytes are kept: SHA-256. */
export function hashOf(bytes: Uint8Array | string): Buffer {
  return hash('sha256', bytes, 'buffer');
}

export interface RawRow {
  hash: Buffer;
  size: number;
  packed: Buffer;
  /** What was read of it, if that is known. */
  reading?: Buffer;
}

/** Raw bytes ready to be kept; compression runs off the main thread. */
export async function packRaw(bytes: Uint8Array): Promise<RawRow> {
  return { hash: hashOf(bytes), size: bytes.length, packed: await pack(bytes, { level: 1 }) };
}

/** So many bytes go in one statement: a database server may take no more than 16 MB at once. */
const PIECE = 4 * 1024 * 1024;
/** Packed no larger than this, many are read at once. */
const SMALL = 128 * 1024;

/** Keeps raw bytes, each content once. */
export async function storeRaw(db: Knex, rows: readonly RawRow[]): Promise<void> {
  for (const piece of inPieces(rows, bytesOf, PIECE))
    await insertAll(db, 'raw', piece.map(firstPiece), { ignore: true, bound: true });
  for (const row of rows.filter(({ packed }) => packed.length > PIECE)) {
    for (let at = PIECE; at < row.packed.length; at += PIECE) {
      const piece = { hash: row.hash, position: at / PIECE, packed: row.packed.subarray(at, at + PIECE) };
      await insertAll(db, 'raw_piece', [piece], { ignore: true, bound: true });
    }
  }
}

function bytesOf({ packed, reading }: RawRow): number {
  return Math.min(packed.length, PIECE) + (reading?.length ?? 0);
}

function firstPiece({ hash: key, size, packed, reading }: RawRow): Record<string, unknown> {
  return { hash: key, size, packed: packed.subarray(0, PIECE), reading: reading ?? null };
}

/** A source as it came, byte for byte. @throws when it is not kept under that hash */
export async function readRaw(db: Knex, key: Buffer): Promise<Buffer> {
  const row = await db('raw').where({ hash: key }).first('packed');
  if (!row) throw new Error('The source of this message is not in the database.');
  if (row.packed.length < PIECE) return unpack(row.packed);
  const rest: Buffer[] = await db('raw_piece').where({ hash: key }).orderBy('position').pluck('packed');
  return unpack(Buffer.concat([row.packed, ...rest]));
}

/** Many sources as they came, by hash in hexadecimal; of the large ones none, which are read one by one ({@link readRaw}). */
export async function readRaws(db: Knex, keys: readonly Buffer[]): Promise<Map<string, Buffer>> {
  if (!keys.length) return new Map();
  const rows = await db('raw')
    .whereIn('hash', [...keys])
    .whereRaw('LENGTH(packed) < ?', [SMALL])
    .select('hash', 'packed');
  const all = await Promise.all(
    rows.map(async ({ hash: key, packed }) => [key.toString('hex'), await unpack(packed)] as const),
  );
  return new Map(all);
}
