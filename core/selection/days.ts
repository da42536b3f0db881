import { DateTime } from 'luxon';
import type { Test } from './tree.ts';

/** Calendar days from one to another, both inclusive; null: without an end. */
export interface DayRange {
  from: string | null;
  to: string | null;
}

type DayTest = Extract<Test, { day: string } | { count: number } | { op: 'from until' }>;

/** Whether a test speaks of days. */
export function isDayTest(test: Test): test is DayTest {
  return 'day' in test || 'count' in test || test.op === 'from until';
}

/** The days a test means. @param today in the firm's zone, as `2026-11-26`; both ends of a count are inclusive */
export function dayRange(test: DayTest, today: string): DayRange {
  if (test.op === 'from until') return { from: test.from, to: test.to };
  if ('day' in test) return test.op === 'from' ? { from: test.day, to: null } : { from: null, to: test.day };
  const now = DateTime.fromISO(today, { zone: 'utc' });
  const span = { [test.unit]: test.count };
  const day = (at: DateTime) => at.toISODate() ?? today;
  switch (test.op) {
    case 'in the last':
      return { from: day(now.minus(span)), to: today };
    case 'in the next':
      return { from: today, to: day(now.plus(span)) };
    case 'longer ago than':
      return { from: null, to: day(now.minus(span).minus({ days: 1 })) };
    case 'further ahead than':
      return { from: day(now.plus(span).plus({ days: 1 })), to: null };
  }
}

/** Whether a day lies among them. */
export function liesWithin(day: string, { from, to }: DayRange): boolean {
  return (from === null || day >= from) && (to === null || day <= to);
}
