import type { Knex } from 'knex';
import type { z } from 'zod';
import type { Page, SeriesPage, SeriesStep, StaffMember, Timing } from '../../contract/index.ts';
import { renderMessage } from '../../core/merge/render.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { errorForLog, transact, type Transaction } from '../foundation/database.ts';
import { fromJson } from '../foundation/json.ts';
import { Refusal } from '../foundation/refusal.ts';
import { countOf, groupBy, insertAll, select } from '../foundation/rows.ts';
import { copyFor } from './copies.ts';
import {
  draftOf,
  NOTHING_WRITTEN,
  ownColumns,
  readRecord,
  sharedColumns,
  type MailingRecord,
} from './mailings.ts';
import { fixOwn } from './ownEnclosures.ts';
import { ownCopiesOf, wordsFor } from './ownCopies.ts';
import { findRecipients, type Recipient } from './recipients.ts';
import { relay } from './timing.ts';

/** A series has so many messages at most. */
const MOST_MESSAGES = 12;
/** People are moved on so many at a time. */
const CHUNK = 500;
const DAY = 24 * 3600_000;

/** Whoever answered, in words. */
const ANSWERED = 'answered';
const FITS_NO_MORE = 'fits the selection no more';
const GAP = 'a fact of its text is missing';

/** The messages of a series in order, whichever of them is asked for; empty for what is none. */
export async function seriesOf(db: Knex, { id, head_id }: { id: number; head_id: number | null }) {
  const rows = await db('mailing')
    .where({ id: head_id ?? id })
    .orWhere({ head_id: head_id ?? id })
    .orderBy('step')
    .select('id', 'step', 'name', 'wait_days', 'state', 'tested_at', 'version');
  return rows.length > 1 ? rows : [];
}

/** The messages of a series, and how many of its people stand where. */
export async function viewSeries(
  db: Knex,
  mailing: Pick<MailingRecord, 'id' | 'head_id'>,
): Promise<SeriesStep[]> {
  const steps = await seriesOf(db, mailing);
  if (!steps.length) return [];
  const ids = steps.map(({ id }) => id);
  const [copies, left] = await Promise.all([
    select(db('dispatch').whereIn('mailing_id', ids).groupBy('mailing_id'), {
      mailing_id: 'dispatch.mailing_id',
      sent: db.raw<number>("SUM(state = 'sent')"),
      waiting: db.raw<number>("SUM(state IN ('waiting', 'going', 'delayed'))"),
    }),
    select(
      db('mailing_left_out')
        .whereIn('mailing_id', ids)
        .whereNotNull('person_id')
        .groupBy('mailing_id', 'why')
        .orderBy('why'),
      {
        mailing_id: 'mailing_left_out.mailing_id',
        why: 'mailing_left_out.why',
        count: db.raw<number>('COUNT(*)'),
      },
    ),
  ]);
  const of = new Map(copies.map((row) => [row.mailing_id, row]));
  const leftOf = groupBy(left, (row) => row.mailing_id);
  return Promise.all(
    steps.map(async ({ id, step, name, wait_days, state, tested_at }, at) => {
      const before = steps[at - 1];
      const undecided = before && state !== 'draft' ? await countOf(undecidedOf(db, before.id, id)) : 0;
      return {
        ...{ id, step, name, state, waitDays: wait_days, testedAt: tested_at?.toISOString() ?? null },
        sent: Number(of.get(id)?.sent ?? 0),
        waiting: Number(of.get(id)?.waiting ?? 0) + undecided,
        left: (leftOf.get(id) ?? []).map(({ why, count }) => ({ why, count: Number(count) })),
      };
    }),
  );
}

/** Those who had one message, of whom it is not decided yet whether they get the next. */
function undecidedOf(db: Knex, beforeId: number, id: number): Knex.QueryBuilder {
  return (
    db('dispatch')
      .leftJoin({ own: 'dispatch' }, (join) =>
        join
          .on('own.client_id', 'dispatch.client_id')
          .andOn('own.person_id', 'dispatch.person_id')
          .andOn('own.mailing_id', db.raw('?', [id])),
      )
      .leftJoin({ gone: 'mailing_left_out' }, (join) =>
        join
          .on('gone.client_id', 'dispatch.client_id')
          .andOn('gone.person_id', 'dispatch.person_id')
          .andOn('gone.mailing_id', db.raw('?', [id])),
      )
      .where('dispatch.mailing_id', beforeId)
      .whereIn('dispatch.state', ['sent', 'uncertain'])
      // Who was merged away is written to as whom they were merged with.
      .whereNotNull('dispatch.client_id')
      .whereNotNull('dispatch.person_id')
      .whereNull('own.id')
      .whereNull('gone.id')
  );
}

