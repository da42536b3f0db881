import { z } from 'zod';
import { AMONG, SELECT_KINDS, type Catalogue } from '../core/selection/catalogue.ts';
import {
  MATCHES,
  SELECTION_VERSION,
  SUBJECTS,
  UNITS,
  type Criterion,
  type Line,
  type Selection as CoreSelection,
  type Test,
} from '../core/selection/tree.ts';
import { Id, Page } from './common.ts';
import { nestedAtMost } from './document.ts';
import { Day } from './office.ts';

export const Subject = z.enum(SUBJECTS);

const DayOrNothing = z.union([z.literal(''), Day]);
const Text = z.string().max(200, '200 letters at most.');
const Number_ = z.number().min(-1e14).max(1e14);

/** What a fact must be; the types of core/selection, checked at the door. */
const TestSchema = z.union([
  z.object({ op: z.enum(['contains', 'lacks', 'is', 'begins with', 'within']), text: Text }),
  z.object({ op: z.enum(['at least', 'at most']), value: Number_ }),
  z.object({ op: z.literal('between'), from: Number_, to: Number_ }),
  z.object({
    op: z.enum(['one of', 'none of', 'all of']),
    values: z.array(z.union([z.string().max(40), z.number().int()])).max(300),
  }),
  z.object({ op: z.enum(['from', 'until']), day: DayOrNothing }),
  z.object({ op: z.literal('from until'), from: DayOrNothing, to: DayOrNothing }),
  z.object({
    op: z.enum(['in the last', 'in the next', 'longer ago than', 'further ahead than']),
    count: z.number().int().min(0).max(1000, 'At most a thousand.'),
    unit: z.enum(UNITS),
  }),
  z.object({ op: z.enum(['yes', 'no', 'empty', 'filled']) }),
]) satisfies z.ZodType<Test>;

const CriterionSchema = z.object({
  fact: z.string().max(60),
  test: TestSchema,
}) satisfies z.ZodType<Criterion>;

/** Groups within each other; deeper ones nobody reads any more. */
const DEEPEST = 6;
/** Lines in one group. */
const LINES = 40;

const Lines: z.ZodType<Line[]> = z.lazy(() =>
  z.array(z.union([GroupSchema, RelatedSchema, CriterionSchema])).max(LINES, `${LINES} lines at most.`),
);
const GroupSchema = z.object({ match: z.enum(MATCHES), of: Lines });
const RelatedSchema = z.object({ through: z.string().max(60), has: z.boolean(), of: Lines });
/** Picked by hand. */
const Picked = z.array(Id).max(20_000, '20,000 by hand at most.');

/** A set of criteria over the records. */
export const Selection = z
  .unknown()
  // Each group is an object and a list; so are the values of a test.
  .refine((value) => nestedAtMost(value, 2 * DEEPEST + 5), {
    message: 'That selection is nested too deeply.',
    abort: true,
  })
  .pipe(
    z.object({
      version: z.literal(SELECTION_VERSION),
      subject: Subject,
      past: z.boolean(),
      of: Lines,
      added: Picked,
      removed: Picked,
      only: Picked.optional(),
    }),
  ) as unknown as z.ZodType<CoreSelection, CoreSelection>;
export type Selection = z.infer<typeof Selection>;

/** All that can be selected by. */
export const SelectionCatalogue = z.array(
  z.object({
    key: z.string(),
    of: z.enum(AMONG),
    label: z.string(),
    kind: z.enum(SELECT_KINDS),
    unit: z.string(),
    yes: z.string(),
    no: z.string(),
    options: z.array(z.object({ value: z.union([z.string(), z.number()]), title: z.string() })),
    gone: z.boolean(),
  }),
) satisfies z.ZodType<Catalogue>;

const Problem = z.object({ path: z.array(z.number()), words: z.string() });

