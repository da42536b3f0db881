import { DateTime } from 'luxon';

/** How a mailing goes: from when on, how many every how long, within which hours. */
export interface Pace {
  /** The first moment by the office's clocks, `2026-11-30T09:30`; null: as soon as it is released. */
  from: string | null;
  /** So many every so many minutes; null: one after another, as fast as the mailboxes may. */
  batch: { size: number; minutes: number } | null;
  /** `09:30` to `18:00`, the end not included; null: at any hour. */
  hours: { from: string; until: string } | null;
  /** 1 for Monday to 7 for Sunday; none: on any day. */
  days: readonly number[];
  /** Nothing leaves on the firm's holidays. */
  holidays: boolean;
  /** Room to answer: a batch begins only where all the time until the next one lies within the hours. */
  room: boolean;
  /** Room to answer: at most so many answers are to be expected on a day; null: as many as come. */
  answers: number | null;
}

/** The office's calendar that a pace is kept by. */
export interface OfficeCalendar {
  /** IANA name. */
  zone: string;
  /** `2026-12-25` */
  holidays: ReadonlySet<string>;
}

/** What leaves together. */
export interface Batch {
  /** When its first message leaves, in milliseconds of the epoch. */
  at: number;
  /** When its last message leaves. */
  until: number;
  count: number;
}

/** A pace laid out: when each message leaves, in the order given. */
export interface Layout {
  times: number[];
  batches: Batch[];
}

/** What a pace is laid out for. */
export interface Load {
  /** The mailbox of each message, in the order in which they are to leave. */
  mailboxes: readonly number[];
  /** Milliseconds between two messages of one mailbox at least. */
  gap: (mailbox: number) => number;
  /** Of 100 messages so many are answered, by this firm's own past. */
  answersIn100: number;
}

/** Nothing is laid out for longer than this, in days. */
export const LONGEST_DAYS = 400;
const MINUTE = 60_000;

/** Thrown where messages would still be waiting after {@link LONGEST_DAYS}, or could never leave. */
export class NeverDone extends Error {}

/** The open part of one day, in milliseconds of the epoch; the end is not included. */
interface Stretch {
  from: number;
  until: number;
}

/** Whether messages of a pace may leave at a moment. */
export function isOpen(pace: Pace, calendar: OfficeCalendar, at: number): boolean {
  if (pace.from !== null && at < momentOf(pace.from, calendar.zone)) return false;
  const stretch = stretchAt(pace, calendar, at);
  return stretch !== null && stretch.from <= at;
}

/** A moment by the office's clocks in milliseconds of the epoch; one that a clock change leaves out is the hour after it. */
export function momentOf(local: string, zone: string): number {
  return DateTime.fromISO(local, { zone }).toMillis();
}

/**
 * The open part of its day that a moment lies in, else the next one after it.
 * @returns null when there is none within {@link LONGEST_DAYS}
 */
function stretchAt(pace: Pace, { zone, holidays }: OfficeCalendar, at: number): Stretch | null {
  let day = DateTime.fromMillis(at, { zone }).startOf('day');
  for (let count = 0; count <= LONGEST_DAYS; count++, day = day.plus({ days: 1 }).startOf('day')) {
    if (pace.days.length && !pace.days.includes(day.weekday)) continue;
    if (pace.holidays && holidays.has(day.toISODate() ?? '')) continue;
    const date = day.toISODate() ?? '';
    const from = pace.hours ? momentOf(`${date}T${pace.hours.from}`, zone) : day.toMillis();
    const until = pace.hours
      ? momentOf(`${date}T${pace.hours.until}`, zone)
      : day.plus({ days: 1 }).startOf('day').toMillis();
    if (at < until && from < until) return { from, until };
  }
  return null;
}

/** At most so many messages on a day, for the answers that are to be expected of them; at least one. */
function mostADay({ answers }: Pace, answersIn100: number): number {
  if (answers === null || answersIn100 <= 0) return Infinity;
  return Math.max(1, Math.floor((100 * answers) / answersIn100));
}

/**
 * Lays a pace out on the calendar. The order is kept, within each mailbox and from batch to batch; a batch ends where the next one begins or the hours end, and
 * what its mailboxes could not send by then belongs to the next. Between two batches lies the whole spacing, by the
 * clock that does not change. The same is kept by whoever sends.
 * @param begin not before this, in milliseconds of the epoch
 * @throws NeverDone when it would not end within {@link LONGEST_DAYS}
 */
export function layOut(pace: Pace, load: Load, calendar: OfficeCalendar, begin: number): Layout {
  const start = pace.from === null ? begin : Math.max(begin, momentOf(pace.from, calendar.zone));
  const spacing = pace.batch ? pace.batch.minutes * MINUTE : 0;
  const size = pace.batch?.size ?? Infinity;
  const perDay = mostADay(pace, load.answersIn100);
  const free = new Map<number, number>();
  const layout: Layout = { times: [], batches: [] };
  let stretch: Stretch | null = null;
  let onDay = 0;
  let at = start;
  while (layout.times.length < load.mailboxes.length) {
    if (!stretch || at >= stretch.until) {
      stretch = stretchAt(pace, calendar, at);
      if (!stretch || stretch.from - start > LONGEST_DAYS * 24 * 60 * MINUTE)
        throw new NeverDone(`It would take more than ${LONGEST_DAYS} days.`);
      at = Math.max(at, stretch.from);
      onDay = 0;
    }
    // A spacing longer than a whole day's hours never fits; such a batch begins with the day.
    const fits = !pace.room || at + Math.min(spacing, stretch.until - stretch.from) <= stretch.until;
    if (!fits || onDay >= perDay) {
      at = stretch.until;
      continue;
    }
    const end = Math.min(spacing ? at + spacing : Infinity, stretch.until);
    onDay += fill(layout, load, free, at, end, Math.min(size, perDay - onDay));
    at = spacing ? at + spacing : end;
  }
  return layout;
}

/** Puts as many messages as may leave into one batch. @returns how many */
function fill(
  layout: Layout,
  { mailboxes, gap }: Load,
  free: Map<number, number>,
  at: number,
  end: number,
  most: number,
): number {
  let count = 0;
  let until = at;
  while (count < most && layout.times.length < mailboxes.length) {
    const mailbox = mailboxes[layout.times.length] ?? 0;
    const time = Math.max(at, free.get(mailbox) ?? 0);
    if (time >= end) break;
    free.set(mailbox, time + gap(mailbox));
    layout.times.push(time);
    until = Math.max(until, time);
    count++;
  }
  if (count) layout.batches.push({ at, until, count });
  return count;
}

/** The most messages within an hour of the clock, and which. @returns null of none */
export function busiestHour(times: readonly number[], zone: string): { at: number; count: number } | null {
  const counts = new Map<number, number>();
  for (const time of times) {
    const hour = DateTime.fromMillis(time, { zone }).startOf('hour').toMillis();
    counts.set(hour, (counts.get(hour) ?? 0) + 1);
  }
  const [most] = [...counts].sort(([a, x], [b, y]) => y - x || a - b);
  return most ? { at: most[0], count: most[1] } : null;
}
