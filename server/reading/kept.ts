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

/** The same of many at once, by their hashes in hexadecimal. */
export async function readingsOf(db: Knex, hashes: readonly Buffer[]): Promise<Map<string, KeptReading>> {
  const readings = new Map<string, KeptReading>();
  for (let at = 0; at < hashes.length; at += AT_ONCE) {
    const rows = await db('raw')
      .whereIn('hash', hashes.slice(at, at + AT_ONCE))
      .select('hash', 'reading');
    for (const { hash, reading } of rows) {
      const kept = reading ? await unpackReading(reading) : null;
      readings.set(hash.toString('hex'), kept ?? (await readAgain(db, hash)));
    }
  }
  return readings;
}

/** So many readings are fetched in one statement: some are long. */
const AT_ONCE = 100;

/** Reads a source anew, whatever was kept of it. */
export async function readAgain(db: Knex, hash: Buffer): Promise<KeptReading> {
  const { kept, raw } = await readSource(await readRaw(db, hash), { urgent: true });
  await db('raw').where({ hash }).update({ reading: raw.reading });
  return kept;
}
