import type { Knex } from 'knex';

/** What screens and other processes watch. */
export const TOPICS = ['records', 'mail', 'sorting', 'mailings', 'mailboxes', 'filing'] as const;
export type Topic = (typeof TOPICS)[number];

/** Marks topics as changed, for whoever watches. One short statement; call it after the work is committed. */
export async function beat(db: Knex, ...topics: Topic[]): Promise<void> {
  await db.raw(
    `INSERT INTO pulse (topic, version) VALUES ${topics.map(() => '(?, 1)').join(', ')} ON DUPLICATE KEY UPDATE version = version + 1`,
    topics,
  );
}

export async function readPulse(db: Knex): Promise<Record<string, number>> {
  const rows: { topic: string; version: number }[] = await db('pulse').select('topic', 'version');
  return Object.fromEntries(rows.map((row) => [row.topic, Number(row.version)]));
}
