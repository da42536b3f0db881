import type { Knex } from 'knex';
import { readRaw } from '../foundation/sources.ts';
import { unpackReading, type KeptReading } from './pack.ts';
import { readSource } from './pool.ts';

/** What was read of a source; read now, and kept, where that is not known yet. */
export async function readingOf(db: Knex, hash: Buffer): Promise<KeptReading> {
  const row = await db('raw').where({ hash }).first('reading');
  const kept = row?.reading ? await unpackReading(row.reading) : null;
  return kept ?? readAgain(db, hash);
}

/** Reads a source anew, whatever was kept of it. */
export async function readAgain(db: Knex, hash: Buffer): Promise<KeptReading> {
  const { kept, raw } = await readSource(await readRaw(db, hash), { urgent: true });
  await db('raw').where({ hash }).update({ reading: raw.reading });
  return kept;
}