/**
 * Begins another message behind the last of a series, or behind a mailing that becomes one.
 * @returns its number
 * @throws Refusal when the first is no draft any more, or there are too many
 */
export async function addToSeries(db: Knex, staff: StaffMember, id: number): Promise<number> {
  return transact(db, async (trx) => {
    const asked = await readRecord(trx, id);
    const headId = asked.head_id ?? id;
    await trx('mailing').where({ id: headId }).forUpdate().first('id');
    const head = await readRecord(trx, headId);
    if (head.state !== 'draft')
      throw new Refusal(409, 'Only to a draft can another message be added: take the mailing back first.');
    if (head.colleagues !== null)
      throw new Refusal(409, 'A series goes to clients: choose them first, or write a mailing of its own.');
    if (head.channel === 'text') throw new Refusal(409, 'Text messages go alone: a series goes by email.');
    const steps = await seriesOf(trx, head);
    if (steps.length >= MOST_MESSAGES)
      throw new Refusal(409, `A series has ${MOST_MESSAGES} messages at most.`);
    const first = draftOf(head);
    const step = (steps.at(-1)?.step ?? 1) + 1;
    const draft = {
      ...NOTHING_WRITTEN,
      name: `${first.name}, message ${step}`.slice(0, 200),
      subject: first.subject,
      framed: first.framed,
      optOut: first.optOut,
      counted: first.counted,
      waitDays: 7,
    };
    const [made = 0] = await trx('mailing').insert({
      ...ownColumns(draft),
      ...sharedColumns(first),
      head_id: headId,
      step,
      owner_id: head.owner_id,
      selection_id: head.selection_id,
    });
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'added to its series',
      subject: 'mailing',
      id: made,
      after: { name: draft.name, after: head.name },
    });
    await noteChange(trx, 'mailings', 'mailing', [headId, made]);
    return made;
  });
}

/** All that follows a mailing in its series. */
export function followersOf(trx: Knex, id: number): Knex.QueryBuilder {
  return trx('mailing').where({ head_id: id });
}

/** Moves people on in every series that is going. */
export async function advanceAll(context: AppContext): Promise<void> {
  const going: number[] = await context
    .db('mailing')
    .whereNotNull('head_id')
    .where({ state: 'going' })
    .orderBy(['head_id', 'step'])
    .pluck('id');
  for (const id of going)
    try {
      await advance(context, id);
    } catch (error) {
      // What is wrong with one stops neither the others nor what else is to leave.
      if (error instanceof Refusal) await hold(context, id, error.message);
      else context.log.error({ error: errorForLog(error), mailing: id }, 'a series could not be moved on');
    }
}

/** Pauses a message of a series that cannot go on as it is; going on is refused until that is put right. */
async function hold({ db }: AppContext, id: number, why: string): Promise<void> {
  await transact(db, async (trx) => {
    if (!(await trx('mailing').where({ id, state: 'going' }).update({ state: 'paused' }))) return;
    await noteAudit(trx, { staffId: null, action: 'paused', subject: 'mailing', id, after: { why } });
    await noteChange(trx, 'mailings', 'mailing', [id]);
  });
}

/**
 * Moves people on to one message of a series: whoever answered any message of it leaves, as does whoever opted out or
 * fits no more by the time it is due; the others get their copy, at the pace of the series. Done by several processes
 * or again, it does nothing twice.
 */
export async function advance(context: AppContext, id: number): Promise<void> {
  await transact(context.db, async (trx) => {
    const state = await trx('mailing').where({ id }).forUpdate().first('state');
    if (state?.state !== 'going') return;
    const record = await readRecord(trx, id);
    const steps = await seriesOf(trx, record);
    const before = steps[steps.findIndex((each) => each.id === id) - 1];
    if (!before) return;
    const ids = steps.map((each) => each.id);
    let moved = await leaveAnswered(trx, ids, before.id, id);
    moved += await moveOn(context, trx, record, before.id);
    if (['finished', 'cancelled'].includes(before.state) && !(await isUnderWay(trx, before.id, id)))
      moved += await trx('mailing').where({ id }).update({ state: 'finished', finished_at: new Date() });
    if (moved) await noteChange(trx, 'mailings', 'mailing', ids);
  });
}

