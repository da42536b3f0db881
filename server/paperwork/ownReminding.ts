import type { Knex } from 'knex';
import type { OwnReminding, StaffMember } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { jsonOrNull, toJson } from '../foundation/json.ts';
import { notFound } from '../foundation/refusal.ts';

/** What is otherwise for a client or a fee note, and what stands where nothing is. @throws Refusal without such a one */
export async function viewReminding(
  db: Knex,
  of: 'client' | 'fee note',
  id: number,
): Promise<{ own: OwnReminding | null; else: OwnReminding }> {
  const { after, every, most } = (await readFirm(db)).reminders;
  const firm = { off: false, after, every, most };
  if (of === 'client') {
    const row = await db('client').where({ id }).first('reminding');
    if (!row) throw notFound('That client');
    return { own: jsonOrNull('client.reminding', row.reminding), else: firm };
  }
  const row = await db('fee_note')
    .join('client', 'client.id', 'fee_note.client_id')
    .where('fee_note.id', id)
    .first({ own: 'fee_note.reminding', client: 'client.reminding' });
  if (!row) throw notFound('That fee note');
  const client = jsonOrNull('client.reminding', row.client);
  return {
    own: jsonOrNull('fee_note.reminding', row.own),
    else: client
      ? {
          off: client.off,
          after: client.after ?? after,
          every: client.every ?? every,
          most: client.most ?? most,
        }
      : firm,
  };
}

/** Says what is otherwise for a client or a fee note; null: nothing. */
export async function changeReminding(
  db: Database,
  staff: StaffMember,
  of: 'client' | 'fee note',
  id: number,
  own: OwnReminding | null,
): Promise<void> {
  await transact(db, async (trx) => {
    const table = of === 'client' ? 'client' : 'fee_note';
    const row = await trx(table).where({ id }).forUpdate().first();
    if (!row) throw notFound(of === 'client' ? 'That client' : 'That fee note');
    const clientId = 'client_id' in row ? row.client_id : id;
    await trx(table)
      .where({ id })
      .update({ reminding: own && toJson('client.reminding', own) });
    await noteAudit(trx, {
      ...{ staffId: staff.id, action: `reminders of a ${of} changed`, subject: 'client', id: clientId },
      before: jsonOrNull('client.reminding', row.reminding) ?? {},
      after: own ?? {},
    });
    await noteChange(trx, 'records', 'client', [clientId]);
    await noteChange(trx, 'paperwork');
  });
}

/** The client's answers to reminders of a fee note were seen to: it is reminded of again. */
export async function remindOn(db: Database, staff: StaffMember, feeNoteId: number): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('fee_note').where({ id: feeNoteId }).forUpdate().first('client_id', 'heard_step');
    if (!row) throw notFound('That fee note');
    const last = await trx('reminder_step')
      .where({ fee_note_id: feeNoteId })
      .orderBy('step', 'desc')
      .first('step');
    await trx('fee_note')
      .where({ id: feeNoteId })
      .update({ heard_step: last?.step ?? 0 });
    await noteAudit(trx, { staffId: staff.id, action: 'reminded on', subject: 'client', id: row.client_id });
    await noteChange(trx, 'paperwork');
  });
}
