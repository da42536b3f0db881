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

/** Whose address and password go together; null when nobody's do. */
export async function whoSignsIn(
  db: Knex,
  email: string,
  password: string,
): Promise<{ id: number; second_step: Buffer | null } | null> {
  const member = await db('staff')
    .where({ email: email.trim().toLowerCase(), active: 1 })
    .first('id', 'password_hash', 'second_step');
  const fits = await passwordFits(member?.password_hash || (await decoy), password);
  return member && fits ? { id: member.id, second_step: member.second_step } : null;
}

/** Opens a session for a person. @returns the token for the cookie, of which only a hash is kept */
export async function openSession(db: Knex, staffId: number): Promise<string> {
  const token = randomBytes(32).toString('base64url');
  const now = new Date();
  await db('session').where('expires_at', '<', now).delete();
  await db('session').insert({
    token_hash: hashToken(token),
    staff_id: staffId,
    created_at: now,
    seen_at: now,
    expires_at: new Date(now.getTime() + HOURS * 3600_000),
  });
  return token;
}

/** Somebody who is signed in. */
export interface SignedIn extends StaffMember {
  /** The office asks for a second step that they have not set up yet: nothing else is open to them. */
  secondStepFirst: boolean;
}

/** Who the token belongs to, while it lasts. @param asking whether the person does something, which keeps it alive */
export async function sessionStaff(
  db: Knex,
  token: string,
  { asking = true } = {},
): Promise<SignedIn | null> {
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
    second_step_first: db.raw<number>(
      `staff.second_step IS NULL AND EXISTS (SELECT 1 FROM setting
        WHERE setting.name = 'firm' AND JSON_VALUE(setting.value, '$.secondStep') = 1)`,
    ),
  });
  if (row && asking && now - row.seen_at.getTime() > NOTED)
    await db('session')
      .where({ token_hash: hashToken(token) })
      .update({ seen_at: new Date(now) });
  if (!row) return null;
  const { id, name, email, role } = row;
  return { id, name, email, role, secondStepFirst: Boolean(row.second_step_first) };
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

/** Whether this is the person's password. */
export async function isPassword(db: Knex, staffId: number, password: string): Promise<boolean> {
  const row = await db('staff').where({ id: staffId }).first('password_hash');
  return row !== undefined && (await passwordFits(row.password_hash, password));
}

/** Gives a person a password; every session of theirs ends but the one with the given token. */
export async function setPassword(
  db: Knex,
  staffId: number,
  password: string,
  token?: string,
): Promise<void> {
  await db('staff')
    .where({ id: staffId })
    .update({ password_hash: await hashPassword(password) });
  await closeSessions(db, staffId, token);
}
