import { z } from 'zod';
import { MISADDRESSED } from '../core/checks/misaddressed.ts';
import { FileRef, Id } from './common.ts';
import { Doc } from './document.ts';

/** An address is checked when the message is to leave, so that nothing typed is lost before. */
export const Addressee = z.object({ name: z.string().max(255), email: z.string().trim().max(254) });
export type Addressee = z.infer<typeof Addressee>;

export const Addressees = z.object({
  to: z.array(Addressee).max(200),
  cc: z.array(Addressee).max(200),
  bcc: z.array(Addressee).max(200),
});
export type Addressees = z.infer<typeof Addressees>;

export const DraftEnclosure = z.object({
  id: z.number(),
  filename: z.string(),
  mimeType: z.string(),
  size: z.number(),
});

export const DraftSave = z.object({
  version: z.number().int(),
  mailboxId: Id.nullable(),
  people: Addressees,
  subject: z
    .string()
    .max(500, 'A subject may have 500 letters.')
    // A line end would begin another header.
    .transform((text) => text.replace(/[\r\n]+/g, ' ')),
  body: Doc,
  plain: z.boolean(),
  quoted: z.string().max(500_000),
  fileIds: z.array(Id).max(10),
});
export type DraftSave = z.input<typeof DraftSave>;

/** How a message is begun: by itself, about another, or to somebody. */
export const DraftBegin = z.object({
  how: z.enum(['new', 'reply', 'all', 'forward']).default('new'),
  messageId: Id.nullable().default(null),
  fileId: Id.nullable().default(null),
  personId: Id.nullable().default(null),
  clientId: Id.nullable().default(null),
  /** A document to be enclosed. */
  documentId: Id.nullable().default(null),
});
export type DraftBegin = z.input<typeof DraftBegin>;

export const DraftState = z.enum(['draft', 'waiting', 'going', 'sent', 'uncertain', 'returned']);

export const DraftView = z.object({
  id: z.number(),
  version: z.number(),
  state: DraftState,
  how: z.enum(['new', 'reply', 'all', 'forward']),
  mailboxId: z.number().nullable(),
  people: Addressees,
  subject: z.string(),
  body: Doc,
  plain: z.boolean(),
  quoted: z.string(),
  files: z.array(FileRef),
  /** Files it may belong to, by whom it is to. */
  fittingFiles: z.array(FileRef),
  enclosures: z.array(DraftEnclosure),
  /** What is put below by itself. */
  signature: z.string(),
  savedAt: z.string(),
  sendAt: z.string().nullable(),
  /** What the server said, when something did not go as meant. */
  problem: z.string().nullable(),
  about: z.object({ messageId: z.number(), words: z.string() }).nullable(),
  /** The standing order that prepared it, why, and what it waits for a person for. */
  order: z.object({ id: z.number(), name: z.string(), why: z.string(), waits: z.string() }).nullable(),
});
export type DraftView = z.infer<typeof DraftView>;

export const DraftSaved = z.object({
  version: z.number(),
  savedAt: z.string(),
  fittingFiles: z.array(FileRef),
});
export type DraftSaved = z.infer<typeof DraftSaved>;

export const DraftSend = z.object({
  version: z.number().int(),
  /** When it is to leave; at once when left out. */
  at: z.iso.datetime().nullable().default(null),
});

/** What gives pause before a message leaves. */
export const MisaddressedWarning = z.object({ kind: z.enum(MISADDRESSED), words: z.string() });
export type MisaddressedWarning = z.infer<typeof MisaddressedWarning>;

export const DraftSent = z.object({ leavesAt: z.string(), words: z.string() });
export type DraftSent = z.infer<typeof DraftSent>;

export const DraftRow = z.object({
  id: z.number(),
  state: DraftState,
  to: z.string(),
  subject: z.string(),
  from: z.string().nullable(),
  files: z.string(),
  savedAt: z.string(),
  sendAt: z.string().nullable(),
  /** What the server said, when something did not go as meant. */
  problem: z.string().nullable(),
  dispatchId: z.number().nullable(),
});
export type DraftRow = z.infer<typeof DraftRow>;

/** Somebody a message may go to. */
export const Correspondent = z.object({
  name: z.string(),
  email: z.string(),
  /** Their role on the file, or whose contact they are. */
  role: z.string(),
  onFile: z.boolean(),
});
export type Correspondent = z.infer<typeof Correspondent>;

export const PeopleQuery = z.object({
  q: z.string().trim().max(100).default(''),
  file: Id.optional(),
});

/** About which file. */
export const OfFile = z.object({ file: Id.optional() });

/** For messages, for notes, calls and meetings, or for mailings. */
export const WordingsQuery = OfFile.extend({
  for: z.enum(['messages', 'notes', 'mailings']).default('messages'),
});

/** What the bytes that follow are called. */
export const EnclosureNamed = z.object({
  filename: z.string().min(1).max(255),
  type: z.string().max(120).default(''),
});
