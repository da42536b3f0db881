import { selectFirst } from '../foundation/rows.ts';
import { createHash, randomBytes } from 'node:crypto';
import type { Knex } from 'knex';
import type { StaffMember } from '../../contract/common.ts';
import { hashPassword, passwordFits } from './passwords.ts';

const HOURS = 12;
/** Without a request for so long a session ends before its time. */
const IDLE_HOURS = 3;
/** The last request is noted this often, in milliseconds. */
const NOTED = 60_000;

const hashToken = (token: string) => createHash('sha256').update(token).digest();

/** Compared against when nobody has that address, so that the answer takes as long. */
const decoy = hashPassword(randomBytes(12).toString('hex'));

/**
 * Checks a password and opens a session.
 * @returns the token for the cookie, of which only a hash is kept; null when address or password is wrong
 */
export async function openSession(db: Knex, email: string, password: string): Promise<string | null> {
  const member = await db('staff')
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

/** Who the token belongs to, while it lasts. @param asking whether the person does something, which keeps it alive */
export async function sessionStaff(
  db: Knex,
  token: string,
  { asking = true } = {},
): Promise<StaffMember | null> {
  const now = Date.now();
  const session = db('session')
    .join('staff', 'staff.id', 'session.staff_id')
    .where('session.token_hash', hashToken(token))
    .where('staff.active', 1)
    .where('expires_at', '>', new Date(now))
    .where('seen_at', '>', new Date(now - IDLE_HOURS * 3600_000));
  const row = await selectFirst(session, {
    id: 'staff.id',
    name: 'staff.name',
    email: 'staff.email',
    role: 'staff.role',
    seen_at: 'session.seen_at',
  });
  if (row && asking && now - row.seen_at.getTime() > NOTED)
    await db('session')
      .where({ token_hash: hashToken(token) })
      .update({ seen_at: new Date(now) });
  return row ? { id: row.id, name: row.name, email: row.email, role: row.role } : null;
}

/** Ends one session. */
export async function closeSession(db: Knex, token: string): Promise<void> {
  await db('session')
    .where({ token_hash: hashToken(token) })
    .delete();
}

/** Ends every session of a person, but for the one with the given token. */
export async function closeSessions(db: Knex, staffId: number, but?: string): Promise<void> {
  const sessions = db('session').where({ staff_id: staffId });
  if (but !== undefined) sessions.whereNot({ token_hash: hashToken(but) });
  await sessions.delete();
}

/**
 * Changes a password; every other session of the person ends.
 * @param token of the session that stays
 * @returns whether the present password was right
 */
export async function changePassword(
  db: Knex,
  staffId: number,
  current: string,
  next: string,
  token: string,
): Promise<boolean> {
  const row = await db('staff').where({ id: staffId }).first('password_hash');
  if (!row || !(await passwordFits(row.password_hash, current))) return false;
  await db('staff')
    .where({ id: staffId })
    .update({ password_hash: await hashPassword(next) });
  await closeSessions(db, staffId, token);
  return true;
}
