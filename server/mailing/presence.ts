import type { Knex } from 'knex';
import type { Presence, StaffMember } from '../../contract/index.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact } from '../foundation/database.ts';
import { select } from '../foundation/rows.ts';

/** Whoever has not been heard of for so long is not there any more, in milliseconds: screens tell three times in it. */
const GONE_AFTER = 65_000;

/**
 * Says that a person is at a mailing, or has left it; the others hear of it when that changes.
 * @param step where they are; null: not there any more
 * @returns the colleagues who are at it now, by name
 */
export async function tellPresence(
  db: Knex,
  staff: StaffMember,
  mailingId: number,
  step: string | null,
): Promise<Presence> {
  const since = new Date(Date.now() - GONE_AFTER);
  const own = { mailing_id: mailingId, staff_id: staff.id };
  await transact(db, async (trx) => {
    const before = await trx('mailing_presence').where(own).where('seen_at', '>', since).first('step');
    if (step === null) await trx('mailing_presence').where(own).delete();
    else {
      const exists = await trx('mailing').where({ id: mailingId }).first('id');
      if (!exists) return;
      await trx('mailing_presence')
        .insert({ ...own, step, seen_at: new Date() })
        .onConflict(['mailing_id', 'staff_id'])
        .merge();
    }
    if ((before?.step ?? null) !== step) await noteChange(trx, 'mailings', 'mailing', [mailingId]);
  });
  return select(
    db('mailing_presence')
      .join('staff', 'staff.id', 'mailing_presence.staff_id')
      .where('mailing_presence.mailing_id', mailingId)
      .whereNot('mailing_presence.staff_id', staff.id)
      .where('mailing_presence.seen_at', '>', since)
      .orderBy('staff.name'),
    { name: 'staff.name', step: 'mailing_presence.step' },
  );
}
