import { z } from 'zod';
import type { FieldChange as CoreFieldChange } from '../core/orders/order.ts';
import { DeliveryKind, DeliveryWay, Page } from './common.ts';
import { ClientStatus } from './records.ts';
import { FieldInput } from './register.ts';
import { Selection } from './selection.ts';

const Name = z.string().trim().min(1, 'Choose one.').max(80);

const CHANGES = [
  z.object({ what: z.literal('status'), value: ClientStatus }),
  z.object({ what: z.literal('adviser'), value: z.number().int().positive().nullable() }),
  z.object({ what: z.literal('service'), value: z.string().trim().max(80).nullable() }),
  z.object({ what: z.literal('stage'), value: z.string().trim().max(80).nullable() }),
  z.object({ what: z.literal('add tag'), value: Name }),
  z.object({ what: z.literal('drop tag'), value: Name }),
  z.object({ what: z.literal('add interest'), value: Name }),
  z.object({ what: z.literal('drop interest'), value: Name }),
  z.object({
    what: z.literal('field'),
    key: z.string().regex(/^field:\d+$/, 'Choose a field.'),
    value: FieldInput,
  }),
] as const;

/** One change of one field of a record. */
export const FieldChange = z.discriminatedUnion('what', CHANGES) satisfies z.ZodType<CoreFieldChange>;
export type FieldChange = z.infer<typeof FieldChange>;

/** One change made to many records: what of them, and what is to stand there. */
export const ManyChange = z.discriminatedUnion('what', [
  ...CHANGES,
  z.object({ what: z.literal('delivery'), kind: DeliveryKind, value: DeliveryWay }),
]);
export type ManyChange = z.infer<typeof ManyChange>;

/** What would become of those of a selection, before it is done. */
export const ManyAsk = Page.extend({ selection: Selection, change: ManyChange });
export type ManyAsk = z.infer<typeof ManyAsk>;
export const ManyPreview = z.object({
  /** Who would be changed, and who is so already. */
  changed: z.number(),
  same: z.number(),
  rows: z.array(z.object({ id: z.number(), name: z.string(), before: z.string(), after: z.string() })),
});
export type ManyPreview = z.infer<typeof ManyPreview>;

/** It is done to so many as were shown; to others nothing. */
export const ManyDo = z.object({ selection: Selection, change: ManyChange, changed: z.number().int() });
export type ManyDo = z.infer<typeof ManyDo>;

export const ManyDone = z.object({
  id: z.number(),
  words: z.string(),
  by: z.string(),
  at: z.string(),
  changed: z.number(),
  undoneAt: z.string().nullable(),
  /** Left as they were when it was taken back: somebody changed them again since. */
  kept: z.number().nullable(),
});
export type ManyDone = z.infer<typeof ManyDone>;
