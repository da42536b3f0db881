import { ImapFlow, type MailboxLockObject, type MailboxObject } from 'imapflow';
import { tlsOptions, type Access } from './access.ts';
import { refuseOpenNetwork } from './networks.ts';

/** What a server last said when it refused something: the client tells only that it did. */
const refusals = new WeakMap<ImapFlow, string>();

/** The server's own words when it last refused a command, and forgets them. */
export function lastRefusal(client: ImapFlow): string {
  const words = refusals.get(client) ?? '';
  refusals.delete(client);
  return words.replace(/^\[[^\]]{0,60}\]\s?/, '').slice(0, 200);
}

/** An IMAP connection, not yet opened. @throws when it would cross a network unprotected */
export function imapClient(access: Access): ImapFlow {
  refuseOpenNetwork(access.imap_host, access.imap_security);
  const quiet = () => undefined;
  const logger = {
    trace: quiet,
    debug: quiet,
    info: quiet,
    error: quiet,
    warn: ({ err }: { err?: { response?: unknown; responseText?: string } }) => {
      const said = err?.responseText ?? err?.response;
      if (typeof said === 'string') refusals.set(client, said);
    },
    // What nobody hears is not written out: else each answer of a server is, once more.
    isLevelEnabled: (level: string) => level === 'warn',
  };
  const client: ImapFlow = new ImapFlow({
    host: access.imap_host,
    port: access.imap_port,
    secure: access.imap_security === 'tls',
    doSTARTTLS: access.imap_security === 'starttls',
    auth: { user: access.user, pass: access.password },
    tls: tlsOptions(access),
    logger,
    disableAutoIdle: true,
    qresync: true,
    clientInfo: { name: 'Patient Clerk' },
    socketTimeout: 5 * 60_000,
    greetingTimeout: 15_000,
    connectionTimeout: 20_000,
  });
  return client;
}

/** Folders as they were opened: one that is found open again may be shown as it was then. */
const opened = new WeakSet<MailboxObject>();

/**
 * Opens a folder and holds it until it is released. A folder that was open already is looked at anew: until it is
 * asked, a server may go on showing it as it was (RFC 3501 sections 5.2 and 6.1.2), and what is not found would be
 * taken for gone, or for missing.
 * @throws what the server refuses, and when the connection fails
 */
export async function openFolder(
  client: ImapFlow,
  path: string,
  options: { readOnly?: boolean } = {},
): Promise<MailboxLockObject> {
  const lock = await client.getMailboxLock(path, options);
  try {
    const { mailbox } = client;
    if (mailbox && opened.has(mailbox)) await client.noop();
    else if (mailbox) opened.add(mailbox);
    return lock;
  } catch (error) {
    lock.release();
    throw error;
  }
}

/** Whether a server said no to a command, the connection being as it was. */
export function isRefusal(error: unknown): boolean {
  const { responseStatus, code } = error as { responseStatus?: string; code?: string };
  return (responseStatus === 'NO' || responseStatus === 'BAD') && code !== 'ETHROTTLE';
}
