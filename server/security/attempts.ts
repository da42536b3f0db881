import { selectFirst } from '../foundation/rows.ts';
import type { Knex } from 'knex';
import { Refusal } from '../foundation/refusal.ts';

/** What is tried, and how often that may fail before whoever tries has to wait. */
const MEASURES = {
  /** Passwords from one network address. */
  'sign in from': { most: 40, minutes: 15 },
  /** Passwords for one account from one network address. */
  'sign in as': { most: 10, minutes: 15 },
  /** Passwords for one account, from wherever: guessing spread over many addresses. */
  'sign in to': { most: 100, minutes: 15 },
  /** Codes for setting an office up, and one-time links, from one network address. */
  'use a code from': { most: 20, minutes: 15 },
  /** Links for a new password sent to one account, and asked for from one network address. */
  'forget a password': { most: 5, minutes: 60 },
  'forget from': { most: 20, minutes: 60 },
  /** Links to clients' pages that open nothing, from one network address. */
  'open a page from': { most: 40, minutes: 15 },
  /** Codes sent for one page: whoever asks has its link. */
  'page code for': { most: 6, minutes: 60 },
  /** Wrong codes for one page, however many were sent and from wherever. */
  'page code wrong for': { most: 15, minutes: 60 },
  /** What one page may be given. */
  'put on a page': { most: 60, minutes: 60 },
  'line on a page': { most: 20, minutes: 60 },
  /** Mail servers that one person tries to reach. */
  'reach a server': { most: 20, minutes: 10 },
} as const;

export type Measured = keyof typeof MEASURES;

/** Older ones count for nothing any more, in milliseconds. */
const FORGOTTEN = 24 * 3600_000;
const LONGEST = 254;

/** Minutes to wait before the next try; 0 when it may be made now. Counted in the database, for all processes. */
export async function mustWait(db: Knex, what: Measured, who: string): Promise<number> {
  const { most, minutes } = MEASURES[what];
  const tries = db('attempt')
    .where({ what, who: who.slice(0, LONGEST) })
    .where('at', '>', new Date(Date.now() - minutes * 60_000));
  const row = await selectFirst(tries, {
    count: db.raw<number>('COUNT(*)'),
    first: db.raw<Date | null>('MIN(at)'),
  });
  if (!row || row.count < most) return 0;
  const first = row.first?.getTime() ?? Date.now();
  return Math.max(1, Math.ceil((first + minutes * 60_000 - Date.now()) / 60_000));
}

/**
 * @param words what was done too often, up to how long to wait; and what else one may do
 * @throws Refusal when it was tried too often
 */
export async function refuseTooMany(
  db: Knex,
  what: Measured,
  who: string,
  words: string,
  or?: string,
  field: string | null = null,
): Promise<void> {
  const minutes = await mustWait(db, what, who);
  if (!minutes) return;
  const wait = minutes === 1 ? 'a minute' : `${minutes} minutes`;
  throw new Refusal(429, `${words} ${wait}${or ? `, ${or}` : ''}.`, field);
}

/** Notes a try that counts. */
export async function noteAttempt(db: Knex, what: Measured, who: string): Promise<void> {
  const now = new Date();
  await db('attempt').insert({ what, who: who.slice(0, LONGEST), at: now });
  await db('attempt')
    .where('at', '<', new Date(now.getTime() - FORGOTTEN))
    .limit(500)
    .delete();
}
