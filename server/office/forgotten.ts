import MailComposer from 'nodemailer/lib/mail-composer';
import type { AppContext } from '../foundation/context.ts';
import { noteAudit } from '../foundation/audit.ts';
import { errorForLog, transact } from '../foundation/database.ts';
import { accessOf } from '../mailserver/access.ts';
import { withConnection } from '../mailserver/smtp.ts';
import { makeLink } from './links.ts';

/** A link that was sent by mail serves for so many hours. */
const HOURS = 1;

/**
 * Sends a link for a new password to somebody of the office, from its verified shared mailbox. Nobody is told whether
 * anybody has that address: what cannot be done is left undone.
 */
export async function sendForgottenLink(context: AppContext, email: string): Promise<void> {
  const { db, config, log } = context;
  const [firm, member, mailbox] = await Promise.all([
    context.firm(),
    // Whoever was invited and has no password yet has a link already, which this would end.
    db('staff')
      .where({ email: email.trim().toLowerCase(), active: 1 })
      .whereNot({ password_hash: '' })
      .first('id', 'name', 'email'),
    db('mailbox')
      .where({ shared: 1 })
      .whereNotNull('verified_at')
      .whereNull('disconnected_at')
      .orderBy('id')
      .first(),
  ]);
  if (!member || !mailbox || !firm.webAddress) return;
  const { path } = await transact(db, async (trx) => {
    await noteAudit(trx, { staffId: null, action: 'link sent: reset', subject: 'staff', id: member.id });
    return makeLink(trx, 'reset', member.id, HOURS);
  });
  const raw = await new MailComposer({
    from: { name: firm.name, address: mailbox.address },
    to: { name: member.name, address: member.email },
    subject: 'A new password for Patient Clerk',
    text: [
      `Somebody, most likely you, has asked for a new password for Patient Clerk at ${firm.name}.`,
      `Choose one within the hour:\n\n${firm.webAddress}${path}`,
      'If it was not you, do nothing: your password stays as it is.',
    ].join('\n\n'),
    // Machines that answer letters leave this one alone (RFC 3834).
    headers: { 'Auto-Submitted': 'auto-generated' },
    newline: 'windows',
    disableFileAccess: true,
    disableUrlAccess: true,
  })
    .compile()
    .build();
  await withConnection(accessOf(mailbox, config), (connection) =>
    connection.send({ from: mailbox.address, to: [member.email] }, raw),
  ).catch((error: unknown) =>
    log.warn({ error: errorForLog(error) }, 'a link for a new password could not be sent'),
  );
}
