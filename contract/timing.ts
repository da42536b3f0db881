import { z } from 'zod';
import { Id } from './common.ts';
import { Clock } from './office.ts';

/** Common practice: nobody needs more at one time. */
export const MOST_AT_ONE_TIME = 100;
const WEEK_MINUTES = 7 * 24 * 60;

/** How a mailing goes. All of it is by the office's clocks. */
export const Timing = z.object({
  /** `2026-11-30T09:30`; null: as soon as it is released. */
  from: z
    .string()
    .regex(/^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}$/, 'Give a day and a time.')
    .refine((local) => Number.isFinite(Date.parse(`${local}:00Z`)), 'The calendar has no such day.')
    .nullable(),
  /** So many every so many minutes; null: one after another. */
  batch: z
    .object({
      size: z
        .number('How many?')
        .int()
        .min(1, 'At least one.')
        .max(MOST_AT_ONE_TIME, `Never more than ${MOST_AT_ONE_TIME} at one time.`),
      minutes: z.number('How often?').int().min(1, 'At least a minute.').max(WEEK_MINUTES, 'At most a week.'),
    })
    .nullable(),
  hours: z
    .object({ from: Clock, until: Clock })
    .refine(({ from, until }) => from < until, {
      message: 'The hours end before they begin.',
      path: ['until'],
    })
    .nullable(),
  /** 1 for Monday to 7 for Sunday; none: on any day. */
  days: z.array(z.number().int().min(1).max(7)).max(7),
  /** Not on the firm's holidays. */
  holidays: z.boolean(),
  /** A batch begins only where all its spacing lies within the hours. */
  room: z.boolean(),
  /** At most so many answers are to be expected on a day. */
  answers: z.number('How many?').int().min(1, 'At least one.').max(1000, 'At most 1,000.').nullable(),
});
export type Timing = z.infer<typeof Timing>;

/** At once, one after another. */
export const AT_ONCE: Timing = {
  from: null,
  batch: null,
  hours: null,
  days: [],
  holidays: false,
  room: false,
  answers: null,
};

/** Lays out a mailing, as it is written or what still waits of it. */
export const TimingAsk = z.object({ mailingId: Id, timing: Timing });

const LaidBatch = z.object({ at: z.string(), until: z.string(), count: z.number() });

/** One day of what is laid out. */
const LaidDay = z.object({
  /** `2026-11-30` */
  day: z.string(),
  count: z.number(),
  /** The first of them; what is more is counted in `count`. */
  batches: z.array(LaidBatch),
  /** Messages of other mailings that leave on that day. */
  others: z.number(),
});

/** A mailing laid out on the calendar. */
export const TimingPlan = z.object({
  total: z.number(),
  batches: z.number(),
  /** The first days on which something leaves. */
  days: z.array(LaidDay),
  /** How many days there are in all. */
  dayCount: z.number(),
  first: z.string().nullable(),
  last: z.string().nullable(),
  busiest: z.object({ at: z.string(), count: z.number() }).nullable(),
  /** What the mailboxes may send in an hour, those together that it leaves from; null: no limit. */
  allowedAnHour: z.number().nullable(),
  /** Answers to be expected on the day with most of them. */
  answersOnBusiestDay: z.number(),
  /** What that is reckoned from. */
  past: z.object({ mailings: z.number(), answersIn100: z.number(), withinDayIn100: z.number() }),
  /** Holidays between the first and the last. */
  holidays: z.array(z.object({ day: z.string(), name: z.string() })),
  /** The office's own hours, to begin from. */
  office: z.object({ days: z.array(z.number()), from: z.string(), until: z.string() }),
  /** What is odd in it, in words. */
  remarks: z.array(z.string()),
});
export type TimingPlan = z.infer<typeof TimingPlan>;

/** All that will leave, a line for each mailing and day. */
export const ScheduleLine = z.object({
  day: z.string(),
  mailingId: z.number().nullable(),
  /** Of the mailing, or `letters`. */
  name: z.string(),
  state: z.enum(['going', 'paused', 'letter']),
  count: z.number(),
  first: z.string(),
  last: z.string(),
});
export type ScheduleLine = z.infer<typeof ScheduleLine>;

export const Schedule = z.object({
  lines: z.array(ScheduleLine),
  total: z.number(),
  /** Messages on their way at this moment. */
  going: z.number(),
  /** What nobody knows of whether it was sent. */
  uncertain: z.number(),
});
export type Schedule = z.infer<typeof Schedule>;