async function isUnderWay(trx: Transaction, beforeId: number, id: number): Promise<boolean> {
  const waits = trx('dispatch').where({ mailing_id: id }).whereIn('state', ['waiting', 'going', 'delayed']);
  return (
    (await waits.first('id')) !== undefined ||
    (await undecidedOf(trx, beforeId, id).first('dispatch.id')) !== undefined
  );
}

/** Whoever answered leaves, also while their copy waits for its time. @returns how many */
async function leaveAnswered(
  trx: Transaction,
  ids: readonly number[],
  beforeId: number,
  id: number,
): Promise<number> {
  const answered = (rows: Knex.QueryBuilder) =>
    rows.whereExists(
      trx({ heard: 'dispatch' })
        .whereIn('heard.mailing_id', [...ids])
        .whereRaw('heard.client_id = dispatch.client_id AND heard.person_id = dispatch.person_id')
        .whereNotNull('heard.answered_message_id'),
    );
  const waiting = answered(
    trx('dispatch').where({ mailing_id: id }).whereIn('state', ['waiting', 'delayed']),
  ).forUpdate();
  const [undecided, stopped] = await Promise.all([
    select(answered(undecidedOf(trx, beforeId, id)), {
      client_id: 'dispatch.client_id',
      person_id: 'dispatch.person_id',
    }),
    select(waiting, { id: 'dispatch.id', client_id: 'dispatch.client_id', person_id: 'dispatch.person_id' }),
  ]);
  await trx('dispatch')
    .whereIn(
      'id',
      stopped.map((row) => row.id),
    )
    .update({ state: 'cancelled' });
  await leave(
    trx,
    id,
    [...undecided, ...stopped].map((row) => ({ ...row, why: ANSWERED, detail: '' })),
  );
  return undecided.length + stopped.length;
}

async function leave(
  trx: Transaction,
  id: number,
  rows: readonly { client_id: number | null; person_id: number | null; why: string; detail: string }[],
): Promise<void> {
  const at = new Date();
  await insertAll(
    trx,
    'mailing_left_out',
    rows.flatMap(({ client_id, person_id, why, detail }) =>
      client_id ? [{ mailing_id: id, client_id, person_id, why, detail: detail.slice(0, 300), at }] : [],
    ),
    { ignore: true },
  );
}

/** Whether a fact that its text asks for is missing for one of its recipients. */
export function hasGap({ subject, body, plain }: ReturnType<typeof wordsFor>, { known }: Recipient): boolean {
  return renderMessage(subject, body, known, { plain }).missing.length > 0;
}

/** How many may be moved on now: as many as leave at one time, and no sooner than the next may. */
function allowedNow(timing: Timing, advancedAt: Date | null): number {
  const since = Date.now() - (advancedAt?.getTime() ?? 0);
  // Each lot is laid out by itself: with room for answers, one a day.
  if (timing.answers !== null) return since < DAY ? 0 : Infinity;
  if (!timing.batch) return Infinity;
  return since < timing.batch.minutes * 60_000 ? 0 : timing.batch.size;
}

/** @returns how many got their copy, or left since they are not reached any more */
async function moveOn(
  context: AppContext,
  trx: Transaction,
  record: MailingRecord,
  beforeId: number,
): Promise<number> {
  const { id } = record;
  const draft = draftOf(record);
  const most = Math.min(CHUNK, allowedNow(draft.timing, record.advanced_at));
  if (!most) return 0;
  const wait = (record.wait_days ?? 0) * DAY;
  const due = await select(
    undecidedOf(trx, beforeId, id)
      .where('dispatch.state', 'sent')
      .where('dispatch.sent_at', '<=', new Date(Date.now() - wait))
      .orderBy('dispatch.sent_at')
      .limit(most),
    { client_id: 'dispatch.client_id', person_id: 'dispatch.person_id' },
  );
  if (!due.length) return 0;
  // Only these are asked about, where it is clients that are picked.
  const clients = [...new Set(due.flatMap(({ client_id }) => client_id ?? []))];
  const among = draft.selection.only;
  const only =
    draft.selection.subject !== 'client'
      ? among
      : among
        ? clients.filter((client) => among.includes(client))
        : clients;
  const { recipients, leftOut } = await findRecipients(
    trx,
    { ...draft, selection: { ...draft.selection, only } },
    record.owner_id,
  );
  const reached = new Map(recipients.map((recipient) => [recipient.key, recipient]));
  const why = new Map(leftOut.map((row) => [row.clientId, row]));
  const copies = await ownCopiesOf(trx, id);
  const going: Recipient[] = [];
  const leaving: Parameters<typeof leave>[2][number][] = [];
  for (const row of due) {
    const key = `${row.client_id}-${row.person_id}`;
    const recipient = reached.get(key);
    const left = why.get(row.client_id ?? 0);
    if (!recipient) leaving.push({ ...row, why: left?.why ?? FITS_NO_MORE, detail: left?.detail ?? '' });
    // What was there at the release may be gone since: nobody gets a message with a gap in it.
    else if (hasGap(wordsFor(draft, copies.get(key)), recipient))
      leaving.push({ ...row, why: GAP, detail: '' });
    else going.push(recipient);
  }
  await leave(trx, id, leaving);
  await insertAll(
    trx,
    'dispatch',
    going.map((recipient) => copyFor(id, draft, recipient, new Date())),
    { ignore: true },
  );
  await fixOwn(trx, id);
  if (going.length) await relay(context, trx, id, fromJson('mailing.timing', record.timing));
  await trx('mailing').where({ id }).update({ advanced_at: new Date() });
  return due.length;
}

