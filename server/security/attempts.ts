import { selectFirst } from '../foundation/rows.ts';
import type { Knex } from 'knex';

/** What is tried, and how often that may fail before whoever tries has to wait. */
const MEASURES = {
  /** Passwords from one network address. */
  'sign in from': { most: 40, minutes: 15 },
  /** Passwords for one account from one network address. */
  'sign in as': { most: 10, minutes: 15 },
  /** Passwords for one account, from wherever: guessing spread over many addresses. */
  'sign in to': { most: 100, minutes: 15 },
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

/** Notes a try that counts. */
export async function noteAttempt(db: Knex, what: Measured, who: string): Promise<void> {
  const now = new Date();
  await db('attempt').insert({ what, who: who.slice(0, LONGEST), at: now });
  await db('attempt')
    .where('at', '<', new Date(now.getTime() - FORGOTTEN))
    .limit(500)
    .delete();
}
