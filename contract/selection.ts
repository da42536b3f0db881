import { z } from 'zod';
import {
  SELECTION_VERSION,
  type Criterion,
  type Line as CoreLine,
  type Selection as CoreSelection,
} from '../core/selection/tree.ts';
import { nestedAtMost } from './document.ts';
import { ClientStatus } from './records.ts';

/** One criterion; the types of core/selection, checked at the door. */
export const CriterionSchema = z.discriminatedUnion('field', [
  z.object({ field: z.literal('status'), values: z.array(ClientStatus) }),
  z.object({ field: z.literal('adviser'), values: z.array(z.number().int().positive()) }),
  z.object({ field: z.literal('service'), values: z.array(z.string().max(80)) }),
  z.object({ field: z.literal('interest'), interestId: z.number().int().positive(), has: z.boolean() }),
  z.object({
    field: z.literal('number'),
    fieldId: z.number().int().positive(),
    test: z.enum(['at least', 'at most']),
    value: z.number().finite(),
  }),
  z.object({ field: z.literal('email'), has: z.boolean() }),
  z.object({ field: z.literal('words'), text: z.string().trim().max(100) }),
]) satisfies z.ZodType<Criterion>;

/** Groups within each other; deeper ones nobody reads any more. */
const DEEPEST = 6;

const LineSchema: z.ZodType<CoreLine> = z.lazy(() => z.union([GroupSchema, CriterionSchema]));
const GroupSchema = z.object({ match: z.enum(['all', 'any', 'none']), of: z.array(LineSchema).max(20) });

/** What was kept before selections had a version: lines that must all hold. */
const Unversioned = z
  .object({ all: z.array(CriterionSchema) })
  .transform(({ all }) => ({ version: SELECTION_VERSION, root: { match: 'all' as const, of: all } }));
const Versioned = z.object({ version: z.literal(SELECTION_VERSION), root: GroupSchema });

/** A selection in its newest form, whatever form it was kept in. */
export const Selection = z
  .unknown()
  // Each group is an object and a list.
  .refine((value) => nestedAtMost(value, 2 * DEEPEST + 4), {
    message: 'That selection is nested too deeply.',
    abort: true,
  })
  .pipe(z.union([Versioned, Unversioned])) as unknown as z.ZodType<CoreSelection, CoreSelection>;
export type Selection = z.infer<typeof Selection>;

/** What a selection can be made of. */
export const SelectionFields = z.object({
  clients: z.number(),
  services: z.array(z.string()),
  advisers: z.array(z.object({ id: z.number(), name: z.string() })),
  interests: z.array(z.object({ id: z.number(), name: z.string() })),
  numbers: z.array(z.object({ id: z.number(), label: z.string(), unit: z.string() })),
});
export type SelectionFields = z.infer<typeof SelectionFields>;
