import { createHmac, timingSafeEqual } from 'node:crypto';

/** What a link may be for: one made for one thing opens nothing else. */
export type LinkPurpose = 'opt out' | 'opened' | `link ${number}` | `trial ${number}` | `page ${number}`;

const MAC_BYTES = 18;

/**
 * A signed token for a link that strangers get: a number and the proof that it came from here (HMAC-SHA-256, cut to
 * 144 bits). It holds nothing that could be read.
 * @param key 32 bytes, kept outside the database
 */
export function signLink(key: Buffer, purpose: LinkPurpose, id: number): string {
  return Buffer.concat([numberBytes(id), mac(key, purpose, id)]).toString('base64url');
}

/** @returns the number that a token was made for; null when it was not made here for that purpose */
export function readLink(key: Buffer, purpose: LinkPurpose, token: string): number | null {
  if (!/^[\w-]{32}$/.test(token)) return null;
  const bytes = Buffer.from(token, 'base64url');
  const id = bytes.readUIntBE(0, 6);
  return timingSafeEqual(bytes.subarray(6), mac(key, purpose, id)) ? id : null;
}

/** The number a token says it is of, unproven: good for looking up what {@link readLink} then proves it by. */
export function claimedNumber(token: string): number | null {
  return /^[\w-]{32}$/.test(token) ? Buffer.from(token, 'base64url').readUIntBE(0, 6) : null;
}

function numberBytes(id: number): Buffer {
  const bytes = Buffer.alloc(6);
  bytes.writeUIntBE(id, 0, 6);
  return bytes;
}

function mac(key: Buffer, purpose: LinkPurpose, id: number): Buffer {
  return createHmac('sha256', key).update(`link: ${purpose}: ${id}`).digest().subarray(0, MAC_BYTES);
}
