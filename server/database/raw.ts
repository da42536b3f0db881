import { createHash } from 'node:crypto';
import { promisify } from 'node:util';
import { deflateRaw, inflateRaw } from 'node:zlib';
import type { Knex } from 'knex';

const pack = promisify(deflateRaw);
const unpack = promisify(inflateRaw);

/** The hash under which raw bytes are kept: SHA-256. */
export function hashOf(bytes: Uint8Array | string): Buffer {
  return createHash('sha256').update(bytes).digest();
}

export interface RawRow {
  hash: Buffer;
  size: number;
  packed: Buffer;
}

/** Raw bytes ready to be kept; compression runs off the main thread. */
export async function packRaw(bytes: Uint8Array): Promise<RawRow> {
  return { hash: hashOf(bytes), size: bytes.length, packed: await pack(bytes, { level: 1 }) };
}

/** Keeps raw bytes, each content once. */
export async function keepRaw(db: Knex, rows: RawRow[]): Promise<void> {
  if (rows.length) await db('raw').insert(rows).onConflict('hash').ignore();
}

export async function readRaw(db: Knex, hash: Buffer): Promise<Buffer> {
  const row: { packed: Buffer } | undefined = await db('raw').where({ hash }).first('packed');
  if (!row) throw new Error('The source of this message is not in the database.');
  return unpack(row.packed);
}
