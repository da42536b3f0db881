import type { Knex } from 'knex';
import MailComposer from 'nodemailer/lib/mail-composer';
import type { AppContext } from '../foundation/context.ts';
import { errorForLog } from '../foundation/database.ts';
import type { Rows } from '../foundation/tables.ts';
import { accessOf } from './access.ts';
import { withConnection, type SmtpFault } from './smtp.ts';

/** What a server does not take at once is offered again after so long, in milliseconds: somebody waits for it. */
const WAITS = [0, 2000, 6000];

/** A short message that the program itself writes, to one person. */
export interface Notice {
  to: { name: string; address: string };
  subject: string;
  paragraphs: readonly string[];
}

/** The mailbox that notices go from: the office's first verified shared one; none where there is none. */
export async function mailboxOfNotices(db: Knex): Promise<Rows['mailbox'] | undefined> {
  const first = await db('mailbox')
    .where({ shared: 1 })
    .whereNotNull('verified_at')
    .whereNull('disconnected_at')
    .orderBy('id')
    .first();
  return first;
}

/**
 * Sends a notice at once from the office. It is no correspondence: it stands in no
 * ledger, and machines that answer letters leave it alone (RFC 3834).
 * @returns whether a server took it
 */
export async function sendNotice(context: AppContext, { to, subject, paragraphs }: Notice): Promise<boolean> {
  const { db, config, log } = context;
  const mailbox = await mailboxOfNotices(db);
  if (!mailbox) return false;
  const { name } = await context.firm();
  const raw = await new MailComposer({
    from: { name, address: mailbox.address },
    to,
    subject,
    text: paragraphs.join('\n\n'),
    headers: { 'Auto-Submitted': 'auto-generated' },
    newline: 'windows',
    disableFileAccess: true,
    disableUrlAccess: true,
  })
    .compile()
    .build();
  for (const wait of WAITS) {
    await new Promise((resolve) => setTimeout(resolve, wait * config.waitScale));
    try {
      await withConnection(accessOf(mailbox, config), (connection) =>
        connection.send({ from: mailbox.address, to: [to.address] }, raw),
      );
      return true;
    } catch (error) {
      log.warn({ error: errorForLog(error) }, 'a notice could not be sent');
      const { responseCode = 0 } = error as SmtpFault;
      if (responseCode < 400 || responseCode >= 500) return false;
    }
  }
  return false;
}
