import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { Schedule, ScheduleLine } from '../../contract/index.ts';
import { readFirm } from '../foundation/firm.ts';
import { countOf, select } from '../foundation/rows.ts';

/** Lines shown; a firm that has more on its way has the mailings themselves. */
const MOST = 500;

/** All that will leave, by day of the firm's zone: mailings, paused ones too, paperwork, and letters kept for later. */
export async function readSchedule(db: Knex): Promise<Schedule> {
  const { zone } = await readFirm(db);
  const rows = await select(
    db('dispatch')
      .leftJoin('mailing', 'mailing.id', 'dispatch.mailing_id')
      .whereIn('dispatch.state', ['waiting', 'delayed'])
      .groupBy('dispatch.mailing_id', 'dispatch.kind')
      .groupByRaw("DATE_FORMAT(dispatch.next_at, '%Y-%m-%d %H:00')"),
    {
      mailing_id: 'dispatch.mailing_id',
      kind: 'dispatch.kind',
      name: db.raw<string | null>('MAX(mailing.name)'),
      state: db.raw<string | null>('MAX(mailing.state)'),
      count: db.raw<number>('COUNT(*)'),
      first: db.raw<Date>('MIN(dispatch.next_at)'),
      last: db.raw<Date>('MAX(dispatch.next_at)'),
    },
  );
  const lines = new Map<string, ScheduleLine>();
  for (const row of rows) {
    const day = DateTime.fromJSDate(row.first, { zone }).toISODate() ?? '';
    const key = `${day} ${row.kind} ${row.mailing_id ?? 0}`;
    const [first, last] = [row.first.toISOString(), row.last.toISOString()];
    const line = lines.get(key);
    if (line) {
      line.count += Number(row.count);
      if (first < line.first) line.first = first;
      if (last > line.last) line.last = last;
    } else
      lines.set(key, {
        day,
        mailingId: row.mailing_id,
        name: row.name ?? (row.kind === 'letter' ? 'Letters kept for later' : 'Paperwork by email'),
        state: row.mailing_id === null ? 'letter' : row.state === 'paused' ? 'paused' : 'going',
        count: Number(row.count),
        first,
        last,
      });
  }
  const all = [...lines.values()].sort((a, b) => a.first.localeCompare(b.first));
  const [going, uncertain] = await Promise.all([
    countOf(db('dispatch').where({ state: 'going' })),
    countOf(db('dispatch').where({ state: 'uncertain' })),
  ]);
  return {
    lines: all.slice(0, MOST),
    total: all.reduce((sum, { count }) => sum + count, 0),
    going,
    uncertain,
  };
}
