import { randomUUID } from 'node:crypto';
import { resolveSrv } from 'node:dns/promises';
import { setTimeout as wait } from 'node:timers/promises';
import MailComposer from 'nodemailer/lib/mail-composer';
import type { Guess, MailboxAccess, TryResult, Verified } from '../../contract/index.ts';
import { domainOf } from '../../core/address/address.ts';
import { withConnection } from '../dispatch/smtp.ts';
import { beat } from '../database/pulse.ts';
import type { Office } from '../office.ts';
import { accessOf, connectionProblem, imapClient, type Access, type MailboxRow } from './connection.ts';

/** Asks DNS where a service is; injected so that it can be tested without a network. */
export type AskSrv = (name: string) => Promise<{ name: string; port: number; priority: number }[]>;

const askDns: AskSrv = (name) =>
  Promise.race([resolveSrv(name), wait(3000).then(() => Promise.reject(new Error('no answer')))]);

/**
 * Guesses how a mailbox is reached from its address: by the SRV records of RFC 6186 and RFC 8314, the
 * protected services first, or by the names and ports that are usual where DNS says nothing.
 */
export async function guessAccess(address: string, ask: AskSrv = askDns): Promise<Guess> {
  const domain = domainOf(address);
  const [imaps, imap, submissions, submission] = await Promise.all([
    best(ask, `_imaps._tcp.${domain}`),
    best(ask, `_imap._tcp.${domain}`),
    best(ask, `_submissions._tcp.${domain}`),
    best(ask, `_submission._tcp.${domain}`),
  ]);
  const incoming = imaps ?? imap;
  const outgoing = submissions ?? submission;
  const access: MailboxAccess = {
    imapHost: incoming?.name ?? `imap.${domain}`,
    imapPort: incoming?.port ?? 993,
    imapSecurity: imap && !imaps ? 'starttls' : 'tls',
    smtpHost: outgoing?.name ?? `smtp.${domain}`,
    smtpPort: outgoing?.port ?? 465,
    smtpSecurity: submission && !submissions ? 'starttls' : 'tls',
    user: address,
  };
  const words =
    incoming && outgoing
      ? `${domain} says where its mail servers are.`
      : incoming || outgoing
        ? `${domain} says where one of its mail servers is; the other is a guess.`
        : `${domain} does not say where its mail servers are. These are the usual names; your provider’s own page tells them surely.`;
  return { access, words };
}

async function best(ask: AskSrv, name: string): Promise<{ name: string; port: number } | null> {
  try {
    const records = await ask(name);
    const [first] = [...records].sort((a, b) => a.priority - b.priority);
    // A single "." says that the service is not offered (RFC 2782).
    return first && first.name && first.name !== '.' && first.port
      ? { name: first.name.replace(/\.$/, ''), port: first.port }
      : null;
  } catch {
    return null;
  }
}

/** The ways in as the database keeps them. */
export function columnsOf(access: MailboxAccess) {
  return {
    imap_host: access.imapHost,
    imap_port: access.imapPort,
    imap_security: access.imapSecurity,
    smtp_host: access.smtpHost,
    smtp_port: access.smtpPort,
    smtp_security: access.smtpSecurity,
    user: access.user,
  };
}

/** The ways in as the connection takes them. */
export function accessFrom(access: MailboxAccess, password: string): Access {
  return { ...columnsOf(access), password };
}

/** Tries the incoming server: reach it, sign in, list the folders. Never throws: what went wrong is told in words. */
export async function tryIncoming(access: Access): Promise<TryResult> {
  try {
    const client = imapClient(access);
    client.on('error', () => undefined);
    try {
      await client.connect();
      const folders = await client.list({ statusQuery: { messages: true } });
      const found = folders
        .filter((folder) => folder.status && !folder.flags.has('\\Noselect'))
        .map((folder) => ({ path: folder.path, messages: folder.status?.messages ?? 0 }));
      const messages = found.reduce((sum, folder) => sum + folder.messages, 0);
      return {
        ok: true,
        words: `Signed in. ${messages.toLocaleString('en-GB')} messages lie in ${found.length} folders.`,
        folders: found,
      };
    } finally {
      client.close();
    }
  } catch (error) {
    return { ok: false, words: connectionProblem(error).words, folders: [] };
  }
}

/** Tries the outgoing server: reach it and sign in. */
export async function tryOutgoing(access: Access): Promise<TryResult> {
  try {
    await withConnection(access, async () => undefined);
    return { ok: true, words: 'Signed in; mail may leave from here.', folders: [] };
  } catch (error) {
    return { ok: false, words: connectionProblem(error).words, folders: [] };
  }
}

const READ_BACK_SECONDS = 45;

/**
 * Sends a message from the mailbox to itself and reads it back; only then is the mailbox verified. The
 * message is taken away again, and marks itself as automatic (RFC 3834), so that nothing answers it.
 */
export async function verifyMailbox(office: Office, mailbox: MailboxRow): Promise<Verified> {
  const access = accessOf(mailbox, office.config.key);
  const messageId = `${randomUUID()}@${domainOf(mailbox.address)}`;
  try {
    const raw = await new MailComposer({
      from: mailbox.address,
      to: mailbox.address,
      subject: 'Test of this mailbox by Patient Clerk',
      text: 'This message went from the mailbox to itself. It will be taken away again.\n',
      messageId: `<${messageId}>`,
      headers: { 'Auto-Submitted': 'auto-generated' },
      newline: 'windows',
    })
      .compile()
      .build();
    await withConnection(access, (connection) =>
      connection.send({ from: mailbox.address, to: [mailbox.address] }, raw),
    );
  } catch (error) {
    return { ok: false, words: `The test message could not leave. ${connectionProblem(error).words}` };
  }
  try {
    if (!(await readBack(access, messageId)))
      return {
        ok: false,
        words: `The test message left, but has not arrived within ${READ_BACK_SECONDS} seconds. Try again in a few minutes.`,
      };
  } catch (error) {
    return { ok: false, words: `The test message could not be read back. ${connectionProblem(error).words}` };
  }
  await office.db('mailbox').where({ id: mailbox.id }).update({ verified_at: new Date() });
  await beat(office.db, 'mailboxes');
  return { ok: true, words: 'Verified: a test message went out and came back.' };
}

async function readBack(access: Access, messageId: string): Promise<boolean> {
  const client = imapClient(access);
  client.on('error', () => undefined);
  try {
    await client.connect();
    const lock = await client.getMailboxLock('INBOX');
    try {
      for (let second = 0; second < READ_BACK_SECONDS; second++) {
        const found = await client.search({ header: { 'message-id': `<${messageId}>` } }, { uid: true });
        if (Array.isArray(found) && found.length) {
          await client.messageDelete(found.join(','), { uid: true });
          return true;
        }
        await wait(1000);
      }
      return false;
    } finally {
      lock.release();
    }
  } finally {
    client.close();
  }
}
