import { domainOf } from '../core/address/address.ts';
import { sameOrganisation } from '../core/address/domain.ts';
import { readAddress } from '../core/message/read.ts';

/** The name under which the exchange writes down what it found out about senders (RFC 8601: authserv-id). */
export const EXCHANGE = 'exchange.outside.example';

/** How a message came to the exchange. */
export interface Coming {
  /** Who signed in to hand it over; null for one of the world's own correspondents, whose letters are genuine. */
  user: string | null;
  /** The name the peer gave in EHLO: it stands for the network address that SPF looks at. */
  peer: string;
  /** Of the envelope. */
  sender: string;
}

/**
 * Puts the exchange's own findings on top, as a receiving server does. Out here every known domain publishes
 * whom its mail comes from: the peer that bears its name, or the staff member who signed in at that very address.
 * What claims to be the exchange's findings already is taken away (RFC 8601 section 5).
 * @param known whether a domain is somebody's out here; of others nothing can be found out
 */
export function vouched(raw: Buffer, coming: Coming | null, known: (domain: string) => boolean): Buffer {
  const end = raw.indexOf('\r\n\r\n');
  const head = raw.subarray(0, end < 0 ? raw.length : end + 2).toString('latin1');
  const fields = head.split(/\r\n(?![ \t])/).map((field) => `${field}\r\n`);
  if (head.endsWith('\r\n')) fields.pop();
  const claims = (field: string) =>
    /^authentication-results:/i.test(field) &&
    field
      .slice(23, 23 + 2 * EXCHANGE.length)
      .toLowerCase()
      .includes(EXCHANGE);
  const from = fields.find((field) => /^from:/i.test(field))?.slice(5) ?? '';
  const address = readAddress(from.replace(/\r?\n[ \t]+/g, ' '))[0]?.address.toLowerCase() ?? '';
  const found = Buffer.from(`Authentication-Results: ${EXCHANGE}; ${findings(address, coming, known)}\r\n`);
  const kept = fields.filter((field) => !claims(field)).join('');
  return Buffer.concat([found, Buffer.from(kept, 'latin1'), raw.subarray(end < 0 ? raw.length : end + 2)]);
}

function findings(from: string, coming: Coming | null, known: (domain: string) => boolean): string {
  const domain = domainOf(from) || 'unknown.invalid';
  if (coming === null || sameOrganisation(coming.peer, domain))
    return `spf=pass smtp.mailfrom=${coming?.sender || from}; dkim=pass header.d=${domain}; dmarc=pass header.from=${domain}`;
  if (coming.user === from) return `auth=pass smtp.auth=${from}`;
  return known(domain)
    ? `spf=fail smtp.mailfrom=${coming.sender}; dkim=none; dmarc=fail header.from=${domain}`
    : `spf=none smtp.mailfrom=${coming.sender}; dkim=none; dmarc=none header.from=${domain}`;
}
