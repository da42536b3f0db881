import { countOf, HOUR, select, selectFirst } from '../foundation/rows.ts';
import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import { shownName } from '../../core/address/address.ts';
import type { StaffMember, Today } from '../../contract/index.ts';
import { may } from '../../contract/rights.ts';
import { countWaiting } from '../collection/office.ts';
import { countTexts } from '../textmessage/ledger.ts';
import { readYesterday } from '../reckoning/view.ts';
import { readFirm } from '../foundation/firm.ts';
import { filesByIds } from '../records/files.ts';
import { readableBy } from '../correspondence/access.ts';
import { waitingNow } from '../filing/sorting.ts';
import { owing, owingCounts } from '../correspondence/owing.ts';
import { mailboxStatuses } from '../mailbox/accounts/status.ts';
import { heldAddresses, RETURNED_DAYS, returnedReports } from './returned.ts';
import { countHeld, countPrepared } from '../orders/prepared.ts';
import { tasksDue } from '../tasks/tasks.ts';
import { listMailings } from '../mailing/mailings.ts';
import { fromJson } from '../foundation/json.ts';

const DAYS = 14;
const LATEST = 6;
const TASKS = 5;

/** Everything on the first screen. */
export async function readToday(db: Knex, staff: StaffMember): Promise<Today> {
  const { zone } = await readFirm(db);
  const midnight = DateTime.now().setZone(zone).startOf('day');
  const from = midnight.minus({ days: DAYS - 1 });
  const [
    unsorted,
    returned,
    held,
    unreadable,
    uncertain,
    mailboxes,
    mailings,
    days,
    latest,
    owed,
    oldest,
    tasks,
    prepared,
    heldOrders,
    texts,
    collection,
    yesterday,
  ] = await Promise.all([
    selectFirst(waitingNow(db), {
      count: db.raw<number>('COUNT(*)'),
      oldest: db.raw<Date | null>('MIN(at)'),
    }),
    countOf(readableBy(db, returnedReports(db), staff.id)),
    heldAddresses(db),
    countOf(readableBy(db, db('message').whereNotNull('problem'), staff.id).where('state', 'suggested')),
    countOf(db('dispatch').where({ state: 'uncertain' })),
    mailboxStatuses(db, staff),
    listMailings(db, 0, 5),
    mailByDay(db, from, zone),
    latestMessages(db),
    owingCounts(db),
    owing(db, { who: 'we', limit: 3 }),
    tasksDue(db, staff.id, midnight.toISODate() ?? '', TASKS),
    countPrepared(db, staff.id),
    countHeld(db),
    countTexts(db),
    countWaiting(db),
    may(staff.role, 'reckon the days') ? readYesterday(db) : null,
  ]);
  const today = days.at(-1);
  return {
    unsorted: { count: unsorted?.count ?? 0, oldest: unsorted?.oldest?.toISOString() ?? null },
    returned: { count: returned, words: `in the last ${RETURNED_DAYS} days` },
    held,
    unreadable,
    uncertain,
    owing: { ...owed, oldest },
    failing: mailboxes.filter((mailbox) => mailbox.state === 'failing'),
    mailboxes,
    today: { messages: (today?.received ?? 0) + (today?.sent ?? 0), filedAlone: today?.alone ?? 0 },
    mailings: mailings.filter(({ goesOn, state }) => goesOn || !['finished', 'cancelled'].includes(state)),
    days,
    latest,
    ...{ tasks, prepared, heldOrders, texts, collection, yesterday },
  };
}

/** Mail in and out by day of the firm's zone, and how much of the client mail was filed without help. */
async function mailByDay(db: Knex, from: DateTime, zone: string): Promise<Today['days']> {
  const rows = await select(db('message').where('at', '>=', from.toJSDate()).groupByRaw(HOUR), {
    hour: db.raw<string>(HOUR),
    received: db.raw<number>("SUM(direction = 'received')"),
    sent: db.raw<number>("SUM(direction <> 'received')"),
    alone: db.raw<number>("SUM(state = 'logged' AND decided_by IS NULL)"),
    by_hand: db.raw<number>("SUM(state = 'suggested' OR (state = 'logged' AND decided_by IS NOT NULL))"),
  });
  const days = new Map(
    Array.from({ length: DAYS }, (_, index) => {
      const day = from.plus({ days: index }).toISODate() ?? '';
      return [day, { day, received: 0, sent: 0, alone: 0, byHand: 0 }];
    }),
  );
  for (const row of rows) {
    const day = days.get(DateTime.fromISO(row.hour, { zone }).toISODate() ?? '');
    if (!day) continue;
    day.received += Number(row.received);
    day.sent += Number(row.sent);
    day.alone += Number(row.alone);
    day.byHand += Number(row.by_hand);
  }
  return [...days.values()];
}

async function latestMessages(db: Knex): Promise<Today['latest']> {
  const newest = db('message')
    .where({ direction: 'received' })
    .whereIn('state', ['logged', 'suggested'])
    .orderBy('at', 'desc')
    .limit(LATEST);
  const ofItsFile = (column: string) =>
    `(SELECT MIN(file.${column}) FROM filing JOIN file ON file.id = filing.file_id WHERE filing.message_id = message.id)`;
  const rows = await select(newest, {
    id: 'message.id',
    at: 'message.at',
    from_name: 'message.from_name',
    from_address: 'message.from_address',
    subject: 'message.subject',
    state: 'message.state',
    candidates: 'message.candidates',
    number: db.raw<string | null>(ofItsFile('number')),
    client_id: db.raw<number | null>(ofItsFile('client_id')),
  });
  const firsts = rows.map((row) => fromJson('message.candidates', row.candidates)[0]?.fileId ?? 0);
  const suggested = await filesByIds(db, firsts);
  return rows.map((row, index) => ({
    id: row.id,
    at: row.at.toISOString(),
    words: `${shownName(row.from_name, row.from_address)}: ${row.subject}`,
    state: row.state,
    number: row.number ?? suggested.get(firsts[index] ?? 0)?.number ?? null,
    clientId: row.client_id,
  }));
}
