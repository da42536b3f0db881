import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import type { StaffMember } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { transact } from '../foundation/database.ts';
import type { AppContext } from '../foundation/context.ts';
import { noteChange } from '../foundation/changes.ts';
import { Refusal } from '../foundation/refusal.ts';
import { insertAll } from '../foundation/rows.ts';
import { mailings } from './outgoing.ts';
import { draftOf, readRecord } from './mailings.ts';
import { checkMailing, senderDomain, tickedRecipients } from './checking.ts';
import { toJson } from '../foundation/json.ts';

/**
 * Releases a mailing: fixes who gets it, each Message-ID and each recipient's facts, and lets dispatch begin.
 * All or nothing; releasing twice is refused.
 * @throws Refusal when something is missing, it was changed or released meanwhile, or the recipients are others
 */
export async function releaseMailing(
  context: AppContext,
  staff: StaffMember,
  id: number,
  version: number,
  expected: number,
): Promise<void> {
  const { db, config } = context;
  const checks = await checkMailing(db, id);
  if (checks.problems[0]) throw new Refusal(400, checks.problems[0]);
  const gap = checks.missing[0];
  if (gap)
    throw new Refusal(
      400,
      `“${gap.label}” is missing for ${gap.client}${checks.missing.length > 1 ? ` and ${checks.missing.length - 1} more` : ''}. Settle that first, or give the field other words to use.`,
    );
  await transact(db, async (trx) => {
    const row = await trx('mailing').where({ id }).forUpdate().first('state', 'version');
    if (row?.state !== 'draft') throw new Refusal(409, 'This mailing has been released already.');
    if (row.version !== version)
      throw new Refusal(409, 'This mailing was changed meanwhile. Look at it again before you release it.');
    const record = await readRecord(trx, id);
    const recipients = await tickedRecipients(trx, draftOf(record), record.owner_id);
    if (recipients.length !== expected)
      throw new Refusal(
        409,
        `There are now ${recipients.length} recipients, not ${expected}. Look at the list again.`,
      );
    const start = Date.now();
    const sentBy = new Map<number, number>();
    const rows = recipients.map((recipient) => {
      const before = sentBy.get(recipient.mailboxId) ?? 0;
      sentBy.set(recipient.mailboxId, before + 1);
      return {
        kind: mailings.name,
        mailing_id: id,
        client_id: recipient.clientId,
        person_id: recipient.personId,
        mailbox_id: recipient.mailboxId,
        file_id: recipient.file.id,
        to_name: recipient.name,
        to_address: recipient.email,
        message_id: `${randomUUID()}@${senderDomain(recipient)}`,
        facts: toJson('dispatch.facts', recipient.facts),
        // The provider's limit holds whichever process sends: each message of a mailbox has its own time.
        next_at: new Date(start + before * config.sendGap),
      };
    });
    await insertAll(trx, 'dispatch', rows);
    await trx('mailing')
      .where({ id })
      .update({ state: 'leaving', released_at: new Date(), released_by: staff.id });
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'released',
      subject: 'mailing',
      id,
      after: { recipients: rows.length },
    });
    await noteChange(trx, 'mailings', 'mailing', [id]);
  });
}

/**
 * Pauses, resumes or cancels what has not left yet.
 * @throws Refusal when it is in no state for that any more
 */
export async function steerMailing(
  db: Knex,
  staff: StaffMember,
  id: number,
  to: 'paused' | 'leaving' | 'cancelled',
): Promise<void> {
  const from = { paused: ['leaving'], leaving: ['paused'], cancelled: ['leaving', 'paused'] }[to];
  await transact(db, async (trx) => {
    const changed = await trx('mailing').where({ id }).whereIn('state', from).update({ state: to });
    if (!changed) throw new Refusal(409, 'The mailing is not in a state for that any more.');
    if (to === 'cancelled')
      await trx('dispatch')
        .where({ mailing_id: id })
        .whereIn('state', ['waiting', 'delayed'])
        .update({ state: 'cancelled' });
    await noteAudit(trx, { staffId: staff.id, action: to, subject: 'mailing', id });
    await noteChange(trx, 'mailings', 'mailing', [id]);
  });
}
