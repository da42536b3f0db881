import { z } from 'zod';
import { Id, Page } from './common.ts';

/** A field that a word-processor template wants filled in. */
export const WantedField = z.object({
  name: z.string(),
  times: z.number(),
  /** In rows of a table alone: those repeat for what there are several of. */
  inRow: z.boolean(),
});
export const WantedFields = z.object({ fields: z.array(WantedField), warnings: z.array(z.string()) });

/** Which fact stands for a field; and what to say where there is none. */
export const FieldMatch = z.object({
  fact: z.string().max(80).nullable(),
  instead: z.string().max(300, 'At most 300 letters.'),
});
/** By the names of fields in small letters. */
export const FieldMatching = z.record(z.string().max(300), FieldMatch);
export type FieldMatching = z.output<typeof FieldMatching>;

export const TemplateRow = z.object({
  id: z.number(),
  title: z.string(),
  filename: z.string(),
  size: z.number(),
  owner: z.string(),
  savedAt: z.string(),
  fields: z.number(),
  /** Fields of which nobody has said what stands for them. */
  unmatched: z.number(),
});
export type TemplateRow = z.output<typeof TemplateRow>;
export const TemplatesPage = z.object({
  total: z.number(),
  rows: z.array(TemplateRow),
  /** What cannot be done without LibreOffice; empty where it is installed. */
  without: z.string(),
});
export type TemplatesPage = z.output<typeof TemplatesPage>;
export const TemplatesQuery = Page;

export const TemplateView = TemplateRow.extend({
  wanted: WantedFields,
  matching: FieldMatching,
  version: z.number(),
  without: z.string(),
});
export type TemplateView = z.output<typeof TemplateView>;

/** A document handed in. */
export const TemplatePut = z.object({ filename: z.string().min(1).max(255) });

export const TemplateChange = z.object({
  version: z.number().int(),
  title: z.string().trim().min(1, 'Give it a name.').max(200, 'At most 200 letters.'),
  matching: FieldMatching,
});
export type TemplateChange = z.output<typeof TemplateChange>;

/** A template tried with a client's facts: as it would be made. */
export const TemplateTry = z.object({
  clientId: Id.nullable(),
  matching: FieldMatching,
  as: z.enum(['pdf', 'docx']),
});
export type TemplateTry = z.output<typeof TemplateTry>;
