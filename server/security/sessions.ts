import { createHash, randomBytes } from 'node:crypto';
import type { Knex } from 'knex';
import type { StaffMember } from '../../contract/common.ts';
import { hashPassword, passwordFits } from './passwords.ts';

const HOURS = 12;

const hashToken = (token: string) => createHash('sha256').update(token).digest();

/** Compared against when nobody has that address, so that the answer takes as long. */
const decoy = hashPassword(randomBytes(12).toString('hex'));

/**
 * Checks a password and opens a session.
 * @returns the token for the cookie, of which only a hash is kept; null when address or password is wrong
 */
export async function openSession(db: Knex, email: string, password: string): Promise<string | null> {
  const member: { id: number; password_hash: string } | undefined = await db('staff')
    .where({ email: email.trim().toLowerCase(), active: 1 })
    .first('id', 'password_hash');
  const fits = await passwordFits(member?.password_hash ?? (await decoy), password);
  if (!member || !fits) return null;
  const token = randomBytes(32).toString('base64url');
  const now = new Date();
  await db('session').where('expires_at', '<', now).delete();
  await db('session').insert({
    token_hash: hashToken(token),
    staff_id: member.id,
    created_at: now,
    seen_at: now,
    expires_at: new Date(now.getTime() + HOURS * 3600_000),
  });
  return token;
}

/** Who the token belongs to, while it lasts. */
export async function sessionStaff(db: Knex, token: string): Promise<StaffMember | null> {
  const row: StaffMember | undefined = await db('session')
    .join('staff', 'staff.id', 'session.staff_id')
    .where({ token_hash: hashToken(token), 'staff.active': 1 })
    .where('expires_at', '>', new Date())
    .first('staff.id', 'staff.name', 'staff.email', 'staff.role');
  return row ? { id: row.id, name: row.name, email: row.email, role: row.role } : null;
}

export async function closeSession(db: Knex, token: string): Promise<void> {
  await db('session')
    .where({ token_hash: hashToken(token) })
    .delete();
}
