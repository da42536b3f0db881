import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import { shownName } from '../../core/address/address.ts';
import { dayWords } from '../../core/office/day.ts';
import {
  anniversariesOn,
  isDayOfMonth,
  mornings,
  shifted,
  type OrderCalendar,
} from '../../core/orders/days.ts';
import type { When } from '../../core/orders/order.ts';
import { groupBy, select } from '../foundation/rows.ts';
import type { Occasion } from './whom.ts';

/** What time brings about between two moments, the first not included. */
export interface Span {
  from: DateTime;
  to: DateTime;
}

const NOBODY = {
  ...{ fileId: null, personId: null, messageId: null, byCourse: null },
  ...{ feeNoteId: null, dispatchId: null, timelineId: null, wantedId: null },
};

type Timed = Extract<
  When,
  {
    on:
      | 'day'
      | 'month'
      | 'mailing unanswered'
      | 'mailing unopened'
      | 'answer owed'
      | 'wanted'
      | 'fee note due'
      | 'fee note overdue'
      | 'meeting over';
  }
>;
type Of<On extends Timed['on']> = Extract<Timed, { on: On }>;
interface Asked<W> {
  db: Knex;
  when: W;
  span: Span;
  calendar: OrderCalendar;
  /** No more are read. */
  most: number;
}

/**
 * The occasions that time gives to an order between two moments: each found by an index on its day, so that a look
 * costs what has come due, whatever the register holds.
 */
export function timedOccasions(asked: Asked<When>): Promise<Occasion[]> {
  const { when } = asked;
  switch (when.on) {
    case 'day':
      return dayComes({ ...asked, when });
    case 'month':
      return dayOfMonth({ ...asked, when });
    case 'mailing unanswered':
    case 'mailing unopened':
      return mailingQuiet({ ...asked, when });
    case 'answer owed':
      return answerOwed({ ...asked, when });
    case 'wanted':
      return notCome({ ...asked, when });
    case 'fee note due':
    case 'fee note overdue':
      return feeNotes({ ...asked, when });
    case 'meeting over':
      return meetingOver({ ...asked, when });
    default:
      return Promise.resolve([]);
  }
}

const morningOf = (day: string, zone: string) => DateTime.fromISO(`${day}T06:00`, { zone }).toJSDate();

/** Days of records: those of files are columns, the firm's own are values. */
async function dayComes({ db, when, span, calendar, most }: Asked<Of<'day'>>): Promise<Occasion[]> {
  const found: Occasion[] = [];
  const days = when.side === 'before' ? when.days : -when.days;
  for (const morning of mornings(span.from, span.to, calendar.zone)) {
    const meant = shifted(morning, days);
    const dates = when.yearly ? anniversariesOn(meant) : [meant];
    for (const row of await recordsWithDay(db, when, dates, most - found.length))
      found.push({
        ...NOBODY,
        ...row,
        cause: `day ${when.of} ${row.id}${row.also} ${meant}`,
        at: morningOf(morning, calendar.zone),
        why: `${row.name}: ${dayWords(meant)}`,
      });
    if (found.length >= most) break;
  }
  return found;
}

interface Dated {
  id: number;
  name: string;
  clientId: number;
  fileId: number | null;
  personId: number | null;
  also: string;
}

async function recordsWithDay(
  db: Knex,
  { of, fact }: Of<'day'>,
  dates: readonly string[],
  most: number,
): Promise<Dated[]> {
  const column = of === 'file' && (fact === 'opened' || fact === 'closed') ? fact : null;
  const fieldId = Number(/^field:(\d+)$/.exec(fact)?.[1] ?? 0);
  const values = db(`${of}_field_value` as 'client_field_value')
    .where({ field_id: fieldId })
    .whereIn('date_value', [...dates])
    .limit(most);
  if (of === 'client') {
    const rows = await select(values.join('client', 'client.id', 'client_field_value.client_id'), {
      id: 'client.id',
      name: 'client.name',
    });
    return rows.map((row) => ({ ...row, clientId: row.id, fileId: null, personId: null, also: '' }));
  }
  if (of === 'file') {
    const files = column
      ? db('file')
          .whereIn(`file.${column}`, [...dates])
          .where({ general: 0 })
          .limit(most)
      : (values as Knex.QueryBuilder).join('file', 'file.id', 'file_field_value.file_id');
    const rows = await select(files, {
      ...{ id: 'file.id', number: 'file.number', title: 'file.title', clientId: 'file.client_id' },
    });
    return rows.map(({ id, number, title, clientId }) => ({
      ...{ id, clientId, fileId: id, personId: null, also: '' },
      name: `File ${number}, ${title}`,
    }));
  }
  const people = (values as Knex.QueryBuilder)
    .join('person', 'person.id', 'person_field_value.person_id')
    .join('client_person', 'client_person.person_id', 'person.id');
  const rows = await select(people, {
    ...{
      id: 'person.id',
      first: 'person.first_name',
      last: 'person.last_name',
      clientId: 'client_person.client_id',
    },
  });
  return rows.map(({ id, first, last, clientId }) => ({
    ...{ id, clientId, fileId: null, personId: id, also: ` of ${clientId}` },
    name: `${first} ${last}`.trim(),
  }));
}

