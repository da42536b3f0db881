import { z } from 'zod';
import { Page } from './common.ts';
import { RecordSubject } from './register.ts';

/** What is missing or looks wrong in records, each a list to work through. */
export const Gap = z.enum([
  'odd names',
  'greetings',
  'addresses',
  'postcodes',
  'no postal address',
  'nobody written to',
  'nobody named',
  'of no client',
  'no adviser',
  'file without adviser',
]);
export type Gap = z.infer<typeof Gap>;

export const GapRow = z.object({
  subject: RecordSubject,
  id: z.number(),
  /** Whose page shows it. */
  clientId: z.number().nullable(),
  name: z.string(),
  more: z.string(),
  /** What stands there. */
  mark: z.string(),
});
export type GapRow = z.infer<typeof GapRow>;
export const GapPage = z.object({ rows: z.array(GapRow), total: z.number() });
export const GapQuery = Page.extend({ gap: Gap });
export const GapCounts = z.array(z.object({ gap: Gap, count: z.number() }));

/** That it is right as it stands: until it changes it is not shown again. */
export const RightAsItIs = z.object({
  gap: Gap,
  id: z.number().int().positive(),
  mark: z.string().max(5000),
  right: z.boolean(),
});
