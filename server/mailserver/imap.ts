import { lookup } from 'node:dns/promises';
import { BlockList, isIP } from 'node:net';
import { rootCertificates } from 'node:tls';
import { ImapFlow } from 'imapflow';
import type { Config } from '../foundation/config.ts';
import { isDatabaseError } from '../foundation/database.ts';
import { unseal } from '../security/seal.ts';

/** How a connection is protected: from the first byte, after asking (STARTTLS), or not at all, on loopback only. */
export type Security = 'tls' | 'starttls' | 'none';

/** What it takes to reach a mailbox. */
export interface Access {
  imap_host: string;
  imap_port: number;
  imap_security: Security;
  smtp_host: string;
  smtp_port: number;
  smtp_security: Security;
  user: string;
  password: string;
  /** Further authorities whose certificates are believed, as PEM; for mail servers within an office. */
  authorities?: string;
}

export interface MailboxRow extends Omit<Access, 'password' | 'authorities'> {
  id: number;
  staff_id: number;
  address: string;
  name: string;
  shared: number;
  sealed_password: Buffer;
  take_from: string | null;
  verified_at: Date | null;
  paused_at: Date | null;
  retry_at: Date | null;
}

/** The ways in to a mailbox, its password unsealed. */
export function accessOf(mailbox: MailboxRow, { key, mailAuthorities }: KeyAndAuthorities): Access {
  return { ...mailbox, password: unseal(key, mailbox.sealed_password), ...believing(mailAuthorities) };
}

type KeyAndAuthorities = Pick<Config, 'key' | 'mailAuthorities'>;

/** The part of {@link Access} that says whose certificates are believed. */
export function believing(authorities: string | undefined): Pick<Access, 'authorities'> {
  return authorities ? { authorities } : {};
}

/** What a protected connection believes: the usual authorities, and those of the office's own. */
export function tlsOptions({ authorities }: Access): { ca?: string[] } {
  return authorities ? { ca: [...rootCertificates, authorities] } : {};
}

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
  const client: ImapFlow = new ImapFlow({
    host: access.imap_host,
    port: access.imap_port,
    secure: access.imap_security === 'tls',
    doSTARTTLS: access.imap_security === 'starttls',
    auth: { user: access.user, pass: access.password },
    tls: tlsOptions(access),
    logger: {
      trace: quiet,
      debug: quiet,
      info: quiet,
      error: quiet,
      warn: ({ err }: { err?: { response?: unknown; responseText?: string } }) => {
        const said = err?.responseText ?? err?.response;
        if (typeof said === 'string') refusals.set(client, said);
      },
    },
    disableAutoIdle: true,
    qresync: true,
    clientInfo: { name: 'Patient Clerk' },
    socketTimeout: 5 * 60_000,
    greetingTimeout: 15_000,
    connectionTimeout: 20_000,
  });
  return client;
}

/** Whether a server said no to a command, the connection being as it was. */
export function isRefusal(error: unknown): boolean {
  const { responseStatus, code } = error as { responseStatus?: string; code?: string };
  return (responseStatus === 'NO' || responseStatus === 'BAD') && code !== 'ETHROTTLE';
}

/** Passwords and mail cross no network in the clear: without TLS there is only this machine itself. */
export function refuseOpenNetwork(host: string, security: Security): void {
  if (security === 'none' && !isLoopback(host))
    throw Object.assign(new Error('unprotected connection'), { code: 'UNPROTECTED' });
}

const LOOPBACK = new BlockList();
LOOPBACK.addSubnet('127.0.0.0', 8, 'ipv4');
LOOPBACK.addAddress('::1', 'ipv6');

/** Addresses that only mean something within a network (RFC 6890; the shared ones of RFC 6598 among them). */
const PRIVATE = new BlockList();
for (const [net, bits] of [
  ['0.0.0.0', 8],
  ['10.0.0.0', 8],
  ['100.64.0.0', 10],
  ['127.0.0.0', 8],
  ['169.254.0.0', 16],
  ['172.16.0.0', 12],
  ['192.168.0.0', 16],
  ['224.0.0.0', 3],
] as const)
  PRIVATE.addSubnet(net, bits, 'ipv4');
for (const [net, bits] of [
  ['::', 127],
  ['fc00::', 7],
  ['fe80::', 10],
  ['ff00::', 8],
] as const)
  PRIVATE.addSubnet(net, bits, 'ipv6');

function within(list: BlockList, address: string): boolean {
  const family = isIP(address);
  return family !== 0 && list.check(address, family === 6 ? 'ipv6' : 'ipv4');
}

/** Whether a host is this machine itself: by its address, never by how its name begins. */
export function isLoopback(host: string): boolean {
  return host === 'localhost' || within(LOOPBACK, host);
}

