import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { z } from 'zod';
import {
  Fared,
  type Answers,
  type DispatchPage,
  type DispatchQuery,
  type MailingResults,
  type Page,
} from '../../contract/index.ts';
import { shownName } from '../../core/address/address.ts';
import { linksOf } from '../../core/merge/links.ts';
import { readableBy } from '../correspondence/access.ts';
import { noteAudit } from '../foundation/audit.ts';
import { CSV_MARK, csvLines } from '../foundation/csv.ts';
import { readFirm, webBase } from '../foundation/firm.ts';
import { fromJson } from '../foundation/json.ts';
import { countOf, select } from '../foundation/rows.ts';
import { readRecord } from './mailings.ts';

/** Which rows of `dispatch` each is. Whoever has not had it has neither opened nor answered it. */
const FARED: Record<Fared, string> = {
  all: 'TRUE',
  waiting: "dispatch.state IN ('waiting', 'going', 'delayed')",
  sent: "dispatch.state = 'sent'",
  returned: "dispatch.state = 'returned'",
  uncertain: "dispatch.state = 'uncertain'",
  answered: 'COALESCE(dispatch.answered_message_id, dispatch.answered_text_id) IS NOT NULL',
  silent:
    "dispatch.state = 'sent' AND dispatch.answered_message_id IS NULL AND dispatch.answered_text_id IS NULL",
  opened: 'dispatch.opened_at IS NOT NULL',
  unopened: "dispatch.state = 'sent' AND dispatch.opened_at IS NULL",
  followed: 'dispatch.followed_at IS NOT NULL',
  'opted out': 'dispatch.opted_out_at IS NOT NULL',
  cancelled: "dispatch.state = 'cancelled'",
};

/** Those that need a person come first. */
const IN_ORDER =
  "FIELD(dispatch.state, 'uncertain', 'returned', 'delayed', 'going', 'waiting', 'sent', 'cancelled'), dispatch.answered_message_id IS NULL, client.name, dispatch.id";

function copies(db: Knex, id: number, fared: Fared) {
  return db('dispatch')
    .leftJoin('client', 'client.id', 'dispatch.client_id')
    .join('mailbox', 'mailbox.id', 'dispatch.mailbox_id')
    .join('staff', 'staff.id', 'mailbox.staff_id')
    .where('dispatch.mailing_id', id)
    .whereRaw(FARED[fared]);
}

const COPY = {
  id: 'dispatch.id',
  client_id: 'client.id?',
  client: 'client.name?',
  to_name: 'dispatch.to_name',
  to_address: 'dispatch.to_address',
  sender: 'staff.name',
  state: 'dispatch.state',
  sent_at: 'dispatch.sent_at',
  next_at: 'dispatch.next_at',
  answer: 'dispatch.answer',
  answered_message_id: 'dispatch.answered_message_id',
  answered_text_id: 'dispatch.answered_text_id',
  opened_at: 'dispatch.opened_at',
  followed_at: 'dispatch.followed_at',
  opted_out_at: 'dispatch.opted_out_at',
  logged_message_id: 'dispatch.logged_message_id',
} as const;

/** One page of a mailing's copies that fared so. */
export async function listDispatch(
  db: Knex,
  id: number,
  { fared, offset, limit }: z.infer<typeof DispatchQuery>,
): Promise<DispatchPage> {
  const [total, rows] = await Promise.all([
    countOf(db('dispatch').where({ mailing_id: id }).whereRaw(FARED[fared])),
    select(copies(db, id, fared).orderByRaw(IN_ORDER).offset(offset).limit(limit), COPY),
  ]);
  return {
    total,
    rows: rows.map((row) => ({
      id: row.id,
      clientId: row.client_id,
      client: row.client ?? row.to_name,
      address: row.to_address,
      from: row.sender,
      state: row.state,
      at: (row.sent_at ?? (row.state === 'cancelled' ? null : row.next_at))?.toISOString() ?? null,
      answer: row.answer,
      answered: row.answered_message_id !== null || row.answered_text_id !== null,
      openedAt: row.opened_at?.toISOString() ?? null,
      followed: row.followed_at !== null,
      optedOut: row.opted_out_at !== null,
      messageId: row.logged_message_id,
    })),
  };
}