/** On a day of the month it is about all clients: whom, its selection says. */
async function dayOfMonth({ db, when, span, calendar, most }: Asked<Of<'month'>>): Promise<Occasion[]> {
  const found: Occasion[] = [];
  for (const morning of mornings(span.from, span.to, calendar.zone)) {
    if (!isDayOfMonth(morning, when.day)) continue;
    const clients = await db('client')
      .whereNot({ status: 'past' })
      .orderBy('id')
      .limit(most - found.length)
      .select('id', 'name');
    for (const { id, name } of clients)
      found.push({
        ...NOBODY,
        clientId: id,
        cause: `month ${id} ${morning}`,
        at: morningOf(morning, calendar.zone),
        why: `${name}: ${dayWords(morning)}`,
      });
  }
  return found;
}

async function mailingQuiet({
  db,
  when,
  span,
  most,
}: Asked<Of<'mailing unanswered' | 'mailing unopened'>>): Promise<Occasion[]> {
  const quiet = when.on === 'mailing unanswered' ? 'answered_message_id' : 'opened_at';
  const days = { days: when.days };
  const rows = await select(
    db('dispatch')
      .join('mailing', 'mailing.id', 'dispatch.mailing_id')
      .where('dispatch.sent_at', '>', span.from.minus(days).toJSDate())
      .where('dispatch.sent_at', '<=', span.to.minus(days).toJSDate())
      .where('dispatch.state', 'sent')
      .whereNotNull('dispatch.client_id')
      .whereNull(`dispatch.${quiet}`)
      .modify((all) => (quiet === 'opened_at' ? all : void all.whereNull('dispatch.answered_text_id')))
      .modify((all) => (when.mailingId === null ? all : void all.where('mailing.id', when.mailingId)))
      .orderBy('dispatch.sent_at')
      .limit(most),
    {
      id: 'dispatch.id',
      clientId: 'dispatch.client_id',
      personId: 'dispatch.person_id',
      fileId: 'dispatch.file_id',
      to: 'dispatch.to_name',
      sentAt: 'dispatch.sent_at',
      name: 'mailing.name',
    },
  );
  return rows.map(({ id, clientId, personId, fileId, to, sentAt, name }) => ({
    ...NOBODY,
    ...{ clientId: clientId ?? 0, personId, fileId, dispatchId: id },
    cause: `quiet ${id}`,
    at: new Date((sentAt?.getTime() ?? 0) + when.days * 24 * 3600_000),
    why: `“${name}” to ${to}: nothing for ${when.days} ${when.days === 1 ? 'day' : 'days'}`,
  }));
}

/** Messages that asked for something and had no word of ours in their conversation within so many days. */
async function answerOwed({ db, when, span, most }: Asked<Of<'answer owed'>>): Promise<Occasion[]> {
  const days = { days: when.days };
  const rows = await select(
    db('message')
      .join('filing', 'filing.message_id', 'message.id')
      .where('message.at', '>', span.from.minus(days).toJSDate())
      .where('message.at', '<=', span.to.minus(days).toJSDate())
      .where('message.direction', 'received')
      .where('message.asks', 1)
      .where('message.state', 'logged')
      .whereNotExists(
        db({ answer: 'message' })
          .whereRaw('answer.conversation_id = message.conversation_id AND answer.at > message.at')
          .whereRaw('answer.at <= message.at + INTERVAL ? DAY', [when.days])
          .whereRaw("answer.direction = 'sent'"),
      )
      .orderBy('message.at')
      .limit(most),
    {
      id: 'message.id',
      at: 'message.at',
      subject: 'message.subject',
      from_name: 'message.from_name',
      address: 'message.from_address',
      clientId: 'filing.client_id',
      fileId: 'filing.file_id',
    },
  );
  return rows.map(({ id, at, subject, from_name, address, clientId, fileId }) => ({
    ...NOBODY,
    ...{ clientId, fileId, messageId: id },
    cause: `owed ${id} ${clientId}`,
    at: new Date(at.getTime() + when.days * 24 * 3600_000),
    why: `“${subject || 'no subject'}” from ${shownName(from_name, address)} waits for an answer`,
  }));
}

