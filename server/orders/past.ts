import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import { happeningsOf, type Happening } from '../../core/orders/happening.ts';
import { isTimed, type When } from '../../core/orders/order.ts';
import { select } from '../foundation/rows.ts';
import type { OrderCalendar } from '../../core/orders/days.ts';
import { timedOccasions, type Span } from './timed.ts';
import { occasionsOf, readWhoms, type Happened, type Occasion } from './whom.ts';

/**
 * The occasions that the past would have given to an order, before its selection is asked: read from the records
 * themselves, since what was appended for orders is forgotten when it was heard.
 * @param most no more are read @param says what it waits for, in words
 */
export async function pastOccasions(
  db: Knex,
  when: When,
  says: string,
  span: Span,
  calendar: OrderCalendar,
  most: number,
): Promise<Occasion[]> {
  if (isTimed(when)) return timedOccasions({ db, when, span, calendar, most });
  const happened = await happenedBetween(db, when, span, calendar, most);
  return occasionsOf(when, says, happened, await readWhoms(db, happened));
}

const seen = (happening: Happening, at: Date, happeningId: number | null = null): Happened => ({
  ...happening,
  ...{ at, happeningId, byCourse: null },
});
const plain = (kind: Happening['kind'], subject: Happening['subject'], id: number): Happening => ({
  ...{ kind, subject, id, fact: null, value: null },
});

async function happenedBetween(
  db: Knex,
  when: When,
  span: Span,
  { zone }: OrderCalendar,
  most: number,
): Promise<Happened[]> {
  const [from, to] = [span.from.toJSDate(), span.to.toJSDate()];
  const days = [span.from, span.to].map((at) => at.setZone(zone).toISODate() ?? '') as [string, string];
  const noon = (day: string) => DateTime.fromISO(`${day}T12:00`, { zone }).toJSDate();
  const dated = async (table: 'file' | 'fee_note', column: string): Promise<Happened[]> => {
    const rows = (await db(table as 'file')
      .whereBetween(column, days)
      .modify((all) => (table === 'file' ? void all.where({ general: 0 }) : all))
      .orderBy(column, 'desc')
      .limit(most)
      .select('id', { day: column })) as { id: number; day: string }[];
    const subject = table === 'file' ? 'file' : 'fee note';
    return rows.map(({ id, day }) => seen(plain(when.on as Happening['kind'], subject, id), noon(day)));
  };
  switch (when.on) {
    case 'file opened':
      return dated('file', 'opened');
    case 'fee note entered':
      return dated('fee_note', 'issued_on');
    case 'fee note paid':
      return dated('fee_note', 'paid_on');
    case 'message comes':
    case 'message leaves': {
      const rows = await db('message')
        .whereBetween('at', [from, to])
        .where({ direction: when.on === 'message comes' ? 'received' : 'sent', state: 'logged' })
        .whereNull('automatic')
        .orderBy('at', 'desc')
        .limit(most)
        .select('id', 'at');
      return rows.map(({ id, at }) => seen(plain(when.on, 'message', id), at));
    }
    case 'mailing answered': {
      const rows = await select(
        db('dispatch')
          .join('message', 'message.id', 'dispatch.answered_message_id')
          .whereNotNull('dispatch.mailing_id')
          .whereBetween('message.at', [from, to])
          .orderBy('message.at', 'desc')
          .limit(most),
        { id: 'dispatch.id', at: 'message.at' },
      );
      return rows.map(({ id, at }) => seen(plain('mailing answered', 'dispatch', id), at));
    }
    case 'mailing opened': {
      const rows = await db('dispatch')
        .whereNotNull('mailing_id')
        .whereBetween('opened_at', [from, to])
        .orderBy('opened_at', 'desc')
        .limit(most)
        .select('id', 'opened_at');
      return rows.map(({ id, opened_at }) => seen(plain('mailing opened', 'dispatch', id), opened_at ?? to));
    }
    case 'document comes':
      return documentsBetween(db, from, to, most);
    case 'document shared': {
      const rows = await db('collection_item')
        .whereBetween('laid_at', [from, to])
        .orderBy('laid_at', 'desc')
        .limit(most)
        .select('id', 'laid_at');
      return rows.map(({ id, laid_at }) => seen(plain('document shared', 'item', id), laid_at));
    }
    default:
      return audited(db, when, from, to, most);
  }
}

async function documentsBetween(db: Knex, from: Date, to: Date, most: number): Promise<Happened[]> {
  const rows = await select(
    db('document')
      .leftJoin('message', 'message.id', 'document.message_id')
      .whereBetween('document.at', [from, to])
      .whereNull('document.gone_at')
      .whereNull('document.piece_id')
      .where((came) => came.whereNull('message.id').orWhere('message.direction', 'received'))
      .orderBy('document.at', 'desc')
      .limit(most),
    { id: 'document.id', at: 'document.at' },
  );
  return rows.map(({ id, at }) => seen(plain('document comes', 'document', id), at));
}

/** What only the records' history tells: what was made, and what fields came to hold. */
async function audited(db: Knex, when: When, from: Date, to: Date, most: number): Promise<Happened[]> {
  const of = when.on === 'becomes' ? when.of : when.on === 'client new' ? 'client' : 'person';
  const actions = when.on === 'becomes' ? [`${of} changed`, `${of} taken back`] : [`${of} made`];
  const rows = await db('audit')
    .whereBetween('at', [from, to])
    .whereIn('action', actions)
    .where({ subject: of })
    .whereNull('import_id')
    .orderBy('at', 'desc')
    .limit(most);
  const parsed = (text: string | null): unknown => (text === null ? undefined : JSON.parse(text));
  return rows.flatMap((row) =>
    happeningsOf({
      ...{ action: row.action, subject: row.subject, id: row.subject_id ?? 0 },
      ...{ before: parsed(row.before_value), after: parsed(row.after_value) },
    }).map((happening) => seen(happening, row.at, row.id)),
  );
}
