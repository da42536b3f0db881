import { hundredths } from './money.ts';

/** How long something has been due: what accounts are aged by (common practice). */
export const AGES = ['not due', 'to 30 days', '31 to 60', '61 to 90', 'over 90'] as const;
export type Age = (typeof AGES)[number];

/** A fee note as far as an account needs it; days as `2026-05-03`. */
export interface Charged {
  issuedOn: string;
  dueOn: string;
  /** With tax. */
  amount: number;
  paidOn: string | null;
}

/** Days from one day to another, which may be before it. */
export function daysBetween(from: string, to: string): number {
  return Math.round((Date.parse(`${to}T00:00:00Z`) - Date.parse(`${from}T00:00:00Z`)) / 86_400_000);
}

/** How old what is due on a day is on another; the day itself is not over it yet. */
export function ageOn(dueOn: string, today: string): Age {
  const days = daysBetween(dueOn, today);
  if (days <= 0) return 'not due';
  if (days <= 30) return 'to 30 days';
  if (days <= 60) return '31 to 60';
  return days <= 90 ? '61 to 90' : 'over 90';
}

/** Whether a fee note is still to be paid on a day: issued, and not paid by then. */
export function isOpenOn({ issuedOn, paidOn }: Charged, today: string): boolean {
  return issuedOn <= today && (paidOn === null || paidOn > today);
}

/** What is open on a day in all and by age, in hundredths. */
export interface Ageing {
  total: bigint;
  by: Record<Age, bigint>;
}

/** Ages what is open on a day; the ages add up to the total. */
export function age(notes: readonly Charged[], today: string): Ageing {
  const by: Record<Age, bigint> = {
    'not due': 0n,
    'to 30 days': 0n,
    '31 to 60': 0n,
    '61 to 90': 0n,
    'over 90': 0n,
  };
  let total = 0n;
  for (const note of notes) {
    if (!isOpenOn(note, today)) continue;
    const amount = hundredths(note.amount);
    by[ageOn(note.dueOn, today)] += amount;
    total += amount;
  }
  return { total, by };
}
