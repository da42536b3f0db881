/** What a server's answer to one recipient means for what we do next. */
export type AnswerMeaning = 'sent' | 'delayed' | 'returned';

/** RFC 5321 section 4.2.1: 2yz is done, 4yz may be tried again, 5yz is final. */
export function meaningOf(code: number): AnswerMeaning {
  if (code >= 200 && code < 300) return 'sent';
  return code >= 500 ? 'returned' : 'delayed';
}

/** Growing waits between attempts, in seconds; RFC 5321 section 4.5.4.1 asks for at least half an hour in the long run. */
const WAITS = [60, 300, 900, 1800, 3600, 7200, 14400];
/** RFC 5321 section 4.5.4.1: give up after four to five days. */
export const GIVE_UP_AFTER_SECONDS = 4 * 24 * 3600;

/**
 * Seconds to wait before the next attempt.
 * @param attempts how many were made, from 1
 */
export function waitBeforeNext(attempts: number): number {
  return WAITS[Math.min(Math.max(attempts, 1), WAITS.length) - 1] ?? 60;
}
