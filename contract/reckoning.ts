import { z } from 'zod';
import { Id, Page } from './common.ts';
import { Day } from './office.ts';

const Counts = z.object({
  onServer: z.number(),
  taken: z.number(),
  /** Of what is still being taken in. */
  toCome: z.number(),
  missing: z.number(),
  logged: z.number(),
  waiting: z.number(),
  aside: z.number(),
  private: z.number(),
});

/** Why a folder is never read; of such a one all that lies there is counted, not that of a day. */
export const NeverRead = z.enum(['personal', 'refused', 'drafts', 'junk', 'early']);
export type NeverRead = z.infer<typeof NeverRead>;

export const ReckoningLine = Counts.extend({
  mailboxId: z.number(),
  mailbox: z.string(),
  /** Empty where the person may not look into the mailbox: its folders are told together. */
  folder: z.string(),
  rule: NeverRead.nullable(),
});
export type ReckoningLine = z.infer<typeof ReckoningLine>;

export const DifferenceKind = z.enum(['missing', 'gone', 'unknown', 'unrecorded', 'uncertain', 'unreached']);
export type DifferenceKind = z.infer<typeof DifferenceKind>;

export const ReckoningDifference = z.object({
  id: z.number(),
  kind: DifferenceKind,
  mailbox: z.string().nullable(),
  folder: z.string(),
  words: z.string(),
  at: z.string().nullable(),
  messageId: z.number().nullable(),
  /** Who has seen to it, and when. */
  seen: z.object({ by: z.string(), at: z.string() }).nullable(),
});
export type ReckoningDifference = z.infer<typeof ReckoningDifference>;

export const ReckoningSending = z.object({
  kind: z.enum(['mailing', 'paperwork', 'letters']),
  name: z.string(),
  released: z.number(),
  sent: z.number(),
  waiting: z.number(),
  returned: z.number(),
  uncertain: z.number(),
  cancelled: z.number(),
});
export type ReckoningSending = z.infer<typeof ReckoningSending>;

export const ReckoningDay = z.object({
  day: z.string(),
  /** Not asked for, being counted, or counted. */
  state: z.enum(['none', 'waiting', 'done']),
  countedAt: z.string().nullable(),
  askedBy: z.string().nullable(),
  sum: Counts,
  lines: z.array(ReckoningLine),
  sendings: z.array(ReckoningSending),
  differences: z.array(ReckoningDifference),
  /** There are more than are shown. */
  moreDifferences: z.number(),
});
export type ReckoningDay = z.infer<typeof ReckoningDay>;

export const ReckoningDays = z.object({
  rows: z.array(
    z.object({
      day: z.string(),
      state: z.enum(['waiting', 'done']),
      onServer: z.number(),
      open: z.number(),
      seen: z.number(),
    }),
  ),
  total: z.number(),
});
export type ReckoningDays = z.infer<typeof ReckoningDays>;
export const ReckoningDaysQuery = Page;

export const ReckoningAsk = z.object({ day: Day });
/** One day's, or of one month as `2026-11`. */
export const ReckoningSheet = z.object({
  month: z.string().regex(/^\d{4}-(?:0[1-9]|1[0-2])$/, 'Give a month.'),
  format: z.enum(['pdf', 'csv']),
});
export const DifferenceSeen = z.object({ seen: z.boolean() });

/** What Today says of yesterday. */
export const Yesterday = z.object({
  day: z.string(),
  state: z.enum(['none', 'waiting', 'done']),
  /** Differences nobody has seen to. */
  open: z.number(),
});
export type Yesterday = z.infer<typeof Yesterday>;

/** A message of the week's sample: was it filed rightly? */
export const SampleRow = z.object({
  messageId: z.number(),
  at: z.string(),
  from: z.string(),
  subject: z.string(),
  snippet: z.string(),
  file: z.object({ id: z.number(), number: z.string(), title: z.string(), client: z.string() }).nullable(),
  verdict: z.enum(['right', 'wrong']).nullable(),
  judgedBy: z.string().nullable(),
});
export type SampleRow = z.infer<typeof SampleRow>;
export const Sample = z.object({
  week: z.string(),
  rows: z.array(SampleRow),
  /** From all that was judged in the last twelve weeks; null while nothing was. */
  estimate: z
    .object({
      wrong: z.number(),
      looked: z.number(),
      share: z.number(),
      from: z.number(),
      to: z.number(),
    })
    .nullable(),
});
export type Sample = z.infer<typeof Sample>;
export const SampleVerdict = z.object({
  verdict: z.enum(['right', 'wrong']).nullable(),
  week: Day,
  messageId: Id,
});
export type SampleVerdict = z.output<typeof SampleVerdict>;
