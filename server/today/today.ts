import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { ReturnedPage, Today } from '../../contract/index.ts';
import { addressKey } from '../../core/address/address.ts';
import { returnWords } from '../../core/delivery/report.ts';
import { readMessage } from '../../core/message/read.ts';
import { hashOf, readRaw } from '../database/raw.ts';
import { readFirm } from '../database/settings.ts';
import type { Candidate } from '../../core/filing/types.ts';
import { filesByIds } from '../register/files.ts';
import { waitingNow } from '../filing/sorting.ts';
import { owing, owingCounts } from '../mailbox/owing.ts';
import { mailboxStatuses } from '../mailbox/status.ts';
import { listMailings } from '../mailing/mailings.ts';

const DAYS = 14;
/** Returned messages of this long ago are still worth mending. */
const RETURNED_DAYS = 60;
const LATEST = 6;

/** Everything on the first screen. */
export async function readToday(db: Knex): Promise<Today> {
  const { zone } = await readFirm(db);
  const midnight = DateTime.now().setZone(zone).startOf('day');
  const from = midnight.minus({ days: DAYS - 1 });
  const [unsorted, returned, uncertain, mailboxes, mailings, days, latest, owed, oldest] = await Promise.all([
    waitingNow(db).count('* as count').min('at as oldest').first(),
    returnedReports(db).count('* as count').first(),
    db('dispatch').where({ state: 'uncertain' }).count('* as count').first(),
    mailboxStatuses(db),
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
    words: `${row.from_name || row.from_address}: ${row.subject}`,
    state: row.state,
    number: row.number ?? suggested.get(firsts[index] ?? 0)?.number ?? null,
    clientId: row.client_id,
  }));
}

function returnedReports(db: Knex) {
  return db('message')
    .where({ automatic: 'report' })
    .where('at', '>', new Date(Date.now() - RETURNED_DAYS * 24 * 3600_000));
}

/** Delivery reports of late, each with the address that failed, why, and whose it is. */
export async function listReturned(db: Knex, offset: number, limit: number): Promise<ReturnedPage> {
  const [total, rows] = await Promise.all([
    returnedReports(db).count('* as count').first(),
    returnedReports(db)
      .orderBy('at', 'desc')
      .offset(offset)
      .limit(limit)
      .select('id', 'at', 'raw_hash') as Promise<{ id: number; at: Date; raw_hash: Buffer }[]>,
  ]);
  return {
    total: Number(total?.count ?? 0),
    rows: await Promise.all(
      rows.map(async (row) => {
        const { report } = await readMessage(await readRaw(db, row.raw_hash));
        const recipient = report?.recipients[0];
        const client = recipient
          ? await db('address')
              .join('client_person', 'client_person.person_id', 'address.person_id')
              .join('client', 'client.id', 'client_person.client_id')
              .where({ email_key: addressKey(recipient.address) })
              .first('client.id', 'client.name')
          : undefined;
        const original = report?.originalMessageId
          ? await db('message')
              .where({ message_key: hashOf(report.originalMessageId) })
              .first('subject')
          : undefined;
        return {
          messageId: row.id,
          at: row.at.toISOString(),
          address: recipient?.address ?? 'an address that was not named',
          why: returnWords(recipient?.status ?? ''),
          client: client ? { id: client.id, name: client.name } : null,
          subject: original?.subject ?? '',
        };
      }),
    ),
  };
}
