import { ImapFlow } from 'imapflow';
import { unseal } from '../security/seal.ts';

export interface MailboxRow {
  id: number;
  staff_id: number;
  address: string;
  imap_host: string;
  imap_port: number;
  smtp_host: string;
  smtp_port: number;
  secure: number;
  user: string;
  sealed_password: Buffer;
  retry_at: Date | null;
}

/** An IMAP connection to a mailbox, not yet opened. */
export function imapClient(mailbox: MailboxRow, key: Buffer): ImapFlow {
  return new ImapFlow({
    host: mailbox.imap_host,
    port: mailbox.imap_port,
    secure: Boolean(mailbox.secure),
    // Without TLS only on loopback, where the outside world of the demo and tests lives.
    doSTARTTLS: mailbox.secure ? undefined : !isLoopback(mailbox.imap_host),
    auth: { user: mailbox.user, pass: unseal(key, mailbox.sealed_password) },
    logger: false,
    disableAutoIdle: true,
    clientInfo: { name: 'Patient Clerk' },
    socketTimeout: 5 * 60_000,
    greetingTimeout: 15_000,
  });
}

export function isLoopback(host: string): boolean {
  return host === 'localhost' || host === '::1' || host.startsWith('127.');
}

/** Says in words what went wrong with a mailbox's connection. */
export function connectionProblem(error: unknown): string {
  const fault = error as {
    authenticationFailed?: boolean;
    code?: string;
    responseText?: string;
    message?: string;
    sqlMessage?: string;
  };
  if (fault.sqlMessage) return 'The mail could not be kept in our database; it will be tried again.';
  if (fault.authenticationFailed) return 'The password was refused.';
  switch (fault.code) {
    case 'ECONNREFUSED':
      return 'The mail server does not answer at that port.';
    case 'ENOTFOUND':
    case 'EAI_AGAIN':
      return 'There is no mail server of that name.';
    case 'ETIMEDOUT':
    case 'CONNECT_TIMEOUT':
    case 'ETIMEOUT':
    case 'GREETING_TIMEOUT':
      return 'The mail server does not answer in time.';
    case 'CERT_HAS_EXPIRED':
      return 'The mail server’s certificate has expired.';
    case 'ERR_TLS_CERT_ALTNAME_INVALID':
      return 'The mail server’s certificate is for another name.';
    case 'NoConnection':
    case 'EConnectionClosed':
    case 'ECONNRESET':
      return 'The connection to the mail server was lost.';
    default:
      return (fault.responseText || fault.message || 'The mailbox could not be read.').slice(0, 300);
  }
}
