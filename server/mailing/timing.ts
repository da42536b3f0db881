import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { Timing, TimingPlan } from '../../contract/index.ts';
import {
  busiestHour,
  isOpen,
  layOut,
  momentOf,
  NeverDone,
  type Layout,
  type OfficeCalendar,
} from '../../core/pace/pace.ts';
import { readAllowed } from '../dispatch/allowance.ts';
import type { AppContext } from '../foundation/context.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Transaction } from '../foundation/database.ts';
import { readFirm, type Firm } from '../foundation/firm.ts';
import { fromJson, toJson } from '../foundation/json.ts';
import { Refusal } from '../foundation/refusal.ts';
import { select } from '../foundation/rows.ts';
import type { StaffMember } from '../../contract/index.ts';
import { tickedRecipients } from './recipients.ts';
import { draftOf, readRecord } from './mailings.ts';

/** Answers are reckoned from so many mailings, the latest that have had their time to be answered. */
const PAST_MAILINGS = 8;
/** Before so many days have passed, most answers are still to come. */
const ANSWERING_DAYS = 2;
const DAY = 24 * 3600_000;
/** Days and batches of a day shown of a plan; what is more is counted. */
const SHOWN_DAYS = 120;
const SHOWN_BATCHES = 60;
/** Times are written in statements of so many rows. */
const CHUNK = 500;
/** What is paced and waits this long after its time, in milliseconds, is laid out anew: else it would leave all at once. */
const LATE = 90_000;

/** The firm's zone and holidays. */
export async function officeCalendar(
  db: Knex,
): Promise<OfficeCalendar & { names: Map<string, string>; hours: Firm['hours'] }> {
  const { zone, holidays, hours } = await readFirm(db);
  return {
    zone,
    holidays: new Set(holidays.map(({ day }) => day)),
    hours,
    names: new Map(holidays.map(({ day, name }) => [day, name])),
  };
}

/** How many of 100 messages of this firm's latest mailings were answered, and how many of 100 answers came within a day. */
export async function pastAnswers(db: Knex): Promise<TimingPlan['past']> {
  const ids: number[] = await db('mailing')
    .where({ state: 'finished' })
    .where('finished_at', '<', new Date(Date.now() - ANSWERING_DAYS * DAY))
    .orderBy('finished_at', 'desc')
    .limit(PAST_MAILINGS)
    .pluck('id');
  if (!ids.length) return { mailings: 0, answersIn100: 0, withinDayIn100: 0 };
  const [row] = await select(
    db('dispatch')
      .leftJoin('message', 'message.id', 'dispatch.answered_message_id')
      .whereIn('dispatch.mailing_id', ids)
      .where('dispatch.state', 'sent'),
    {
      sent: db.raw<number>('COUNT(*)'),
      answered: db.raw<number>('COUNT(message.id)'),
      soon: db.raw<number>('COALESCE(SUM(message.at < dispatch.sent_at + INTERVAL 1 DAY), 0)'),
    },
  );
  const [sent, answered, soon] = [Number(row?.sent), Number(row?.answered), Number(row?.soon)];
  return {
    mailings: ids.length,
    answersIn100: sent ? (100 * answered) / sent : 0,
    withinDayIn100: answered ? (100 * soon) / answered : 0,
  };
}

/**
 * When each message leaves.
 * @param mailboxes of each message, in the order in which they are to leave
 * @throws Refusal when it would never end
 */
export async function layOutFor(
  { config }: AppContext,
  db: Knex | Transaction,
  timing: Timing,
  mailboxes: readonly number[],
  begin: number,
): Promise<Layout> {
  const [calendar, allowed, past] = await Promise.all([
    officeCalendar(db),
    readAllowed(db, config.sendGap),
    timing.answers === null ? null : pastAnswers(db),
  ]);
  try {
    return layOut(
      timing,
      { mailboxes, gap: (id) => allowed.gap(id), answersIn100: past?.answersIn100 ?? 0 },
      calendar,
      begin,
    );
  } catch (error) {
    if (!(error instanceof NeverDone)) throw error;
    throw new Refusal(400, `${error.message} Let more of them leave at one time, or on more days.`);
  }
}

