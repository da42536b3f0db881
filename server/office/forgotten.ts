import type { AppContext } from '../foundation/context.ts';
import { noteAudit } from '../foundation/audit.ts';
import { transact } from '../foundation/database.ts';
import { mailboxOfNotices, sendNotice } from '../mailserver/notice.ts';
import { makeLink } from './links.ts';

/** A link that was sent by mail serves for so many hours. */
const HOURS = 1;

/**
 * Sends a link for a new password to somebody of the office, from its verified shared mailbox. Nobody is told whether
 * anybody has that address: what cannot be done is left undone.
 */
export async function sendForgottenLink(context: AppContext, email: string): Promise<void> {
  const { db } = context;
  const [firm, member] = await Promise.all([
    context.firm(),
    // Whoever was invited and has no password yet has a link already, which this would end.
    db('staff')
      .where({ email: email.trim().toLowerCase(), active: 1 })
      .whereNot({ password_hash: '' })
      .first('id', 'name', 'email'),
  ]);
  if (!member || !firm.webAddress || !(await mailboxOfNotices(db))) return;
  const { path } = await transact(db, async (trx) => {
    await noteAudit(trx, { staffId: null, action: 'link sent: reset', subject: 'staff', id: member.id });
    return makeLink(trx, 'reset', member.id, HOURS);
  });
  await sendNotice(context, {
    to: { name: member.name, address: member.email },
    subject: 'A new password for Patient Clerk',
    paragraphs: [
      `Somebody, most likely you, has asked for a new password for Patient Clerk at ${firm.name}.`,
      `Choose one within the hour:\n\n${firm.webAddress}${path}`,
      'If it was not you, do nothing: your password stays as it is.',
    ],
  });
}
