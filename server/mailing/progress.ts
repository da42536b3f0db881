import { transact } from '../foundation/database.ts';
import type { Knex } from 'knex';
import {
  DispatchState,
  type DispatchPage,
  type MailingProgress,
  type StaffMember,
} from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { Refusal } from '../foundation/refusal.ts';
import { countOf, groupBy, select } from '../foundation/rows.ts';

/** How far a mailing is of which nothing was released. */
export function emptyProgress(): MailingProgress {
  return {
    total: 0,
    byState: Object.fromEntries(
      DispatchState.options.map((state) => [state, 0]),
    ) as MailingProgress['byState'],
    answered: 0,
    endsAt: null,
  };
}

/** How far mailings are, by number. */
export async function progressOf(db: Knex, ids: readonly number[]): Promise<Map<number, MailingProgress>> {
  const rows = ids.length
    ? await select(db('dispatch').whereIn('mailing_id', ids).groupBy('mailing_id', 'state'), {
        mailing_id: 'dispatch.mailing_id',
        state: 'dispatch.state',
        count: db.raw<number>('COUNT(*)'),
        answered: db.raw<number>('COUNT(answered_message_id)'),
        last_at: db.raw<Date | null>("MAX(CASE WHEN state IN ('waiting', 'delayed') THEN next_at END)"),
      })
    : [];
  return new Map(
    [...groupBy(rows, (row) => row.mailing_id ?? 0)].map(([id, own]) => {
      const progress = emptyProgress();
      for (const row of own) {
        progress.byState[row.state] = Number(row.count);
        progress.total += Number(row.count);
        progress.answered += Number(row.answered);
        if (row.last_at && (!progress.endsAt || row.last_at.toISOString() > progress.endsAt))
          progress.endsAt = row.last_at.toISOString();
      }
      return [id, progress];
    }),
  );
}

/** One page of a mailing's recipients and how each fared; those that need a person come first. */
export async function listDispatch(
  db: Knex,
  id: number,
  offset: number,
  limit: number,
): Promise<DispatchPage> {
  const total = await countOf(db('dispatch').where({ mailing_id: id }));
  const page = db('dispatch')
    .leftJoin('client', 'client.id', 'dispatch.client_id')
    .join('mailbox', 'mailbox.id', 'dispatch.mailbox_id')
    .join('staff', 'staff.id', 'mailbox.staff_id')
    .where('dispatch.mailing_id', id)
    .orderByRaw(
      "FIELD(dispatch.state, 'uncertain', 'returned', 'delayed', 'going', 'waiting', 'sent', 'cancelled'), dispatch.answered_message_id IS NULL, client.name, dispatch.id",
    )
    .offset(offset)
    .limit(limit);
  const rows = await select(page, {
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
    logged_message_id: 'dispatch.logged_message_id',
  });
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
      answered: row.answered_message_id !== null,
      messageId: row.logged_message_id,
    })),
  };
}

/**
 * A person settles an uncertain message: it did leave, or it is to be sent again.
 * @throws Refusal when it was settled meanwhile
 */
export async function resolveUncertain(
  db: Knex,
  staff: StaffMember,
  dispatchId: number,
  outcome: 'sent' | 'send again',
): Promise<void> {
  const now = new Date();
  const change =
    outcome === 'sent'
      ? { state: 'sent' as const, sent_at: now, answer: `settled by ${staff.name}` }
      : { state: 'waiting' as const, next_at: now, handed_at: null, lease_owner: null, lease_until: null };
  await transact(db, async (trx) => {
    const row = await trx('dispatch').where({ id: dispatchId }).first('mailing_id');
    if (!row || !(await trx('dispatch').where({ id: dispatchId, state: 'uncertain' }).update(change)))
      throw new Refusal(409, 'That message has been settled already.');
    if (outcome === 'send again' && row.mailing_id)
      await trx('mailing')
        .where({ id: row.mailing_id, state: 'finished' })
        .update({ state: 'going', finished_at: null });
    await noteAudit(trx, {
      staffId: staff.id,
      action: `settled as ${outcome}`,
      subject: 'dispatch',
      id: dispatchId,
    });
    // A single letter's, too: then it is a matter of whoever wrote it.
    await noteChange(trx, 'mailings');
    await noteChange(trx, 'drafts');
  });
}
