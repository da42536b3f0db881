import { createHash, randomBytes } from 'node:crypto';
import { Secret, TOTP } from 'otpauth';
import type { Knex } from 'knex';
import { seal, unseal } from './seal.ts';

/** Seconds a code serves, and the programs on all telephones reckon with (RFC 6238, section 4.1). */
const PERIOD = 30;
const DIGITS = 6;
/** Codes of so many periods before and after are taken: clocks differ, and typing takes time (RFC 6238, section 5.2). */
const WINDOW = 1;
const RECOVERY_CODES = 10;
/** Without the letters and figures that are taken for one another. */
const ALPHABET = 'ABCDEFGHJKLMNPQRSTUVWXYZ23456789';

function totp(secret: string, label = '', issuer = ''): TOTP {
  return new TOTP({ secret: Secret.fromBase32(secret), period: PERIOD, digits: DIGITS, label, issuer });
}

/**
 * The period whose code was typed (RFC 6238): none of the ones a code may be of when it is not right.
 * @param at in milliseconds
 */
export function periodOfCode(secret: string, code: string, at: number): number | null {
  const delta = totp(secret).validate({ token: code, timestamp: at, window: WINDOW });
  return delta === null ? null : Math.floor(at / 1000 / PERIOD) + delta;
}

/** The code of a moment. @param at in milliseconds */
export function codeAt(secret: string, at: number): string {
  return totp(secret).generate({ timestamp: at });
}

/** A fresh secret, as the telephone takes it in (`otpauth:`) and sealed, until a first code has shown that it did. */
export function offerSecret(
  key: Buffer,
  staffId: number,
  label: string,
  issuer: string,
): { uri: string; secret: string; sealed: string } {
  const secret = new Secret({ size: 20 }).base32;
  const sealed = seal(key, `${staffId} ${secret}`).toString('base64url');
  return { uri: totp(secret, label, issuer).toString(), secret, sealed };
}

/** The secret of an offer. @returns null when it was not made for this person */
export function offeredSecret(key: Buffer, staffId: number, sealed: string): string | null {
  try {
    const [who, secret = ''] = unseal(key, Buffer.from(sealed, 'base64url')).split(' ');
    return Number(who) === staffId ? secret : null;
  } catch {
    return null;
  }
}

/** Turns the second step on. @returns the codes that stand in for the telephone once each; kept as hashes only */
export async function turnOn(trx: Knex, key: Buffer, staffId: number, secret: string): Promise<string[]> {
  await trx('staff')
    .where({ id: staffId })
    .update({ second_step: seal(key, secret), second_step_last: null });
  return renewCodes(trx, staffId);
}

/** Fresh recovery codes in the place of those there were. */
export async function renewCodes(trx: Knex, staffId: number): Promise<string[]> {
  const codes = Array.from({ length: RECOVERY_CODES }, () => randomCode(10).replace(/.{5}(?=.)/, '$&-'));
  await trx('recovery_code').where({ staff_id: staffId }).delete();
  await trx('recovery_code').insert(
    codes.map((code) => ({ staff_id: staffId, code_hash: hashOfCode(code) })),
  );
  return codes;
}

/** Takes the second step away. */
export async function turnOff(trx: Knex, staffId: number): Promise<void> {
  await trx('staff').where({ id: staffId }).update({ second_step: null, second_step_last: null });
  await trx('recovery_code').where({ staff_id: staffId }).delete();
}

/** Letters and figures by chance, to be typed by hand. */
export function randomCode(length: number): string {
  // 32 letters: each byte tells one of them, all alike.
  return Array.from(randomBytes(length), (byte) => ALPHABET[byte % ALPHABET.length]).join('');
}

/** How a code is compared: however it was typed. */
export function hashOfCode(code: string): Buffer {
  const typed = code.toUpperCase().replace(/[^A-Z0-9]/g, '');
  return createHash('sha256').update(typed).digest();
}

/** Takes a code at sign-in: one of the telephone's, each period's once, or a recovery code, which is used up by it. */
export async function takeCode(
  db: Knex,
  key: Buffer,
  staff: { id: number; second_step: Buffer },
  code: string,
): Promise<boolean> {
  const figures = code.replace(/\s/g, '');
  if (/^\d{6}$/.test(figures)) {
    const period = periodOfCode(unseal(key, staff.second_step), figures, Date.now());
    if (period === null) return false;
    const used = await db('staff')
      .where({ id: staff.id })
      .where((fresh) => fresh.whereNull('second_step_last').orWhere('second_step_last', '<', period))
      .update({ second_step_last: period });
    return used === 1;
  }
  return (
    (await db('recovery_code')
      .where({ staff_id: staff.id, code_hash: hashOfCode(code) })
      .delete()) === 1
  );
}