/** What became of a mailing: how many fared how, which links were followed, and when. */
export async function readResults(db: Knex, id: number): Promise<MailingResults> {
  const record = await readRecord(db, id);
  const firm = await readFirm(db);
  const own = () => db('dispatch').where({ mailing_id: id });
  const [counted, links, overTime] = await Promise.all([
    own().first(
      Fared.options.map((fared) => db.raw('COALESCE(SUM(?), 0) AS ??', [db.raw(FARED[fared]), fared])),
    ) as Promise<Record<Fared, number>>,
    followedLinks(db, id, record.body),
    readOverTime(db, id, firm.zone),
  ]);
  return {
    counts: Object.fromEntries(
      Fared.options.map((fared) => [fared, Number(counted[fared])]),
    ) as MailingResults['counts'],
    // Nobody is told that a text message was opened.
    counted: record.counted === 1 && record.channel === 'email' && firm.counting && webBase(firm) !== '',
    links,
    overTime,
  };
}

async function followedLinks(db: Knex, id: number, body: string): Promise<MailingResults['links']> {
  const rows = await select(
    db('link_followed')
      .join('dispatch', 'dispatch.id', 'link_followed.dispatch_id')
      .where('dispatch.mailing_id', id)
      .groupBy('link_followed.position'),
    {
      position: 'link_followed.position',
      people: db.raw<number>('COUNT(*)'),
      times: db.raw<number>('SUM(link_followed.times)'),
    },
  );
  const followed = new Map(rows.map((row) => [row.position, row]));
  return linksOf(fromJson('mailing.body', body)).map(({ words, href }, position) => ({
    words,
    href,
    people: Number(followed.get(position)?.people ?? 0),
    times: Number(followed.get(position)?.times ?? 0),
  }));
}

type Overall = MailingResults['overTime'];
/** Longer than so many stretches of one unit is shown in the next longer one. */
const MOST = { hour: 72, day: 92, week: 200 };
const HOUR = 3600_000;

/** When copies were sent, opened and answered: counted by the hour, then laid together as the firm's clock has it. */
async function readOverTime(db: Knex, id: number, zone: string): Promise<Overall> {
  const by = (time: string) => db.raw<number>(`TIMESTAMPDIFF(HOUR, '1970-01-01', ${time})`);
  const count = async (time: 'dispatch.sent_at' | 'dispatch.opened_at' | 'message.at') => {
    const rows = db('dispatch').where({ mailing_id: id }).whereNotNull(time).groupBy('hour');
    if (time === 'message.at') rows.join('message', 'message.id', 'dispatch.answered_message_id');
    return select(rows, { hour: by(time), count: db.raw<number>('COUNT(*)') });
  };
  const [sent, opened, answered] = await Promise.all([
    count('dispatch.sent_at'),
    count('dispatch.opened_at'),
    count('message.at'),
  ]);
  const hours = [...sent, ...opened, ...answered].map(({ hour }) => Number(hour));
  if (!hours.length) return { unit: 'hour', points: [] };
  const first = DateTime.fromMillis(Math.min(...hours) * HOUR, { zone });
  const last = DateTime.fromMillis(Math.max(...hours) * HOUR, { zone });
  const unit =
    (['hour', 'day'] as const).find((each) => last.diff(first, each).as(each) < MOST[each]) ?? 'week';
  const points: Overall['points'] = [];
  const place = new Map<string, Overall['points'][number]>();
  const keyOf = (at: DateTime) => at.startOf(unit).toUTC().toISO() ?? '';
  for (
    let at = first.startOf(unit);
    at <= last && points.length < MOST[unit] + 2;
    at = at.plus({ [unit]: 1 })
  ) {
    const point = { at: keyOf(at), sent: 0, opened: 0, answered: 0 };
    points.push(point);
    place.set(point.at, point);
  }
  const add = (rows: { hour: number; count: number }[], what: 'sent' | 'opened' | 'answered') => {
    for (const { hour, count: times } of rows) {
      const point = place.get(keyOf(DateTime.fromMillis(Number(hour) * HOUR, { zone })));
      if (point) point[what] += Number(times);
    }
  };
  add(sent, 'sent');
  add(opened, 'opened');
  add(answered, 'answered');
  return { unit, points };
}