/** How many are left after each line; see the server's `Column`. */
export const SelectionColumn = z.object({
  /** Where something is wrong nothing is counted. */
  problems: z.array(Problem),
  column: z
    .object({
      base: z.number(),
      past: z.number(),
      lines: z.array(z.object({ left: z.number().nullable(), inner: z.array(z.number().nullable()) })),
      added: z.number(),
      removed: z.number(),
      /** Not among those that were ticked. */
      unticked: z.number(),
      total: z.number(),
    })
    .nullable(),
});
export type SelectionColumn = z.infer<typeof SelectionColumn>;
export const SelectionAsk = z.object({ selection: Selection });

const FactKey = z.string().max(60);
const Columns = z.array(FactKey).min(1).max(30);
export const SelectionRowsAsk = Page.extend({
  selection: Selection,
  columns: Columns,
  sort: FactKey,
  order: z.enum(['asc', 'desc']).default('asc'),
});
export type SelectionRowsAsk = z.infer<typeof SelectionRowsAsk>;

/** Records in the columns asked for: what stands there, not yet in words. */
export const SelectionRows = z.object({
  rows: z.array(
    z.object({
      id: z.number(),
      clientId: z.number().nullable(),
      cells: z.array(z.union([z.string(), z.number(), z.null()])),
    }),
  ),
});
export type SelectionRows = z.infer<typeof SelectionRows>;
export const SelectionPage = SelectionRows.extend({ total: z.number() });
export type SelectionPage = z.infer<typeof SelectionPage>;

/** A selection or list that is kept under a name. */
export const KeptRow = z.object({
  id: z.number(),
  name: z.string(),
  subject: Subject,
  /** A list: its members stay, whatever the records become. */
  fixed: z.boolean(),
  shared: z.boolean(),
  owner: z.string(),
  mine: z.boolean(),
  savedAt: z.string(),
  /** Of a list. */
  members: z.number().nullable(),
});
export type KeptRow = z.infer<typeof KeptRow>;
export const KeptPage = z.object({ rows: z.array(KeptRow), total: z.number() });
export type KeptPage = z.infer<typeof KeptPage>;
export const KeptSelection = KeptRow.extend({ selection: Selection, version: z.number() });
export type KeptSelection = z.infer<typeof KeptSelection>;

export const KeepSelection = z.object({
  name: z.string().trim().min(1, 'Give it a name.').max(120, '120 letters at most.'),
  selection: Selection,
  fixed: z.boolean(),
  shared: z.boolean(),
});
export type KeepSelection = z.infer<typeof KeepSelection>;
export const ChangeKept = KeepSelection.omit({ fixed: true }).extend({ version: z.number().int() });
export type ChangeKept = z.infer<typeof ChangeKept>;

/** The columns of a list, as somebody chose and ordered them; null where they have not. */
export const ColumnsOf = z.object({ columns: Columns.nullable() });
export type ColumnsOf = z.infer<typeof ColumnsOf>;
/** Which list. */
export const ShownList = z.enum(['clients', 'people', 'files', 'register']);
export type ShownList = z.infer<typeof ShownList>;

/** Two kept selections beside each other. */
export const Compare = Page.extend({
  a: Id,
  b: Id,
  which: z.enum(['both', 'a', 'b']),
  columns: Columns,
});
export type Compare = z.infer<typeof Compare>;
export const Compared = SelectionRows.extend({ both: z.number(), a: z.number(), b: z.number() });
export type Compared = z.infer<typeof Compared>;

/** Those of a selection as a file: a table of chosen columns, or cards of the people. */
export const TAKE_OUT_FORMATS = ['csv', 'xlsx', 'vcf'] as const;
export const TakeOut = z.object({
  selection: Selection,
  columns: Columns,
  sort: FactKey,
  order: z.enum(['asc', 'desc']).default('asc'),
  format: z.enum(TAKE_OUT_FORMATS),
  name: z.string().trim().max(120),
});
export type TakeOut = z.infer<typeof TakeOut>;