/** What was asked for on a page, for each person and file once: they are reminded of all that has not come. */
async function notCome({ db, when, span, most }: Asked<Of<'wanted'>>): Promise<Occasion[]> {
  const days = { days: when.days };
  const rows = await select(
    db('collection_wanted')
      .join('collection_page', 'collection_page.id', 'collection_wanted.page_id')
      .where('collection_wanted.asked_at', '>', span.from.minus(days).toJSDate())
      .where('collection_wanted.asked_at', '<=', span.to.minus(days).toJSDate())
      // What came within its days was not missing.
      .where((open) =>
        open
          .whereNull('collection_wanted.came_at')
          .orWhereRaw('collection_wanted.came_at > collection_wanted.asked_at + INTERVAL ? DAY', [when.days]),
      )
      .whereNull('collection_wanted.closed_at')
      .orderBy('collection_wanted.id')
      .limit(most),
    {
      id: 'collection_wanted.id',
      name: 'collection_wanted.name',
      askedAt: 'collection_wanted.asked_at',
      fileId: 'collection_wanted.file_id',
      clientId: 'collection_page.client_id',
      personId: 'collection_page.person_id',
    },
  );
  const together = groupBy(rows, (row) => `${row.personId} ${row.fileId} ${row.askedAt.getTime()}`);
  return [...together.values()].flatMap(([first, ...others]) => {
    if (!first) return [];
    const { id, name, askedAt, ...whose } = first;
    return {
      ...NOBODY,
      ...whose,
      wantedId: id,
      cause: `wanted ${id}`,
      at: new Date(askedAt.getTime() + when.days * 24 * 3600_000),
      why: `Asked for and not come: “${name}”${others.length ? ` and ${others.length} more` : ''}`,
    };
  });
}

async function feeNotes({
  db,
  when,
  span,
  calendar,
  most,
}: Asked<Of<'fee note due' | 'fee note overdue'>>): Promise<Occasion[]> {
  const days = when.on === 'fee note due' ? when.days : -when.days;
  const all = mornings(span.from, span.to, calendar.zone);
  const [first, last] = [all[0], all.at(-1)];
  if (!first || !last) return [];
  const rows = await db('fee_note')
    .where('due_on', '>=', shifted(first, days))
    .where('due_on', '<=', shifted(last, days))
    // What was paid by its morning was not open any more.
    .where((open) => open.whereNull('paid_on').orWhereRaw('paid_on > due_on - INTERVAL ? DAY', [days]))
    .orderBy(['due_on', 'id'])
    .limit(most)
    .select('id', 'client_id', 'file_id', 'number', 'due_on');
  return rows.map(({ id, client_id, file_id, number, due_on }) => ({
    ...NOBODY,
    ...{ clientId: client_id, fileId: file_id, feeNoteId: id },
    cause: `${when.on} ${id} ${due_on}`,
    at: morningOf(shifted(due_on, -days), calendar.zone),
    why: `Fee note ${number}, due on ${dayWords(due_on)}`,
  }));
}

/** Meetings end by their own time; without one they are over an hour after they began. */
async function meetingOver({ db, span, most }: Asked<Of<'meeting over'>>): Promise<Occasion[]> {
  const ends = 'COALESCE(timeline.ends_at, timeline.at + INTERVAL 1 HOUR)';
  const rows = await select(
    db('timeline')
      .where({ kind: 'meeting' })
      .whereNot({ state: 'off' })
      .whereNull('gone_at')
      // A meeting lasts three days at most, so that it is found by when it began.
      .where('at', '>', span.from.minus({ days: 3 }).toJSDate())
      .where('at', '<=', span.to.toJSDate())
      .whereRaw(`${ends} > ? AND ${ends} <= ?`, [span.from.toJSDate(), span.to.toJSDate()])
      .orderBy('at')
      .limit(most),
    {
      id: 'timeline.id',
      clientId: 'timeline.client_id',
      fileId: 'timeline.file_id',
      words: 'timeline.words',
      ends: db.raw<Date>(ends),
    },
  );
  return rows.map(({ id, clientId, fileId, words, ends: at }) => ({
    ...NOBODY,
    ...{ clientId, fileId, timelineId: id },
    cause: `meeting ${id}`,
    at: new Date(at),
    why: `The meeting “${words.split('\n')[0]?.slice(0, 80) ?? ''}” is over`,
  }));
}
