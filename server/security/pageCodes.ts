import { timingSafeEqual } from 'node:crypto';
import { HOTP, Secret } from 'otpauth';
import { seal, unseal } from './seal.ts';

const DIGITS = 6;

/** A fresh secret for the codes of one page, sealed. */
export function freshPageSecret(key: Buffer): Buffer {
  return seal(key, new Secret({ size: 20 }).base32);
}

/** The code of six figures that belongs to a count (HOTP, RFC 4226). @param secret in base 32 */
export function codeOfCount(secret: string, count: number): string {
  return new HOTP({ secret: Secret.fromBase32(secret), digits: DIGITS }).generate({ counter: count });
}

/** The same of a sealed secret. */
export function pageCode(key: Buffer, sealed: Buffer, count: number): string {
  return codeOfCount(unseal(key, sealed), count);
}

/** Whether what was typed is a code; in the same time whichever figures are wrong. */
export function isCode(typed: string, code: string): boolean {
  const figures = typed.replace(/\s/g, '');
  return (
    /^\d{6}$/.test(figures) &&
    figures.length === code.length &&
    timingSafeEqual(Buffer.from(figures), Buffer.from(code))
  );
}
