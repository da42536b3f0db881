import { z } from 'zod';
import { Id, Page } from './common.ts';
import { Doc } from './document.ts';
import { EnclosureNamed } from './writing.ts';

export const WordingKind = z.enum(['template', 'paragraph', 'article', 'note', 'enclosure', 'signature']);
export type WordingKind = z.infer<typeof WordingKind>;

/** What a template may serve by default. */
export const Occasion = z.enum([
  'file opened',
  'document shared',
  'fee note sent',
  'answer owed',
  'client welcomed',
  'client leaving',
]);
export type Occasion = z.infer<typeof Occasion>;

/** A wording as it is put into a message: its fields filled in from the file asked for. */
export const Wording = z.object({
  id: z.number(),
  kind: WordingKind,
  name: z.string(),
  description: z.string(),
  /** That put it in where one writes; empty for none. */
  letters: z.string(),
  occasion: Occasion.nullable(),
  subject: z.string(),
  /** What is missing stands in square brackets. */
  body: Doc,
  missing: z.array(z.string()),
  /** Kept enclosures that go with it. */
  enclosures: z.array(z.object({ id: z.number(), filename: z.string() })),
});
export type Wording = z.infer<typeof Wording>;

export const WordingDraft = z.object({
  kind: WordingKind,
  name: z.string().trim().min(1, 'Give it a name.').max(120),
  description: z.string().trim().max(300, 'At most 300 letters.').default(''),
  /** For its owner alone. */
  own: z.boolean().default(false),
  letters: z
    .string()
    .trim()
    .max(20, 'At most 20 letters.')
    .regex(/^\S*$/, 'Letters without a space.')
    .default(''),
  occasion: Occasion.nullable().default(null),
  subject: Doc.default({ type: 'doc', content: [{ type: 'paragraph' }] }),
  body: Doc,
  /** Of a template: the kept enclosures that go with it. */
  enclosureIds: z.array(Id).max(20, 'At most 20 enclosures.').default([]),
});
export type WordingDraft = z.output<typeof WordingDraft>;

/** Saving names the version it was made from, so that two people never overwrite each other unseen. */
export const WordingSave = WordingDraft.extend({ version: z.number().int() });

/** What a kept enclosure holds. */
export const Enclosed = z.object({ filename: z.string(), size: z.number() });
export type Enclosed = z.infer<typeof Enclosed>;

/** A newer content in the place of what an enclosure holds, or one of its earlier ones again. */
export const ContentNamed = EnclosureNamed.extend({ version: z.coerce.number().int() });
export const ContentBack = z.object({ version: z.number().int(), to: z.number().int() });

/** Kept enclosures to be put into a message. */
export const PutEnclosures = z.object({ wordingIds: z.array(Id).min(1).max(20) });

/** One of the cupboard, as it is kept. */
export const KeptWording = WordingDraft.extend({
  id: z.number(),
  version: z.number(),
  owner: z.string().nullable(),
  /** Whether the person may change it. */
  mine: z.boolean(),
  changedAt: z.string().nullable(),
  /** Of an enclosure; else null. */
  enclosed: Enclosed.nullable(),
});
export type KeptWording = z.output<typeof KeptWording>;

export const WordingsPage = z.object({
  rows: z.array(
    KeptWording.pick({
      id: true,
      kind: true,
      name: true,
      description: true,
      own: true,
      letters: true,
      occasion: true,
      owner: true,
      changedAt: true,
      enclosed: true,
    }),
  ),
  total: z.number(),
});
export type WordingsPage = z.output<typeof WordingsPage>;

export const CupboardQuery = Page.extend({
  kind: WordingKind.optional(),
  words: z.string().max(100).default(''),
});

/** What a wording was before, newest first. */
export const WordingVersion = z.object({
  version: z.number(),
  name: z.string(),
  changedAt: z.string(),
  by: z.string().nullable(),
  subject: Doc,
  body: Doc,
  enclosed: Enclosed.nullable(),
});
export type WordingVersion = z.infer<typeof WordingVersion>;

/** How a text looks with a client's facts. */
export const WordingTried = WordingDraft.pick({ kind: true, subject: true, body: true }).extend({
  clientId: Id,
});
export const WordingLook = z.object({
  client: z.string(),
  subject: z.string(),
  html: z.string(),
  text: z.string(),
  /** What is not known of this client. */
  missing: z.array(z.string()),
});
export type WordingLook = z.infer<typeof WordingLook>;
