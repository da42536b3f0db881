import { z } from 'zod';
import { FileRef, Id, Page } from './common.ts';
import { Day } from './office.ts';

/** A document on a client's page, and what became of it. */
export const CollectionItem = z.object({
  id: z.number(),
  filename: z.string(),
  /** In bytes. */
  size: z.number(),
  file: z.object({ id: z.number(), number: z.string() }),
  /** Of what was laid out again the number of times. */
  version: z.number(),
  laidAt: z.string(),
  /** Who laid it out; the mailing it went with. */
  by: z.string(),
  /** The last day, `2026-05-03`. */
  until: z.string(),
  state: z.enum(['lies there', 'replaced', 'withdrawn', 'its time is over']),
  /** When it was collected, the first time; and how often. */
  collectedAt: z.string().nullable(),
  collected: z.number(),
});
export type CollectionItem = z.infer<typeof CollectionItem>;

export const UploadState = z.enum(['waiting', 'taken in', 'refused', 'taken back']);
export type UploadState = z.infer<typeof UploadState>;

/** Something that is asked for. */
export const CollectionWanted = z.object({
  id: z.number(),
  name: z.string(),
  note: z.string(),
  file: z.object({ id: z.number(), number: z.string() }),
  askedAt: z.string(),
  by: z.string(),
  byDay: z.string().nullable(),
  late: z.boolean(),
  state: z.enum(['wanted', 'to look at', 'came', 'wanted no more']),
});
export type CollectionWanted = z.infer<typeof CollectionWanted>;

/** Something that a client put on their page, kept apart until somebody has looked at it. */
export const CollectionUpload = z.object({
  id: z.number(),
  filename: z.string(),
  mimeType: z.string(),
  size: z.number(),
  at: z.string(),
  state: UploadState,
  why: z.string(),
  wanted: z.string().nullable(),
  client: z.object({ id: z.number(), name: z.string() }),
  person: z.string(),
  file: z.object({ id: z.number(), number: z.string() }),
  look: z.enum(['picture', 'pdf', 'words']).nullable(),
});
export type CollectionUpload = z.infer<typeof CollectionUpload>;

/** The page of one of a client's people, as the office sees it. */
export const CollectionPage = z.object({
  personId: z.number(),
  name: z.string(),
  /** Where the code goes; empty: nowhere, and the page cannot be opened. */
  email: z.string(),
  state: z.enum(['never used', 'open', 'withdrawn']),
  openedAt: z.string().nullable(),
  items: z.array(CollectionItem),
  wanted: z.array(CollectionWanted),
  uploads: z.array(CollectionUpload),
});
export type CollectionPage = z.infer<typeof CollectionPage>;

export const ClientPages = z.object({
  /** Whether the office has said where it is reached on the web: without that there are no links. */
  reached: z.boolean(),
  /** What is laid out lies there so many days, if nothing else is said. */
  days: z.number(),
  pages: z.array(CollectionPage),
  files: z.array(FileRef),
});
export type ClientPages = z.infer<typeof ClientPages>;

export const LayOut = z.object({
  personIds: z.array(Id).min(1, 'Choose for whom.').max(50),
  documentId: Id,
  fileId: Id,
  until: Day,
});
export type LayOut = z.output<typeof LayOut>;
/** For how many it was laid out; for the others it lay there already. */
export const LaidOut = z.object({ laid: z.number(), replaced: z.number() });

export const Ask = z.object({
  personId: Id,
  fileId: Id,
  /** A thing a line. */
  names: z
    .array(z.string().trim().min(1).max(120, '120 letters at most for each.'))
    .min(1, 'Say what is wanted.')
    .max(30, 'Thirty things at once at most.'),
  note: z.string().trim().max(300, '300 letters at most.').default(''),
  byDay: Day.nullable(),
});
export type Ask = z.output<typeof Ask>;

export const WantedSettle = z.object({ to: z.enum(['wanted', 'came', 'wanted no more']) });
export const ItemSettle = z.object({ withdrawn: z.boolean() });
export const PageSettle = z.object({ withdrawn: z.boolean() });
export const PageLink = z.object({ url: z.string(), until: z.string() });

export const UploadSettle = z.discriminatedUnion('to', [
  z.object({ to: z.literal('taken in'), fileId: Id, kindId: Id.nullable().default(null) }),
  z.object({
    to: z.literal('refused'),
    why: z.string().trim().max(200, '200 letters at most.').default(''),
  }),
]);
export type UploadSettle = z.output<typeof UploadSettle>;

