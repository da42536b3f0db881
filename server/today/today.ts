import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import { shownName } from '../../core/address/address.ts';
import type { StaffMember, Today } from '../../contract/index.ts';
import { readFirm } from '../foundation/firm.ts';
import type { Candidate } from '../../core/filing/types.ts';
import { filesByIds } from '../records/files.ts';
import { readableBy } from '../correspondence/access.ts';
import { waitingNow } from '../filing/sorting.ts';
import { owing, owingCounts } from '../correspondence/owing.ts';
import { mailboxStatuses } from '../mailbox/accounts/status.ts';
import { RETURNED_DAYS, returnedReports } from './returned.ts';
import { listMailings } from '../mailing/mailings.ts';

const DAYS = 14;
const LATEST = 6;

/** Everything on the first screen. */
export async function readToday(db: Knex, staff: StaffMember): Promise<Today> {
  const { zone } = await readFirm(db);
  const midnight = DateTime.now().setZone(zone).startOf('day');
  const from = midnight.minus({ days: DAYS - 1 });
  const [unsorted, returned, held, unreadable, uncertain, mailboxes, mailings, days, latest, owed, oldest] =
    await Promise.all([
      waitingNow(db).count('* as count').min('at as oldest').first(),
      readableBy(db, returnedReports(db), staff.id).count('* as count').first(),
      db('return_report').where({ state: 'held' }).countDistinct('email_key as count').first(),
      readableBy(db, db('message').whereNotNull('problem'), staff.id)
        .where('state', 'suggested')
        .count('* as count')
        .first(),
      db('dispatch').where({ state: 'uncertain' }).count('* as count').first(),
      mailboxStatuses(db, staff),
      listMailings(db, 0, 5),
      mailByDay(db, from, zone),
      latestMessages(db),
      owingCounts(db),
      owing(db, { who: 'we', limit: 3 }),
    ]);
  const today = days.at(-1);
  return {
    unsorted: { count: Number(unsorted?.count ?? 0), oldest: unsorted?.oldest?.toISOString() ?? null },
    returned: { count: Number(returned?.count ?? 0), words: `in the last ${RETURNED_DAYS} days` },
    held: Number(held?.count ?? 0),
    unreadable: Number(unreadable?.count ?? 0),
    uncertain: Number(uncertain?.count ?? 0),
    owing: { ...owed, oldest },
    failing: mailboxes.filter((mailbox) => mailbox.state === 'failing'),
    mailboxes,
    today: { messages: (today?.received ?? 0) + (today?.sent ?? 0), filedAlone: today?.alone ?? 0 },
    mailings: mailings.filter((mailing) => !['finished', 'cancelled'].includes(mailing.state)),
    days,
    latest,
  };
}

/** Mail in and out by day of the firm's zone, and how much of the client mail was filed without help. */
async function mailByDay(db: Knex, from: DateTime, zone: string): Promise<Today['days']> {
  const rows: { hour: string; received: number; sent: number; alone: number; by_hand: number }[] = await db(
    'message',
  )
    .where('at', '>=', from.toJSDate())
    .groupByRaw("DATE_FORMAT(at, '%Y-%m-%dT%H:00:00Z')")
    .select(db.raw("DATE_FORMAT(at, '%Y-%m-%dT%H:00:00Z') AS hour"))
    .select(db.raw("SUM(direction = 'received') AS received, SUM(direction <> 'received') AS sent"))
    .select(
      db.raw(
        "SUM(state = 'logged' AND decided_by IS NULL) AS alone, SUM(state = 'suggested' OR (state = 'logged' AND decided_by IS NOT NULL)) AS by_hand",
      ),
    );
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
  const rows = await db('message')
    .where({ direction: 'received' })
    .whereIn('state', ['logged', 'suggested'])
    .orderBy('at', 'desc')
    .limit(LATEST)
    .select('id', 'at', 'from_name', 'from_address', 'subject', 'state', 'candidates')
    .select(
      db('filing')
        .join('file', 'file.id', 'filing.file_id')
        .whereRaw('filing.message_id = message.id')
        .min('file.number')
        .as('number'),
    )
    .select(
      db('filing')
        .join('file', 'file.id', 'filing.file_id')
        .whereRaw('filing.message_id = message.id')
        .min('file.client_id')
        .as('client_id'),
    );
  const firsts = rows.map((row) => (JSON.parse(row.candidates) as Candidate[])[0]?.fileId ?? 0);
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
