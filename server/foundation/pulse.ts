import type { Knex } from 'knex';
import type { Transaction } from './database.ts';

/** What screens and other processes watch. */
export const TOPICS = ['records', 'mail', 'sorting', 'mailings', 'mailboxes', 'filing'] as const;
export type Topic = (typeof TOPICS)[number];

/**
 * Marks topics as changed, for whoever watches: in the transaction of what it tells, or after it. After it the work
 * is done, and whoever did it never hears of a database that is away.
 */
export async function beat(db: Knex, ...topics: Topic[]): Promise<void> {
  if (db.isTransaction) await bump(db, topics);
  else await bump(db, topics).catch(() => undefined);
}

/** What only one transaction at a time may do: take mail in, learn, give out file numbers. */
type Turn = 'intake' | 'lessons' | 'numbers';

/**
 * Holds a turn until the transaction ends. A lock is a write: of several database nodes that are written to, each
 * knows of what the others write, and of nothing that they only read or lock.
 */
export async function holdTurn(trx: Transaction, turn: Turn): Promise<void> {
  await bump(trx, [turn]);
}

/** In one order always, so that nobody waits for one who waits for them. */
function bump(db: Knex, topics: readonly (Topic | Turn)[]): Promise<unknown> {
  return db.raw(
    `INSERT INTO pulse (topic, version) VALUES ${topics.map(() => '(?, 1)').join(', ')} ON DUPLICATE KEY UPDATE version = version + 1`,
    [...topics].sort(),
  );
}

export async function readPulse(db: Knex): Promise<Record<string, number>> {
  const rows: { topic: string; version: number }[] = await db('pulse')
    .whereIn('topic', [...TOPICS])
    .select('topic', 'version');
  return Object.fromEntries(rows.map((row) => [row.topic, Number(row.version)]));
}
