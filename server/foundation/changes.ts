import type { Knex } from 'knex';
import type { Change, ChangeSubject, Topic } from '../../contract/changes.ts';
import type { Transaction } from './database.ts';
import { select } from './rows.ts';

/** Of more than so many things that changed at once it is told that the topic changed. */
const MOST_NAMED = 200;

/**
 * Tells whoever watches that something changed: an event appended in the transaction of the change itself, so that
 * it is told if and only if it was done.
 * @param ids of what it was done to; without any, all of the topic
 */
export async function noteChange(
  trx: Transaction,
  topic: Topic,
  subject?: ChangeSubject,
  ids?: Iterable<number | null | undefined>,
): Promise<void> {
  if (!subject || !ids) return void (await trx('change_event').insert({ topic }));
  const named = [...new Set(ids)].filter((id) => typeof id === 'number');
  if (!named.length) return;
  const rows = named.map((id) => ({ topic, subject, subject_id: id }));
  await trx('change_event').insert(rows.length > MOST_NAMED ? { topic } : rows);
}

/**
 * What tells whether anything of a topic changed since it was last asked: equal as long as nothing did. Numbers are
 * given out before a transaction is kept, so that a smaller one may come to light after a larger: it is the events
 * themselves that count, not the highest.
 */
export async function stateOf(db: Knex, topic: Topic): Promise<string> {
  const [row] = await select(db('change_event').where({ topic }), {
    count: db.raw<number>('COUNT(*)'),
    sum: db.raw<string | number | null>('SUM(id)'),
  });
  return `${row?.count} ${row?.sum}`;
}

/** Events are kept this long, in hours; whoever was away longer reads everything anew. */
const KEPT_HOURS = 24;

/** Forgets what everybody has heard long ago. */
export async function forgetChanges(db: Knex): Promise<void> {
  await db('change_event')
    .whereRaw('at < UTC_TIMESTAMP(3) - INTERVAL ? HOUR', [KEPT_HOURS])
    .limit(20_000)
    .delete();
}

/** An event that is looked at may be this late, in seconds: the transaction that wrote it was kept only then. */
const LATEST_SECONDS = 60;

export interface ChangeEvent extends Change {
  eventId: number;
  /** So old that none with a smaller number can come to light any more. */
  settled: boolean;
}

/** The events after one of them, in the order of their numbers. @param most so many at most */
export async function changesAfter(db: Knex, eventId: number, most: number): Promise<ChangeEvent[]> {
  const rows = await select(db('change_event').where('id', '>', eventId).orderBy('id').limit(most), {
    id: 'change_event.id',
    topic: 'change_event.topic',
    subject: 'change_event.subject',
    subject_id: 'change_event.subject_id',
    settled: db.raw<number>('at < UTC_TIMESTAMP(3) - INTERVAL ? SECOND', [LATEST_SECONDS]),
  });
  return rows.map((row) => ({
    eventId: row.id,
    topic: row.topic,
    subject: row.subject,
    id: row.subject_id,
    settled: Boolean(row.settled),
  }));
}
