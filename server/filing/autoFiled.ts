import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { z } from 'zod';
import { MAILED } from '../../core/filing/types.ts';
import type { AutoFiledKind, AutoFiledPage, AutoFiledQuery, AutoFiledRow } from '../../contract/index.ts';
import { readFirm } from '../foundation/firm.ts';
import { readableBy, refuseUnlessReadable } from '../correspondence/access.ts';
import { HOUR, countOf, select, selectFirst } from '../foundation/rows.ts';
import { messageRows, type ListedMessage } from '../correspondence/rows.ts';
import { fromJson } from '../foundation/json.ts';

/** So many days back are offered for looking over; of what is nobody's, so many days that have any. */
const DAYS = 30;
/** Nothing connects it with a client. */
const UNCONNECTED = 'unconnected';

/** Messages of a kind that were settled without a person, as far as a person may read them. */
function autoFiled(db: Knex, staffId: number, kind: AutoFiledKind) {
  const settled = readableBy(db, db('message'), staffId).whereNull('decided_by');
  if (kind === 'logged') return settled.where({ state: 'logged' }).whereNot('reason', MAILED);
  const aside = settled.where({ state: 'aside' });
  return kind === 'aside' ? aside.whereNot('reason', UNCONNECTED) : aside.where('reason', UNCONNECTED);
}

/** What was settled without a person, by the day of the mail: one day of it, and how much each of the last days holds. */
export async function autoFiledPage(
  db: Knex,
  staffId: number,
  query: z.output<typeof AutoFiledQuery>,
): Promise<AutoFiledPage> {
  const { zone } = await readFirm(db);
  const midnight = DateTime.now().setZone(zone).startOf('day');
  const days = await autoFiledByDay(db, staffId, midnight.minus({ days: DAYS - 1 }), zone);
  const day = query.day ?? days.find((each) => each[query.state] > 0)?.day ?? midnight.toISODate() ?? '';
  const start = DateTime.fromISO(day, { zone });
  const within = autoFiled(db, staffId, query.state).whereBetween('at', [
    start.toJSDate(),
    new Date(start.plus({ days: 1 }).toMillis() - 1),
  ]);
  const [total, rows] = await Promise.all([
    countOf(within.clone()),
    within
      .clone()
      .orderBy('at', 'desc')
      .orderBy('id', 'desc')
      .offset(query.offset)
      .limit(query.limit)
      .select(),
  ]);
  return { day, days, total, rows: await asRows(db, rows) };
}

async function autoFiledByDay(
  db: Knex,
  staffId: number,
  from: DateTime,
  zone: string,
): Promise<AutoFiledPage['days']> {
  const [settled, unconnected] = await Promise.all([
    select(
      readableBy(db, db('message'), staffId)
        .whereNull('decided_by')
        .whereIn('state', ['logged', 'aside'])
        .whereNotIn('reason', [MAILED, UNCONNECTED])
        .where('at', '>=', from.toJSDate())
        .groupByRaw(HOUR),
      {
        hour: db.raw<string>(HOUR),
        logged: db.raw<number>("SUM(state = 'logged')"),
        aside: db.raw<number>("SUM(state = 'aside')"),
      },
    ),
    unconnectedByDay(db, staffId, DAYS),
  ]);
  const days = new Map(
    unconnected.map(({ day, count }) => [day, { day, logged: 0, aside: 0, unconnected: count }]),
  );
  for (const row of settled) {
    const day = DateTime.fromISO(row.hour, { zone }).toISODate() ?? '';
    const sum = days.get(day) ?? { day, logged: 0, aside: 0, unconnected: 0 };
    sum.logged += Number(row.logged);
    sum.aside += Number(row.aside);
    days.set(day, sum);
  }
  return [...days.values()].sort((a, b) => b.day.localeCompare(a.day));
}

/** How much was set aside because nothing connects it with a client, on the latest days that have any. @param most so many days */
export async function unconnectedByDay(
  db: Knex,
  staffId: number,
  most: number,
): Promise<{ day: string; count: number }[]> {
  const { zone } = await readFirm(db);
  // A day of the firm's may be parts of two in UTC, of some twenty hours with mail each.
  const rows = await select(
    autoFiled(db, staffId, UNCONNECTED)
      .groupByRaw(HOUR)
      .orderByRaw(`${HOUR} DESC`)
      .limit((most + 1) * 24),
    { hour: db.raw<string>(HOUR), count: db.raw<number>('COUNT(*)') },
  );
  const days = new Map<string, number>();
  for (const row of rows) {
    const day = DateTime.fromISO(row.hour, { zone }).toISODate() ?? '';
    days.set(day, (days.get(day) ?? 0) + row.count);
  }
  return [...days].slice(0, most).map(([day, count]) => ({ day, count }));
}

type AutoFiledMessage = ListedMessage & { evidence: string };

async function asRows(db: Knex, messages: readonly AutoFiledMessage[]): Promise<AutoFiledRow[]> {
  const rows = await messageRows(db, messages);
  return rows.map((row, index) => ({
    ...row,
    evidence: fromJson('message.evidence', messages[index]?.evidence ?? '[]'),
  }));
}

/**
 * Others that were settled without a person for the same reason as this one was: the same kind of evidence,
 * the same place, and a correspondent in common. Offered when one of them turns out wrong.
 */
export async function autoFiledAlike(db: Knex, staffId: number, id: number): Promise<AutoFiledRow[]> {
  const message = await db('message').where({ id }).first('id', 'state', 'reason');
  if (message) await refuseUnlessReadable(db, staffId, message);
  if (!message?.reason) return [];
  // A correction has moved it: what it was before stands in the step.
  const step = await selectFirst(
    db('filing_step_message')
      .join('filing_step', 'filing_step.id', 'filing_step_message.step_id')
      .where({ message_id: id })
      .whereNull('undone_at')
      .orderBy('filing_step.id', 'desc'),
    { before_value: 'filing_step_message.before_value' },
  );
  const before = step ? fromJson('filing_step_message.before_value', step.before_value) : null;
  const state = before?.state ?? message.state;
  const fileIds: number[] =
    before?.fileIds ?? (await db('filing').where({ message_id: id }).pluck('file_id'));
  const firm = await readFirm(db);
  const people: string[] = await db('message_party')
    .where({ message_id: id })
    .whereNotIn('domain', firm.domains)
    .pluck('email_key');
  if (!people.length) return [];
  const alike = db('message_party')
    .join('message', 'message.id', 'message_party.message_id')
    .whereIn('message_party.email_key', people)
    .where('message.state', state)
    .where('message.reason', message.reason)
    .whereNull('message.decided_by')
    .whereNot('message.id', id);
  if (fileIds.length)
    alike.whereExists((query) =>
      query
        .select(db.raw('1'))
        .from('filing')
        .whereRaw('filing.message_id = message.id')
        .whereIn('filing.file_id', fileIds),
    );
  const rows = await readableBy(db, alike, staffId)
    .distinct('message.*')
    .orderBy('message.at', 'desc')
    .limit(100);
  return asRows(db, rows);
}