/** The mailboxes of what a mailing sends: as it is written, or what still waits of it. */
async function mailboxesOf(db: Knex, id: number): Promise<number[]> {
  const record = await readRecord(db, id);
  if (record.state === 'draft' || record.state === 'ready')
    return (await tickedRecipients(db, draftOf(record), record.owner_id)).map(({ mailboxId }) => mailboxId);
  return waiting(db, id).pluck('mailbox_id');
}

function waiting(db: Knex, id: number) {
  return db('dispatch').where({ mailing_id: id, state: 'waiting' }).orderBy('next_at').orderBy('id');
}

/**
 * Lays a mailing out on the calendar, without changing anything.
 * @throws Refusal when there is none of that number, or it would never end
 */
export async function planTiming(context: AppContext, id: number, timing: Timing): Promise<TimingPlan> {
  const { db } = context;
  const now = Date.now();
  const [mailboxes, calendar, past, allowed] = await Promise.all([
    mailboxesOf(db, id),
    officeCalendar(db),
    pastAnswers(db),
    readAllowed(db, context.config.sendGap),
  ]);
  const { times, batches } = await layOutFor(context, db, timing, mailboxes, now);
  const { zone } = calendar;
  const dayOf = (at: number) => DateTime.fromMillis(at, { zone }).toISODate() ?? '';
  const days = new Map<string, TimingPlan['days'][number]>();
  for (const time of times) {
    const day = dayOf(time);
    const laid = days.get(day) ?? { day, count: 0, batches: [], others: 0 };
    laid.count++;
    days.set(day, laid);
  }
  for (const batch of batches) {
    const laid = days.get(dayOf(batch.at));
    if (laid && laid.batches.length < SHOWN_BATCHES)
      laid.batches.push({
        at: new Date(batch.at).toISOString(),
        until: new Date(batch.until).toISOString(),
        count: batch.count,
      });
  }
  const shown = [...days.values()].sort((a, b) => a.day.localeCompare(b.day)).slice(0, SHOWN_DAYS);
  const first = times.length ? times.reduce((a, b) => Math.min(a, b)) : null;
  const last = times.length ? times.reduce((a, b) => Math.max(a, b)) : null;
  for (const { day, count } of await othersByDay(db, id, zone)) {
    const laid = days.get(day);
    if (laid) laid.others += count;
  }
  const busiest = busiestHour(times, zone);
  const gaps = [...new Set(mailboxes)].map((each) => allowed.gap(each));
  const most = Math.max(0, ...[...days.values()].map(({ count }) => count));
  const holidays = [...calendar.names]
    .filter(
      ([day]) => first !== null && last !== null && day >= dayOf(Math.min(first, now)) && day <= dayOf(last),
    )
    .map(([day, name]) => ({ day, name }))
    .sort((a, b) => a.day.localeCompare(b.day));
  return {
    total: times.length,
    batches: batches.length,
    days: shown,
    dayCount: days.size,
    first: first === null ? null : new Date(first).toISOString(),
    last: last === null ? null : new Date(last).toISOString(),
    busiest: busiest && { at: new Date(busiest.at).toISOString(), count: busiest.count },
    allowedAnHour:
      gaps.some((gap) => !gap) || !gaps.length
        ? null
        : Math.floor(gaps.reduce((sum, gap) => sum + 3_600_000 / gap, 0)),
    answersOnBusiestDay: Math.round((most * past.answersIn100) / 100),
    past,
    holidays,
    office: calendar.hours,
    remarks: remarks(timing, calendar, now, holidays.length),
  };
}

/** What is odd in a timing and can be meant all the same. */
function remarks(timing: Timing, calendar: OfficeCalendar, now: number, holidays: number): string[] {
  const found: string[] = [];
  if (timing.from !== null && momentOf(timing.from, calendar.zone) < now - 60_000)
    found.push('Its first day has passed: it begins as soon as it is released.');
  if (holidays && !timing.holidays) found.push('Some of it leaves on a holiday.');
  if (timing.from !== null && timing.days.length) {
    const { weekday } = DateTime.fromISO(timing.from);
    if (!timing.days.includes(weekday))
      found.push('The first day is none of its days: it begins on the next.');
  }
  return found;
}

/** What waits of other mailings, by day of the firm's zone. */
async function othersByDay(db: Knex, id: number, zone: string): Promise<{ day: string; count: number }[]> {
  const rows = await hours(
    db('dispatch').whereNotNull('mailing_id').whereNot({ mailing_id: id }).where({ state: 'waiting' }),
  );
  const counts = new Map<string, number>();
  for (const { at, count } of rows) {
    const day = DateTime.fromJSDate(at, { zone }).toISODate() ?? '';
    counts.set(day, (counts.get(day) ?? 0) + count);
  }
  return [...counts].map(([day, count]) => ({ day, count }));
}