/** A line that somebody left on their page, or what came and went by it, as it stands in the ledger. */
export const CollectionEntry = z.object({
  id: z.number(),
  at: z.string(),
  kind: z.enum(['line', 'came', 'laid out']),
  words: z.string(),
  person: z.string(),
  personId: z.number().nullable(),
  by: z.string(),
  collectedAt: z.string().nullable(),
  waits: z.boolean(),
  client: z.object({ id: z.number(), name: z.string() }),
  files: z.array(z.object({ id: z.number(), number: z.string() })),
});
export type CollectionEntry = z.infer<typeof CollectionEntry>;
export const EntryAnswered = z.object({ waits: z.boolean() });

/** What waits on clients' pages, for all of the office. */
export const CollectionQuery = Page.extend({
  show: z.enum(['uploads', 'lines', 'wanted', 'items']).default('uploads'),
  words: z.string().trim().max(100).default(''),
});
export type CollectionQuery = z.output<typeof CollectionQuery>;
export const CollectionList = z.object({
  total: z.number(),
  counts: z.object({ uploads: z.number(), lines: z.number(), wanted: z.number() }),
  uploads: z.array(CollectionUpload),
  lines: z.array(CollectionEntry),
  wanted: z.array(
    CollectionWanted.extend({
      client: z.object({ id: z.number(), name: z.string() }),
      person: z.string(),
    }),
  ),
  items: z.array(
    CollectionItem.extend({
      client: z.object({ id: z.number(), name: z.string() }),
      person: z.string(),
    }),
  ),
});
export type CollectionList = z.infer<typeof CollectionList>;

/** What the client's own small app is told before anybody has shown a code: whose page it would be, and no more. */
export const DoorView = z.object({ firm: z.string(), phone: z.string() });
export type DoorView = z.infer<typeof DoorView>;
/** A code of six figures. */
export const CodeGiven = z.object({ code: z.string().trim().max(20).default('') });

/** A client's page as the client sees it. */
export const OwnPage = z.object({
  firm: z.string(),
  phone: z.string(),
  zone: z.string(),
  name: z.string(),
  email: z.string(),
  items: z.array(
    z.object({
      id: z.number(),
      filename: z.string(),
      size: z.number(),
      about: z.string(),
      version: z.number(),
      laidAt: z.string(),
      until: z.string(),
      collectedAt: z.string().nullable(),
    }),
  ),
  wanted: z.array(
    z.object({
      id: z.number(),
      name: z.string(),
      note: z.string(),
      about: z.string(),
      byDay: z.string().nullable(),
      state: z.enum(['wanted', 'to look at', 'came']),
    }),
  ),
  uploads: z.array(
    z.object({
      id: z.number(),
      filename: z.string(),
      size: z.number(),
      at: z.string(),
      state: UploadState,
      why: z.string(),
    }),
  ),
  lines: z.array(z.object({ at: z.string(), words: z.string() })),
  hears: z.object({
    topics: z.array(z.object({ id: z.number(), name: z.string(), wanted: z.boolean() })),
    none: z.boolean(),
    /** How letters and statements come; null: it is not theirs to say. */
    ways: z
      .array(
        z.object({ kind: z.enum(['letters', 'statements']), way: z.enum(['email', 'post', 'both', 'none']) }),
      )
      .nullable(),
    numbers: z.array(z.object({ number: z.string(), wanted: z.boolean() })),
  }),
});
export type OwnPage = z.infer<typeof OwnPage>;

export const OwnUpload = z.object({
  filename: z.string().trim().min(1).max(255),
  wantedId: Id.optional(),
});
export const OwnLine = z.object({
  words: z.string().trim().min(1, 'Write something first.').max(4000, '4,000 letters at most.'),
});
export const OwnChoice = z.object({
  none: z.boolean(),
  topicIds: z.array(z.number().int().positive()).max(200),
  ways: z.array(z.object({ kind: z.enum(['letters', 'statements']), way: z.enum(['email', 'post']) })).max(2),
  /** Numbers that want no text messages any more. */
  quiet: z.array(z.string().max(40)).max(20),
});
export type OwnChoice = z.output<typeof OwnChoice>;