/** A page of the answers to a mailing that a person may read: those that still wait for us first, then the newest. */
export async function listAnswers(
  db: Knex,
  staffId: number,
  id: number,
  { offset, limit }: z.infer<typeof Page>,
): Promise<Answers> {
  const answered = (): Knex.QueryBuilder =>
    db
      .from<object>('dispatch')
      .join('message', 'message.id', 'dispatch.answered_message_id')
      .where('dispatch.mailing_id', id);
  const readable = () => readableBy(db, answered(), staffId);
  const owed = db.raw<number>(
    "EXISTS (SELECT 1 FROM message w WHERE w.conversation_id = message.conversation_id AND w.waits = 'we')",
  );
  const page = readable()
    .leftJoin('client', 'client.id', 'dispatch.client_id')
    .orderBy([
      { column: 'we_owe', order: 'desc' },
      { column: 'message.at', order: 'desc' },
      { column: 'message.id', order: 'desc' },
    ])
    .offset(offset)
    .limit(limit);
  const [all, total, rows] = await Promise.all([
    countOf(answered()),
    countOf(readable()),
    select(page, {
      id: 'dispatch.id',
      message_id: 'message.id',
      client_id: 'client.id?',
      client: 'client.name?',
      from_name: 'message.from_name',
      from_address: 'message.from_address',
      at: 'message.at',
      snippet: 'message.snippet',
      we_owe: owed,
    }),
  ]);
  return {
    total,
    hidden: all - total,
    rows: rows.map((row) => ({
      dispatchId: row.id,
      messageId: row.message_id,
      clientId: row.client_id,
      client: row.client ?? '',
      from: shownName(row.from_name, row.from_address),
      at: row.at.toISOString(),
      words: row.snippet,
      weOwe: Boolean(row.we_owe),
    })),
  };
}

/** Copies are read so many at a time. */
const CHUNK = 2000;

/** How each copy fared, as a file for spreadsheets; who took it out is noted. */
export async function resultsAsCsv(
  db: Knex,
  staffId: number,
  id: number,
): Promise<{ filename: string; text: string }> {
  const record = await readRecord(db, id);
  const { zone } = await readFirm(db);
  const time = (at: Date | null) =>
    at ? DateTime.fromJSDate(at, { zone }).toFormat('yyyy-MM-dd HH:mm') : '';
  const head = [
    'Client',
    'Name',
    'Address',
    'From',
    'State',
    'Sent',
    'Opened',
    'Link followed',
    'Answered',
    'Opted out',
    'What their server said',
  ];
  let text = CSV_MARK + csvLines([head]);
  let count = 0;
  for (let offset = 0; ; offset += CHUNK) {
    const rows = await select(copies(db, id, 'all').orderByRaw(IN_ORDER).offset(offset).limit(CHUNK), COPY);
    if (rows.length)
      text += csvLines(
        rows.map((row) => [
          row.client ?? '',
          row.to_name,
          row.to_address,
          row.sender,
          row.state,
          time(row.sent_at),
          time(row.opened_at),
          time(row.followed_at),
          row.answered_message_id === null && row.answered_text_id === null ? '' : 'yes',
          time(row.opted_out_at),
          row.answer ?? '',
        ]),
      );
    count += rows.length;
    if (rows.length < CHUNK) break;
  }
  await noteAudit(db, {
    staffId,
    action: 'results taken out',
    subject: 'mailing',
    id,
    after: { copies: count },
  });
  return { filename: `${record.name}.csv`, text };
}
