import { z } from 'zod';
import { TARGETS, type BuiltInTarget, type Target } from '../core/import/columns.ts';
import { Page } from './common.ts';

/** What a column holds; null: it is left out. */
export const ImportTarget = z
  .union([
    z.enum(Object.keys(TARGETS) as [BuiltInTarget, ...BuiltInTarget[]]),
    z.string().regex(/^field:\d{1,9}$/),
  ])
  .transform((target) => target as Target);
export const ImportColumns = z.array(ImportTarget.nullable()).max(300);

export const ImportState = z.enum(['chosen', 'checking', 'checked', 'running', 'done', 'undoing', 'undone']);
export type ImportState = z.infer<typeof ImportState>;
export const ImportOutcome = z.enum(['add', 'change', 'same', 'refused']);
export type ImportOutcome = z.infer<typeof ImportOutcome>;

export const ImportNamed = z.object({ filename: z.string().trim().min(1).max(200) });

/** A list that is to be brought in, and how far that is. */
export const ImportView = z.object({
  id: z.number(),
  filename: z.string(),
  by: z.string(),
  madeAt: z.string(),
  endedAt: z.string().nullable(),
  state: ImportState,
  encoding: z.string(),
  /** As it is called: `comma`. */
  delimiter: z.string(),
  header: z.array(z.string()),
  columns: z.array(z.string().nullable()),
  existing: z.enum(['change', 'leave']),
  rows: z.number(),
  /** Rows, or steps of taking back, that are through; of so many. */
  through: z.number(),
  of: z.number(),
  counts: z.record(ImportOutcome, z.number()),
  problem: z.string().nullable(),
  /** The first rows, as they stand in the file. */
  sample: z.array(z.array(z.string())),
});
export type ImportView = z.infer<typeof ImportView>;

export const ImportLine = z.object({
  id: z.number(),
  filename: z.string(),
  by: z.string(),
  madeAt: z.string(),
  state: ImportState,
  rows: z.number(),
});
export type ImportLine = z.infer<typeof ImportLine>;

export const ImportChoice = z.object({ columns: ImportColumns, existing: z.enum(['change', 'leave']) });
export type ImportChoice = z.output<typeof ImportChoice>;

export const ImportRowsQuery = Page.extend({ outcome: ImportOutcome.optional() });
export const ImportRow = z.object({
  line: z.number(),
  cells: z.array(z.string()),
  outcome: ImportOutcome.nullable(),
  words: z.string(),
  clientId: z.number().nullable(),
});
export type ImportRow = z.infer<typeof ImportRow>;
export const ImportRows = z.object({ rows: z.array(ImportRow), total: z.number() });
export type ImportRows = z.infer<typeof ImportRows>;
