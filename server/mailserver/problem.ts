import { isDatabaseError } from '../foundation/database.ts';

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
