import { TEXT_MAILING } from '../mailing/mailings.ts';
import type { Knex } from 'knex';
import type { ReckoningSending } from '../../contract/index.ts';
import { select } from '../foundation/rows.ts';
import type { DayOf, Difference } from './count.ts';

const STATES = {
  sent: "SUM(dispatch.state = 'sent')",
  waiting: "SUM(dispatch.state IN ('waiting', 'going', 'delayed'))",
  returned: "SUM(dispatch.state = 'returned')",
  uncertain: "SUM(dispatch.state = 'uncertain')",
  cancelled: "SUM(dispatch.state = 'cancelled')",
};

/** What left on a day, or was to: each mailing and paper run with any of it as a whole, single letters together. */
export async function sendingsOf(db: Knex, { from, until }: DayOf): Promise<ReckoningSending[]> {
  const within = (rows: Knex.QueryBuilder) =>
    rows.where('dispatch.sent_at', '>=', from).where('dispatch.sent_at', '<', until);
  const counts = {
    released: db.raw<number>('COUNT(*)'),
    sent: db.raw<number>(STATES.sent),
    waiting: db.raw<number>(STATES.waiting),
    returned: db.raw<number>(STATES.returned),
    uncertain: db.raw<number>(STATES.uncertain),
    cancelled: db.raw<number>(STATES.cancelled),
  };
  const mailingIds: number[] = await within(db('dispatch').whereNotNull('mailing_id') as Knex.QueryBuilder)
    .distinct('mailing_id')
    .pluck('mailing_id');
  const runIds: number[] = await within(
    db('dispatch').join('paper_piece', 'paper_piece.id', 'dispatch.piece_id') as Knex.QueryBuilder,
  )
    .distinct('paper_piece.run_id')
    .pluck('paper_piece.run_id');
  const [mailings, runs, letters] = await Promise.all([
    select(
      db('dispatch')
        .join('mailing', 'mailing.id', 'dispatch.mailing_id')
        .whereIn('mailing.id', mailingIds)
        .groupBy('mailing.id', 'mailing.name')
        .orderBy('mailing.id'),
      { name: 'mailing.name', ...counts },
    ),
    select(
      db('dispatch')
        .join('paper_piece', 'paper_piece.id', 'dispatch.piece_id')
        .join('paper_run', 'paper_run.id', 'paper_piece.run_id')
        .whereIn('paper_run.id', runIds)
        .groupBy('paper_run.id', 'paper_run.name')
        .orderBy('paper_run.id'),
      { name: 'paper_run.name', ...counts },
    ),
    select(within(db('dispatch').whereNotNull('draft_id') as Knex.QueryBuilder), counts),
  ]);
  const row = (kind: ReckoningSending['kind'], found: Omit<ReckoningSending, 'kind'>): ReckoningSending => ({
    ...{ kind, name: found.name },
    ...{ released: Number(found.released), sent: Number(found.sent), waiting: Number(found.waiting) },
    ...{ returned: Number(found.returned), uncertain: Number(found.uncertain) },
    cancelled: Number(found.cancelled),
  });
  return [
    ...mailings.map((found) => row('mailing', found)),
    ...runs.map((found) => row('paperwork', found)),
    ...letters
      .filter(({ released }) => released)
      .map((found) => row('letters', { ...found, name: 'Single messages' })),
  ];
}

/** So long after a message left, it is on record. */
const RECORDED_MINUTES = 60;

/** What left on a day and is not on record, and what may or may not have left. */
export async function unsettledOf(db: Knex, { from, until }: DayOf): Promise<Difference[]> {
  const late = new Date(Date.now() - RECORDED_MINUTES * 60_000);
  const wanted = {
    id: 'dispatch.id',
    mailboxId: 'dispatch.mailbox_id',
    to: 'dispatch.to_address',
    sentAt: 'dispatch.sent_at',
    handedAt: 'dispatch.handed_at',
  } as const;
  const [unrecorded, uncertain] = await Promise.all([
    select(
      db('dispatch')
        .where({ state: 'sent' })
        .whereNull('logged_message_id')
        // Copies that went as text messages are on record as those.
        .whereNot({ kind: TEXT_MAILING })
        .where('sent_at', '>=', from)
        .where('sent_at', '<', until < late ? until : late),
      wanted,
    ),
    select(
      db('dispatch')
        .where({ state: 'uncertain' })
        .where('handed_at', '>=', from)
        .where('handed_at', '<', until),
      wanted,
    ),
  ]);
  const tell = (kind: 'unrecorded' | 'uncertain') => (row: (typeof unrecorded)[number]) => ({
    ...{ kind, mailboxId: row.mailboxId, folder: '', uid: null, messageId: null, dispatchId: row.id },
    ...{ words: `To ${row.to}`, at: row.sentAt ?? row.handedAt },
  });
  return [...unrecorded.map(tell('unrecorded')), ...uncertain.map(tell('uncertain'))];
}
