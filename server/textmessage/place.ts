import type { StaffMember } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { transact, type Database } from '../foundation/database.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { readGateway } from './settings.ts';
import { refuseCost, tellOf } from './write.ts';

/** Puts a text message, and all else from its number that has no place yet, onto a file. */
export async function fileText(db: Database, staff: StaffMember, id: number, fileId: number): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('text_message')
      .where({ id })
      .forUpdate()
      .first('number_key', 'client_id', 'file_id');
    const file = await trx('file').where({ id: fileId }).first('client_id');
    if (!row) throw notFound('That text message');
    if (!file) throw notFound('That file');
    const where = { client_id: file.client_id, file_id: fileId };
    await trx('text_message').where({ id }).update(where);
    await trx('text_message').where({ number_key: row.number_key }).whereNull('client_id').update(where);
    const audited = { staffId: staff.id, action: 'text message filed', subject: 'text message', id };
    await noteAudit(trx, { ...audited, before: { fileId: row.file_id }, after: { fileId } });
    await tellOf(trx, [row.file_id, fileId]);
  });
}

/** Says whether a text message still wants an answer. */
export async function setWaits(db: Database, staff: StaffMember, id: number, waits: boolean): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('text_message').where({ id }).forUpdate().first('direction', 'file_id');
    if (row?.direction !== 'received') throw notFound('That text message');
    await trx('text_message').where({ id }).update({ waits });
    const action = waits ? 'answer needed' : 'no answer needed';
    await noteAudit(trx, { staffId: staff.id, action, subject: 'text message', id });
    await tellOf(trx, [row.file_id]);
  });
}

/** Takes a text message back that has not left yet. @throws Refusal when it has */
export async function cancelText(db: Database, staff: StaffMember, id: number): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('text_message').where({ id }).forUpdate().first('state', 'file_id', 'dispatch_id');
    if (!row) throw notFound('That text message');
    if (row.state !== 'waiting' && row.state !== 'prepared')
      throw new Refusal(409, 'It has left already and cannot be taken back.');
    await trx('text_message')
      .where({ id })
      .update({ state: 'cancelled', why: `Taken back by ${staff.name}.` });
    if (row.dispatch_id !== null)
      await trx('dispatch')
        .where({ id: row.dispatch_id })
        .update({ state: 'cancelled', answer: `taken back by ${staff.name}` });
    await noteAudit(trx, { staffId: staff.id, action: 'taken back', subject: 'text message', id });
    await tellOf(trx, [row.file_id]);
  });
}

/** Lets a text message go that a standing order prepared. @throws Refusal when it may not, or has gone already */
export async function releaseText(db: Database, staff: StaffMember, id: number): Promise<void> {
  const gateway = await readGateway(db);
  if (!gateway) throw new Refusal(409, 'No gateway for text messages is set.');
  await transact(db, async (trx) => {
    const row = await trx('text_message').where({ id, state: 'prepared' }).forUpdate().first();
    if (!row) throw new Refusal(409, 'It has gone already, or was thrown away.');
    await refuseCost(trx, gateway, row.parts * gateway.price);
    const now = new Date();
    await trx('text_message')
      .where({ id })
      .update({
        state: 'waiting',
        price: row.parts * gateway.price,
        at: now,
        next_at: now,
        staff_id: staff.id,
      });
    await noteAudit(trx, { staffId: staff.id, action: 'released', subject: 'text message', id });
    await tellOf(trx, [row.file_id]);
  });
}