/** Who stands where in a series: a page of its people, by client. */
export async function listSeries(
  db: Knex,
  id: number,
  { offset, limit }: z.infer<typeof Page>,
): Promise<SeriesPage> {
  const record = await readRecord(db, id);
  const steps = await seriesOf(db, record);
  const ids = steps.map((each) => each.id);
  const first = () => db('dispatch').where('dispatch.mailing_id', record.head_id ?? id);
  const [total, people] = await Promise.all([
    countOf(first()),
    select(
      first()
        .leftJoin('client', 'client.id', 'dispatch.client_id')
        .orderBy(['client.name', 'dispatch.id'])
        .offset(offset)
        .limit(limit),
      {
        client_id: 'dispatch.client_id',
        person_id: 'dispatch.person_id',
        client: 'client.name?',
        to: 'dispatch.to_name',
      },
    ),
  ]);
  const clients = people.flatMap(({ client_id }) => client_id ?? []);
  const [copies, left] = await Promise.all([
    db('dispatch')
      .whereIn('mailing_id', ids)
      .whereIn('client_id', clients)
      .select('mailing_id', 'client_id', 'person_id', 'state', 'sent_at', 'next_at'),
    db('mailing_left_out')
      .whereIn('mailing_id', ids)
      .whereIn('client_id', clients)
      .whereNotNull('person_id')
      .select('mailing_id', 'client_id', 'person_id', 'why', 'at'),
  ]);
  type Named = { client_id: number | null; person_id: number | null };
  const nameOf = (row: Named) => `${row.client_id}-${row.person_id}`;
  const copiesOf = groupBy(copies, (row) => nameOf(row));
  const leftOf = groupBy(left, (row) => nameOf(row));
  return {
    total,
    rows: people.map((person) => ({
      clientId: person.client_id,
      client: person.client ?? person.to,
      to: person.to,
      ...standing(steps, copiesOf.get(nameOf(person)) ?? [], leftOf.get(nameOf(person)) ?? []),
    })),
  };
}

type Step = Awaited<ReturnType<typeof seriesOf>>[number];

/** Where one person stands: at the furthest message that they had, are to have, or left before. */
function standing(
  steps: readonly Step[],
  copies: readonly { mailing_id: number | null; state: string; sent_at: Date | null; next_at: Date }[],
  left: readonly { mailing_id: number; why: string; at: Date | null }[],
): Pick<SeriesPage['rows'][number], 'step' | 'state' | 'at' | 'why'> {
  for (const [at, { id, step }] of [...steps.entries()].reverse()) {
    const gone = left.find((row) => row.mailing_id === id);
    if (gone) return { step, state: 'left', at: gone.at?.toISOString() ?? null, why: gone.why };
    const copy = copies.find((row) => row.mailing_id === id);
    if (!copy) continue;
    if (copy.state === 'waiting' || copy.state === 'going' || copy.state === 'delayed')
      return { step, state: 'goes', at: copy.next_at.toISOString(), why: '' };
    if (copy.state === 'returned' || copy.state === 'cancelled' || copy.state === 'uncertain')
      return { step, state: copy.state, at: null, why: '' };
    const next = steps[at + 1];
    if (!next || next.state === 'cancelled')
      return { step, state: 'had all', at: copy.sent_at?.toISOString() ?? null, why: '' };
    const due = (copy.sent_at?.getTime() ?? 0) + (next.wait_days ?? 0) * DAY;
    return { step: next.step, state: 'waits', at: new Date(due).toISOString(), why: '' };
  }
  return { step: 1, state: 'cancelled', at: null, why: '' };
}
