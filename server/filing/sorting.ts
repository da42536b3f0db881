import type { Knex } from 'knex';
import { shownName } from '../../core/address/address.ts';
import type { z } from 'zod';
import type { Page, SortingQueue } from '../../contract/index.ts';
import { countOf, select } from '../foundation/rows.ts';
import { unconnectedByDay } from './autoFiled.ts';
import { lastStep } from './steps.ts';
import { fromJson } from '../foundation/json.ts';

/** Of what is nobody's so many days are named. */
const LATEST = 3;
const WEEK = 7 * 24 * 3600 * 1000;

/** Messages that wait in Sorting, those put off left out until their morning. */
export function waitingNow(db: Knex) {
  return db('message')
    .where({ state: 'suggested' })
    .where((any) => any.whereNull('later_until').orWhere('later_until', '<=', new Date()));
}

/** What waits in Sorting, group by group, newest first within each. */
export async function sortingQueue(
  db: Knex,
  staffId: number,
  page: z.infer<typeof Page>,
): Promise<SortingQueue> {
  const waiting = () => waitingNow(db);
  const [rows, groups, alone, undo, unconnected] = await Promise.all([
    waiting()
      .orderByRaw("FIELD(sorting, 'certain', 'look', 'nobody'), at DESC, id DESC")
      .offset(page.offset)
      .limit(page.limit)
      .select('id', 'sorting', 'at', 'from_name', 'from_address', 'subject', 'direction', 'candidates'),
    select(waiting().groupBy('sorting'), { sorting: 'message.sorting', count: db.raw<number>('COUNT(*)') }),
    countOf(
      db('message')
        .where({ state: 'logged' })
        .whereNull('decided_by')
        .where('at', '>', new Date(Date.now() - WEEK)),
    ),
    lastStep(db, staffId),
    unconnectedByDay(db, staffId, LATEST),
  ]);
  const firsts = new Map(
    rows.flatMap((row) => {
      const [first] = fromJson('message.candidates', row.candidates);
      return first ? [[row.id, first] as const] : [];
    }),
  );
  const numbers = await fileNumbers(
    db,
    [...firsts.values()].map((candidate) => candidate.fileId),
  );
  const counts = { certain: 0, look: 0, nobody: 0 };
  for (const { sorting, count } of groups) if (sorting) counts[sorting] = count;
  return {
    rows: rows.map((row) => {
      const first = firsts.get(row.id);
      return {
        id: row.id,
        group: row.sorting ?? 'nobody',
        at: row.at.toISOString(),
        from: shownName(row.from_name, row.from_address),
        subject: row.subject,
        direction: row.direction,
        first: first ? { number: numbers.get(first.fileId) ?? '', likelihood: first.likelihood } : null,
      };
    }),
    counts,
    total: counts.certain + counts.look + counts.nobody,
    filedAlone: alone,
    undo,
    unconnected,
  };
}

async function fileNumbers(db: Knex, ids: number[]): Promise<Map<number, string>> {
  const rows = ids.length ? await db('file').whereIn('id', ids).select('id', 'number') : [];
  return new Map(rows.map((row) => [row.id, row.number]));
}
