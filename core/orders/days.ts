import { DateTime } from 'luxon';
import type { Wait } from './order.ts';

/** The office's calendar as orders keep it. */
export interface OrderCalendar {
  /** IANA name. */
  zone: string;
  /** 1 for Monday to 7 for Sunday. */
  workingDays: readonly number[];
  /** `2026-12-25` */
  holidays: ReadonlySet<string>;
  /** When the office opens, `09:00`: what waits for a day goes then. */
  opens: string;
}

/** What days bring about is looked at from this hour of the office's clocks on. */
const MORNING = 6;
/** Days are written down of nobody born before. */
const OLDEST_YEARS = 130;

export function isWorkingDay({ workingDays, holidays }: OrderCalendar, day: DateTime): boolean {
  return workingDays.includes(day.weekday) && !holidays.has(day.toISODate() ?? '');
}

/** A week without a working day is a mistake in the settings: nothing waits for ever. */
const LONGEST_SEARCH = 366;

/**
 * When a step is due: at once without a wait; else when the office opens on the day, so many days on. Counted in
 * working days, a wait of one from a Friday ends on Monday.
 */
export function dueAfter(from: DateTime, { days, working }: Wait, calendar: OrderCalendar): DateTime {
  if (!days) return from;
  const [hour = 9, minute = 0] = calendar.opens.split(':').map(Number);
  let day = from.setZone(calendar.zone).startOf('day');
  if (!working) day = day.plus({ days });
  else
    for (let left = days, tried = 0; left > 0 && tried < LONGEST_SEARCH; tried++) {
      day = day.plus({ days: 1 });
      if (isWorkingDay(calendar, day)) left--;
    }
  return day.set({ hour, minute });
}

/** The days whose morning lies after one moment and not after another, oldest first, as `2026-11-27`. */
export function mornings(from: DateTime, to: DateTime, zone: string): string[] {
  const found: string[] = [];
  let day = from.setZone(zone).startOf('day');
  for (; day <= to; day = day.plus({ days: 1 })) {
    const morning = day.set({ hour: MORNING });
    if (morning > from && morning <= to) found.push(day.toISODate() ?? '');
  }
  return found;
}

/** The next morning after a moment. */
export function nextMorning(after: DateTime, zone: string): DateTime {
  const today = after.setZone(zone).startOf('day').set({ hour: MORNING });
  return today > after ? today : today.plus({ days: 1 });
}

const asDay = (day: string) => DateTime.fromISO(day, { zone: 'utc' });
const iso = (day: DateTime) => day.toISODate() ?? '';

/** The day that is so many days on from another; back, where that is negative. */
export function shifted(day: string, days: number): string {
  return iso(asDay(day).plus({ days }));
}

/** Whether a day is that day of its month; of a month that is too short, the last (RFC 7529, SKIP=BACKWARD). */
export function isDayOfMonth(day: string, wanted: number): boolean {
  const date = asDay(day);
  return date.day === Math.min(wanted, date.daysInMonth ?? wanted);
}

/**
 * The days of which a day is the anniversary, itself the first: of 29 February, 28 February is that in years without
 * one (RFC 7529, SKIP=BACKWARD).
 */
export function anniversariesOn(day: string): string[] {
  const date = asDay(day);
  const leap = date.month === 2 && date.day === 28 && !date.isInLeapYear;
  return Array.from({ length: OLDEST_YEARS }, (_, years) => date.year - years).flatMap((year) => {
    const same = DateTime.utc(year, date.month, date.day);
    const days = same.isValid ? [iso(same)] : [];
    return leap && DateTime.utc(year, 1, 1).isInLeapYear ? [...days, `${year}-02-29`] : days;
  });
}
