import type { Knex } from 'knex';
import {
  DispatchState,
  type DispatchPage,
  type MailingProgress,
  type StaffMember,
} from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { beat } from '../foundation/pulse.ts';
import { Refusal } from '../foundation/refusal.ts';
import { groupBy } from '../foundation/rows.ts';

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

export async function progressOf(db: Knex, ids: readonly number[]): Promise<Map<number, MailingProgress>> {
  const rows: {
    mailing_id: number;
    state: DispatchState;
    count: number;
    answered: number;
    last_at: Date | null;
  }[] = ids.length
    ? await db('dispatch')
        .whereIn('mailing_id', ids)
        .groupBy('mailing_id', 'state')
        .select('mailing_id', 'state')
        .count('* as count')
        .count('answered_message_id as answered')
        .select(db.raw("MAX(CASE WHEN state IN ('waiting', 'delayed') THEN next_at END) AS last_at"))
    : [];
  return new Map(
    [...groupBy(rows, (row) => row.mailing_id)].map(([id, own]) => {
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
  const total = await db('dispatch').where({ mailing_id: id }).count('* as count').first();
  const rows = await db('dispatch')
    .join('client', 'client.id', 'dispatch.client_id')
    .join('mailbox', 'mailbox.id', 'dispatch.mailbox_id')
    .join('staff', 'staff.id', 'mailbox.staff_id')
    .where({ mailing_id: id })
    .orderByRaw(
      "FIELD(dispatch.state, 'uncertain', 'returned', 'delayed', 'leaving', 'waiting', 'left', 'cancelled'), dispatch.answered_message_id IS NULL, client.name, dispatch.id",
    )
    .offset(offset)
    .limit(limit)
    .select('dispatch.*', 'client.name as client', 'staff.name as sender');
  return {
    total: Number(total?.count ?? 0),
    rows: rows.map((row) => ({
      id: row.id,
      clientId: row.client_id,
      client: row.client,
      address: row.to_address,
      from: row.sender,
      state: row.state,
      at: (row.left_at ?? (row.state === 'cancelled' ? null : row.next_at))?.toISOString() ?? null,
      answer: row.answer,
      answered: row.answered_message_id !== null,
      messageId: row.logged_message_id,
    })),
  };
}

/** A person settles an uncertain message: it did leave, or it is to be sent again. */
export async function settleUncertain(
  db: Knex,
  staff: StaffMember,
  dispatchId: number,
  outcome: 'left' | 'send again',
): Promise<void> {
  const now = new Date();
  const change =
    outcome === 'left'
      ? { state: 'left', left_at: now, answer: `settled by ${staff.name}` }
      : { state: 'waiting', next_at: now, handed_at: null, lease_owner: null, lease_until: null };
  const row = await db('dispatch').where({ id: dispatchId }).first('mailing_id');
  if (!row || !(await db('dispatch').where({ id: dispatchId, state: 'uncertain' }).update(change)))
    throw new Refusal(409, 'That message has been settled already.');
  if (outcome === 'send again' && row.mailing_id)
    await db('mailing')
      .where({ id: row.mailing_id, state: 'finished' })
      .update({ state: 'leaving', finished_at: null });
  await noteAudit(db, staff.id, `settled as ${outcome}`, 'dispatch', dispatchId, null, null);
  await beat(db, 'mailings');
}
