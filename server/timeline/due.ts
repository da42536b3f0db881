import type { Knex } from 'knex';
import type { z } from 'zod';
import type { DuePage, DueQuery } from '../../contract/index.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database } from '../foundation/database.ts';
import { readEntries } from './entries.ts';

/** What is planned within so many days is told. */
const AHEAD_DAYS = 7;

/** Why it is told, the most pressing first. */
const WHYS = ['told', 'reminder', 'passed', 'coming'] as const;

/**
 * What of the timeline wants somebody: where a colleague calls them, what they asked to be reminded of, what of theirs
 * was planned and has passed without a word of how it went, and what of theirs comes within a week. Each entry once,
 * for the first of these reasons.
 */
export async function dueFor(
  db: Knex,
  staffId: number,
  { offset, limit }: z.output<typeof DueQuery>,
): Promise<DuePage> {
  const each = db
    .from(reasonsFor(db, staffId).as('reason'))
    .groupBy('id')
    .select({ id: 'id', why: db.raw('MIN(why)'), at: db.raw('MIN(at)') });
  const [page, counted] = await Promise.all([
    each.clone().orderByRaw('why, at, id').offset(offset).limit(limit) as Promise<
      { id: number; why: number }[]
    >,
    db.from(each.as('due')).count({ n: '*' }).first() as Promise<{ n: number } | undefined>,
  ]);
  const entries = await readEntries(db, (query) =>
    query.whereIn(
      'timeline.id',
      page.map(({ id }) => id),
    ),
  );
  const entryOf = new Map(entries.map((entry) => [entry.id, entry]));
  return {
    rows: page.flatMap(({ id, why }) => {
      const entry = entryOf.get(id);
      const word = WHYS[why];
      return entry && word ? [{ why: word, entry }] : [];
    }),
    total: Number(counted?.n ?? 0),
  };
}

function reasonsFor(db: Knex, staffId: number): Knex.QueryBuilder {
  const because = (why: (typeof WHYS)[number], found: Knex.QueryBuilder) =>
    found.whereNull('timeline.gone_at').select({
      id: 'timeline.id',
      why: db.raw(String(WHYS.indexOf(why))),
      at: 'timeline.at',
    });
  const planned = (from: string, until: string) => {
    const some = () =>
      db('timeline')
        .where('timeline.state', 'planned')
        .whereRaw(`timeline.at >= ${from} AND timeline.at < ${until}`);
    return [
      some().where('timeline.staff_id', staffId),
      some()
        .join('timeline_staff', 'timeline_staff.timeline_id', 'timeline.id')
        .where('timeline_staff.staff_id', staffId)
        .where('timeline_staff.tie', 'took part'),
    ];
  };
  const now = 'UTC_TIMESTAMP(3)';
  return db.unionAll([
    because(
      'told',
      db('timeline_staff')
        .join('timeline', 'timeline.id', 'timeline_staff.timeline_id')
        .where('timeline_staff.staff_id', staffId)
        .where('timeline_staff.tie', 'told')
        .whereNull('timeline_staff.seen_at'),
    ),
    because('reminder', db('timeline').where('remind_id', staffId).whereRaw(`timeline.remind_at <= ${now}`)),
    ...planned("'1970-01-01'", now).map((found) => because('passed', found)),
    ...planned(now, `${now} + INTERVAL ${AHEAD_DAYS} DAY`).map((found) => because('coming', found)),
  ]);
}

/** Somebody has seen to what they were told or reminded of. */
export async function settleDue(db: Database, staffId: number, id: number): Promise<void> {
  await transact(db, async (trx) => {
    await trx('timeline_staff')
      .where({ timeline_id: id, staff_id: staffId, tie: 'told', seen_at: null })
      .update({ seen_at: new Date() });
    await trx('timeline')
      .where({ id, remind_id: staffId })
      .whereRaw('remind_at <= UTC_TIMESTAMP(3)')
      .update({ remind_at: null, remind_id: null });
    const row = await trx('timeline').where({ id }).first('file_id');
    await noteChange(trx, 'timeline', 'file', [row?.file_id ?? null]);
  });
}
