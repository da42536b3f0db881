import { z } from 'zod';
import { FACT_KINDS, FACT_SOURCES } from '../core/facts/catalogue.ts';

/** A fact that can be known of a record and put into a message. */
export const FactInfo = z.object({
  key: z.string(),
  label: z.string(),
  kind: z.enum(FACT_KINDS),
  /** Of numbers; else empty. */
  unit: z.string(),
  /** Of whom it is known. */
  source: z.enum(FACT_SOURCES),
});
export type FactInfo = z.infer<typeof FactInfo>;

/** One of them with its value, in words. */
export const Fact = FactInfo.extend({ value: z.string() });
export type Fact = z.infer<typeof Fact>;
