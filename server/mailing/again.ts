import { randomUUID } from 'node:crypto';
import type { StaffMember } from '../../contract/index.ts';
import { addressKey, domainOf } from '../../core/address/address.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { Refusal } from '../foundation/refusal.ts';
import { selectFirst } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { changeWithin, readRecord } from '../records/changing.ts';

/**
 * Sends a message that came back once more, under a Message-ID of its own: to a mended address, which becomes the
 * person's in the records, or to the same one.
 * @throws Refusal when it has not come back, its mailing was cancelled, or whoever has that address does not want it or
 * has had it
 */
export async function sendAgain(
  db: Database,
  staff: StaffMember,
  dispatchId: number,
  address: string,
): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('dispatch').where({ id: dispatchId }).forUpdate().first();
    if (!row?.mailing_id || row.state !== 'returned')
      throw new Refusal(409, 'That message has not come back, or was sent again already.');
    const mailing = await trx('mailing')
      .where({ id: row.mailing_id })
      .forUpdate()
      .first('id', 'state', 'topic_id', 'channel');
    if (mailing?.channel === 'text')
      throw new Refusal(409, 'A text message that failed is written again from the client’s page.');
    if (!mailing || mailing.state === 'cancelled')
      throw new Refusal(409, 'This mailing was cancelled: nothing of it is sent any more.');
    await refuseUnwanted(trx, { id: dispatchId, mailingId: mailing.id, topicId: mailing.topic_id, address });
    await mendAddress(trx, staff, row, address);
    await wait(trx, row, address);
    if (mailing.state === 'finished')
      await trx('mailing').where({ id: mailing.id }).update({ state: 'going', finished_at: null });
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'sent again',
      subject: 'dispatch',
      id: dispatchId,
      before: { address: row.to_address, answer: row.answer },
      after: { address },
    });
    await noteChange(trx, 'mailings', 'mailing', [mailing.id]);
  });
}

/** Puts a row that came back among those that wait, under a Message-ID of its own; it is composed anew. */
export async function wait(trx: Transaction, row: Rows['dispatch'], address: string): Promise<void> {
  const mailbox = await trx('mailbox').where({ id: row.mailbox_id }).first('address');
  await trx('dispatch')
    .where({ id: row.id })
    .update({
      state: 'waiting',
      to_address: address,
      message_id: `${randomUUID()}@${domainOf(mailbox?.address ?? '') || 'localhost'}`,
      next_at: new Date(),
      attempts: 0,
      ...{ raw_hash: null, handed_at: null, sent_at: null, answer: null, return_kind: null, refused: null },
      ...{ logged_message_id: null, sent_copy_at: null, sent_uid: null },
    });
}

async function refuseUnwanted(
  trx: Transaction,
  {
    id,
    mailingId,
    topicId,
    address,
  }: { id: number; mailingId: number; topicId: number | null; address: string },
): Promise<void> {
  const key = addressKey(address);
  const out =
    (await trx('opt_out').where({ email_key: key }).first('email_key')) ??
    (await trx('topic_opt_out')
      .where({ email_key: key, topic_id: topicId ?? 0 })
      .first('email_key'));
  if (out) throw new Refusal(409, `Whoever has ${address} has opted out of such mailings.`, 'address');
  const other = await selectFirst(
    trx('dispatch')
      .join('client', 'client.id', 'dispatch.client_id')
      .where({ mailing_id: mailingId, to_address: address })
      .whereNot('dispatch.id', id)
      .whereNotIn('dispatch.state', ['returned', 'cancelled']),
    { client: 'client.name' },
  );
  if (other) throw new Refusal(409, `${address} gets this mailing already, for ${other.client}.`, 'address');
}

/** A new address takes the place of the one that failed, which is kept as a former one; the same one is given another try. */
export async function mendAddress(
  trx: Transaction,
  staff: StaffMember,
  row: { person_id: number | null; to_address: string },
  address: string,
): Promise<void> {
  const [before, after] = [addressKey(row.to_address), addressKey(address)];
  if (before !== after && row.person_id !== null) {
    const { addresses } = await readRecord(trx, 'person', row.person_id);
    const at = addresses.findIndex(({ email }) => addressKey(email) === before);
    const others = addresses
      .filter(({ email }) => addressKey(email) !== after)
      .map((each) => (addressKey(each.email) === before ? { ...each, current: false } : each));
    others.splice(Math.max(at, 0), 0, {
      email: address,
      current: true,
      purpose: addresses[at]?.purpose ?? '',
    });
    await changeWithin(trx, { staffId: staff.id }, 'person', row.person_id, {
      before: { addresses },
      after: { addresses: others },
    });
  }
  await trx('address').where({ email_key: after }).update({ returned_at: null, returned_why: null });
}
