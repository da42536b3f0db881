import { transact } from '../../foundation/database.ts';
import { randomUUID } from 'node:crypto';
import { resolveSrv } from 'node:dns/promises';
import { setTimeout as wait } from 'node:timers/promises';
import MailComposer from 'nodemailer/lib/mail-composer';
import type { Guess, MailboxAccess, StaffMember, TryResult, Verified } from '../../../contract/index.ts';
import { may } from '../../../contract/rights.ts';
import { domainOf } from '../../../core/address/address.ts';
import { withConnection } from '../../mailserver/smtp.ts';
import { noteChange } from '../../foundation/changes.ts';
import type { AppContext } from '../../foundation/context.ts';
import { readSource } from '../../reading/pool.ts';
import { imapClient, openFolder } from '../../mailserver/imap.ts';
import { Refusal } from '../../foundation/refusal.ts';
import { accessOf, believing, type Access, type MailboxRow } from '../../mailserver/access.ts';
import { connectionProblem } from '../../mailserver/problem.ts';
import { isPrivate } from '../../mailserver/networks.ts';

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
export function accessFrom(context: AppContext, access: MailboxAccess, password: string): Access {
  return { ...columnsOf(access), password, ...believing(context.config.mailAuthorities) };
}

/** So long a try may take, whatever the server does, in milliseconds. */
const PATIENCE = 25_000;

/** @throws ETIMEDOUT when it takes longer than anybody waits */
async function inTime<T>(work: Promise<T>): Promise<T> {
  const late = new AbortController();
  try {
    return await Promise.race([
      work,
      wait(PATIENCE, undefined, { signal: late.signal }).then(() => {
        throw Object.assign(new Error('too slow'), { code: 'ETIMEDOUT' });
      }),
    ]);
  } finally {
    late.abort();
    work.catch(() => undefined);
  }
}

/**
 * Refuses to reach for a server within a network: whoever may not look around there learns nothing about it.
 * What a mailbox of the firm is kept at is known already.
 * @throws Refusal for a server that is none of a mail provider's, or when too many were tried
 */
export async function refuseStrangeServers(
  context: AppContext,
  staff: StaffMember,
  access: MailboxAccess,
): Promise<void> {
  if (may(staff.role, 'reach private networks')) return;
  for (const [host, port, column] of [
    [access.imapHost, access.imapPort, 'imap'],
    [access.smtpHost, access.smtpPort, 'smtp'],
  ] as const) {
    if (!(await isPrivate(host))) continue;
    const known = await context
      .db('mailbox')
      .where({ [`${column}_host`]: host, [`${column}_port`]: port })
      .whereNull('disconnected_at')
      .first('id');
    if (!known)
      throw new Refusal(
        403,
        'That server lies within a network. Ask your office manager to connect it first.',
        `${column}Host`,
      );
  }
}

/** Tries the incoming server: reach it, sign in, list the folders. Never throws: what went wrong is told in words. */
export async function tryIncoming(access: Access): Promise<TryResult> {
  try {
    const client = imapClient(access);
    client.on('error', () => undefined);
    try {
      const folders = await inTime(
        client.connect().then(() => client.list({ statusQuery: { messages: true } })),
      );
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
    return { ok: false, words: connectionProblem(error, { ownWords: false }).words, folders: [] };
  }
}

/** Tries the outgoing server: reach it and sign in. */
export async function tryOutgoing(access: Access): Promise<TryResult> {
  try {
    await inTime(withConnection(access, async () => undefined));
    return { ok: true, words: 'Signed in; mail may leave from here.', folders: [] };
  } catch (error) {
    return { ok: false, words: connectionProblem(error, { ownWords: false }).words, folders: [] };
  }
}

const READ_BACK_SECONDS = 45;

/**
 * Sends a message from the mailbox to itself and reads it back; only then is the mailbox verified. The
 * message is taken away again, and marks itself as automatic (RFC 3834), so that nothing answers it.
 */
export async function verifyMailbox(context: AppContext, mailbox: MailboxRow): Promise<Verified> {
  const access = accessOf(mailbox, context.config);
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
    const returned = await readBack(access, messageId);
    if (returned) await believe(context, mailbox.id, returned);
    else
      return {
        ok: false,
        words: `The test message left, but has not arrived within ${READ_BACK_SECONDS} seconds. Try again in a few minutes.`,
      };
  } catch (error) {
    return { ok: false, words: `The test message could not be read back. ${connectionProblem(error).words}` };
  }
  await transact(context.db, async (trx) => {
    await trx('mailbox').where({ id: mailbox.id }).update({ verified_at: new Date() });
    await noteChange(trx, 'mailboxes', 'mailbox', [mailbox.id]);
  });
  return { ok: true, words: 'Verified: a test message went out and came back.' };
}

/**
 * What our own message says when it has come back was written by our own server: the name under which it
 * writes is believed from now on, unless somebody has said otherwise.
 */
async function believe(context: AppContext, mailboxId: number, raw: Uint8Array): Promise<void> {
  const { kept } = await readSource(raw, { urgent: true });
  const name = kept.read.checks[0]?.by;
  if (!name) return;
  await context.db.raw(
    `INSERT INTO mailbox_server (mailbox_id, name, seen, believed, believed_since) VALUES (?, ?, 1, 1, ?)
      ON DUPLICATE KEY UPDATE believed_since = IF(believed_since IS NULL, VALUES(believed_since), believed_since),
        believed = IF(believed_by IS NULL, 1, believed)`,
    [mailboxId, name, new Date()],
  );
}

/** The test message as it arrived, taken away again; null when it does not arrive in time. */
async function readBack(access: Access, messageId: string): Promise<Uint8Array | null> {
  const client = imapClient(access);
  client.on('error', () => undefined);
  try {
    await client.connect();
    const lock = await openFolder(client, 'INBOX');
    try {
      for (let second = 0; second < READ_BACK_SECONDS; second++) {
        const found = await client.search({ header: { 'message-id': `<${messageId}>` } }, { uid: true });
        if (Array.isArray(found) && found.length) {
          const message = await client.fetchOne(String(found[0]), { source: true }, { uid: true });
          await client.messageDelete(found.join(','), { uid: true });
          return (message && message.source) || new Uint8Array();
        }
        await wait(1000);
      }
      return null;
    } finally {
      lock.release();
    }
  } finally {
    client.close();
  }
}
