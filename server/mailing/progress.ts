import { transact } from '../foundation/database.ts';
import type { Knex } from 'knex';
import { DispatchState, type MailingProgress, type StaffMember } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { Refusal } from '../foundation/refusal.ts';
import { groupBy, select } from '../foundation/rows.ts';

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
        answered: db.raw<number>('COUNT(COALESCE(answered_message_id, answered_text_id))'),
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