/** Rows of `dispatch` by hour of UTC, from which days of any zone are made. */
async function hours(rows: Knex.QueryBuilder): Promise<{ at: Date; count: number }[]> {
  const found = await rows
    .groupByRaw("DATE_FORMAT(next_at, '%Y-%m-%d %H:00')")
    .select<{ at: Date; count: number }[]>([
      rows.client.raw('MIN(next_at) AS at') as never,
      rows.client.raw('COUNT(*) AS count') as never,
    ]);
  return found.map(({ at, count }) => ({ at, count: Number(count) }));
}

/**
 * Lays out anew what still waits of a mailing, from now on, in the same order.
 * @throws Refusal when it would never end
 */
export async function relay(
  context: AppContext,
  trx: Transaction,
  id: number,
  timing: Timing,
): Promise<void> {
  const rows = await waiting(trx, id).forUpdate().select('id', 'mailbox_id');
  const { times } = await layOutFor(
    context,
    trx,
    timing,
    rows.map((row) => row.mailbox_id),
    Date.now(),
  );
  for (let at = 0; at < rows.length; at += CHUNK) {
    const some = rows.slice(at, at + CHUNK);
    const cases = some.flatMap((row, index) => [row.id, new Date(times[at + index] ?? 0)]);
    await trx.raw(
      `UPDATE dispatch SET next_at = CASE id ${some.map(() => 'WHEN ? THEN ?').join(' ')} END WHERE id IN (${some.map(() => '?').join(', ')})`,
      [...cases, ...some.map(({ id }) => id)],
    );
  }
}

/**
 * Which of the mailings that are going may send now. What is paced and could not leave at its time, since nobody was
 * there to send it, is laid out anew first.
 */
export async function openNow(context: AppContext): Promise<number[]> {
  const { db } = context;
  const going = await db('mailing').where({ state: 'going' }).select('id', 'timing');
  if (!going.length) return [];
  const calendar = await officeCalendar(db);
  const open: number[] = [];
  for (const { id, timing: kept } of going) {
    const timing = fromJson('mailing.timing', kept);
    if (!isOpen(timing, calendar, Date.now())) continue;
    if (timing.batch || timing.answers !== null) await relayLate(context, id, timing);
    open.push(id);
  }
  return open;
}

async function relayLate(context: AppContext, id: number, timing: Timing): Promise<void> {
  const { db } = context;
  const isLate = async (at: Knex) =>
    (await at('dispatch')
      .where({ mailing_id: id, state: 'waiting' })
      .where('next_at', '<', new Date(Date.now() - LATE))
      .first('id')) !== undefined;
  if (!(await isLate(db))) return;
  await transact(db, async (trx) => {
    const still = await trx('mailing').where({ id, state: 'going' }).forUpdate().first('id');
    // Another process may have done it while this one waited.
    if (still && (await isLate(trx))) await relay(context, trx, id, timing);
  });
}

/**
 * Changes how a mailing, and what follows it in a series, goes while any of it goes; what still waits is laid out anew.
 * @throws Refusal when nothing waits any more, or it would never end
 */
export async function changeTiming(
  context: AppContext,
  staff: StaffMember,
  id: number,
  timing: Timing,
): Promise<void> {
  await transact(context.db, async (trx) => {
    const rows = await trx('mailing')
      .where((all) => all.where({ id }).orWhere({ head_id: id }))
      .forUpdate()
      .select('id', 'state', 'timing');
    const under = rows.filter(({ state }) => state === 'going' || state === 'paused');
    const row = rows.find((each) => each.id === id);
    if (!row || !under.length) throw new Refusal(409, 'The mailing is not on its way any more.');
    const ids = rows.map((each) => each.id);
    await trx('mailing')
      .whereIn('id', ids)
      .update({ timing: toJson('mailing.timing', timing) });
    for (const each of under) await relay(context, trx, each.id, timing);
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'timing changed',
      subject: 'mailing',
      id,
      before: { timing: fromJson('mailing.timing', row.timing) },
      after: { timing },
    });
    await noteChange(trx, 'mailings', 'mailing', ids);
  });
}