/** Whether a host lies within a network rather than on the internet, by all the addresses its name stands for. */
export async function isPrivate(host: string): Promise<boolean> {
  if (isIP(host)) return within(PRIVATE, host);
  const found = await lookup(host, { all: true }).catch(() => []);
  return found.some(({ address }) => within(PRIVATE, address));
}

/** What went wrong with a connection, in words, and whether it takes a person to mend it. */
export interface ConnectionProblem {
  words: string;
  needsPerson: boolean;
}

const PROBLEMS: readonly [codes: string[], words: string, needsPerson: boolean][] = [
  [['EAUTH', 'AUTHENTICATIONFAILED'], 'The password was refused.', true],
  [['ECONNREFUSED'], 'The mail server does not answer at that port.', false],
  [['ENOTFOUND'], 'There is no mail server of that name.', true],
  [['EAI_AGAIN'], 'The mail server’s name could not be looked up; the network may be down.', false],
  [
    ['ETIMEDOUT', 'CONNECT_TIMEOUT', 'ETIMEOUT', 'GREETING_TIMEOUT', 'EHOSTUNREACH', 'ENETUNREACH'],
    'The mail server does not answer in time.',
    false,
  ],
  [['CERT_HAS_EXPIRED'], 'The mail server’s certificate has expired.', true],
  [['ERR_TLS_CERT_ALTNAME_INVALID'], 'The mail server’s certificate is for another name.', true],
  [
    ['DEPTH_ZERO_SELF_SIGNED_CERT', 'SELF_SIGNED_CERT_IN_CHAIN', 'UNABLE_TO_VERIFY_LEAF_SIGNATURE'],
    'The mail server’s certificate is signed by nobody we know.',
    true,
  ],
  [
    ['ERR_SSL_WRONG_VERSION_NUMBER', 'ESOCKET', 'ETLS', 'EPROTO', 'ERR_SSL_PACKET_LENGTH_TOO_LONG'],
    'No protected connection could be made at that port; perhaps it wants the other kind of protection.',
    true,
  ],
  [['UNPROTECTED'], 'A connection without protection is allowed on this machine itself only.', true],
  [['NoConnection', 'EConnectionClosed', 'ECONNRESET'], 'The connection to the mail server was lost.', false],
  [['ETHROTTLE'], 'The mail server asks us to go slower.', false],
];

/** What OpenSSL says of certificates (its manual, X509_verify_cert_error_string), and Node of their names. */
const CERTIFICATES: readonly [said: RegExp, words: string][] = [
  [
    /self[- ]signed certificate|unable to (?:verify the first|get (?:local )?issuer) certificate/i,
    'The mail server’s certificate is signed by nobody we know.',
  ],
  [/certificate has expired/i, 'The mail server’s certificate has expired.'],
  [/does not match certificate's altnames/i, 'The mail server’s certificate is for another name.'],
];

/**
 * Says in words what went wrong with a mailbox's connection, and whether a person can help.
 * @param ownWords whether the server's own words may be told: not those of a server that is only tried
 */
export function connectionProblem(error: unknown, { ownWords = true } = {}): ConnectionProblem {
  const fault = error as {
    authenticationFailed?: boolean;
    serverResponseCode?: string;
    responseCode?: number;
    code?: string;
    responseText?: string;
    message?: string;
  };
  if (isDatabaseError(error))
    return {
      words: 'The mail could not be kept in our database; it will be tried again.',
      needsPerson: false,
    };
  // "Try later" and "in use" come with a refused sign-in too, and mend themselves (RFC 5530).
  const passing = ['UNAVAILABLE', 'INUSE', 'LIMIT', 'SERVERBUG'].includes(fault.serverResponseCode ?? '');
  // An outgoing server says so by a code of its own (RFC 4954, section 6).
  if (fault.code === 'EAUTH' && fault.responseCode && fault.responseCode < 500)
    return { words: 'The mail server cannot check the password at the moment.', needsPerson: false };
  if (fault.authenticationFailed && !passing)
    return { words: 'The password was refused.', needsPerson: true };
  // Outgoing connections wrap the reason in a code of their own; OpenSSL's words say it.
  const certificate = CERTIFICATES.find(([words]) => words.test(fault.message ?? ''));
  if (certificate) return { words: certificate[1], needsPerson: true };
  // They wrap the system's own code in their words, too.
  const own = /\b(?:ECONNREFUSED|ENOTFOUND|EAI_AGAIN|ETIMEDOUT|EHOSTUNREACH|ECONNRESET)\b/.exec(
    fault.message ?? '',
  );
  const code = own?.[0] ?? fault.code ?? '';
  const known = PROBLEMS.find(([codes]) => codes.includes(code));
  if (known) return { words: known[1], needsPerson: known[2] };
  const said = ownWords ? fault.responseText || fault.message : '';
  return {
    words: (said || 'The mail server gave an answer that we do not understand.').slice(0, 300),
    needsPerson: false,
  };
}
