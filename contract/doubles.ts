import { z } from 'zod';
import { Id, Page } from './common.ts';

/** What there may be two of. */
export const DoubleSubject = z.enum(['client', 'person']);
export type DoubleSubject = z.infer<typeof DoubleSubject>;

const Side = z.object({
  id: z.number(),
  name: z.string(),
  /** What tells it from others: where, whose. */
  more: z.string(),
});

/** Two records that may be one. */
export const DoublePair = z.object({
  id: z.number(),
  a: Side,
  b: Side,
  /** Hardly chance. */
  certain: z.boolean(),
  reasons: z.array(z.string()),
});
export type DoublePair = z.infer<typeof DoublePair>;

export const DoubleQuery = Page.extend({ subject: DoubleSubject });
export const DoublePage = z.object({
  rows: z.array(DoublePair),
  total: z.number(),
  /** Whether the records have been looked through as they are now. */
  settled: z.boolean(),
});

/** Both sides of a pair, field by field. */
export const DoubleView = z.object({
  subject: DoubleSubject,
  a: Side,
  b: Side,
  fields: z.array(
    z.object({
      name: z.string(),
      label: z.string(),
      a: z.string(),
      b: z.string(),
      /** Whether both may stand: a list. */
      list: z.boolean(),
    }),
  ),
  /** What hangs on each: files, messages, and what else goes along. */
  hanging: z.object({ a: z.string(), b: z.string() }),
  /** Both as they stood, for telling whether somebody changed them meanwhile. */
  stamp: z.string(),
});
export type DoubleView = z.infer<typeof DoubleView>;
export const DoubleViewQuery = z.object({ subject: DoubleSubject, a: Id, b: Id });

export const MergeDraft = z
  .object({
    subject: DoubleSubject,
    keptId: Id,
    droppedId: Id,
    whose: z.record(z.string(), z.enum(['kept', 'dropped', 'both'])),
    stamp: z.string().max(100),
  })
  .refine(({ keptId, droppedId }) => keptId !== droppedId, {
    message: 'These are one record already.',
    path: ['droppedId'],
  });
export type MergeDraft = z.infer<typeof MergeDraft>;

export const MergeRow = z.object({
  id: z.number(),
  subject: DoubleSubject,
  keptId: z.number(),
  kept: z.string(),
  dropped: z.string(),
  /** Where its page is: of a person that of a client. */
  clientId: z.number().nullable(),
  by: z.string(),
  at: z.string(),
  undone: z.boolean(),
});
export const MergePage = z.object({ rows: z.array(MergeRow), total: z.number() });
export type MergePage = z.infer<typeof MergePage>;
/** What taking a merge back left as somebody has made it since. */
export const MergeUndone = z.object({ left: z.number() });
