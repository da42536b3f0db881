import { z } from 'zod';
import { LOOKS } from '../core/documents/look.ts';
import { FileRef, Id, Page } from './common.ts';
import { Day } from './office.ts';

/** How a document came to lie where it does: with mail that was received or sent, put there by hand, or made here as paperwork. */
export const DocumentHow = z.enum(['came', 'went', 'put', 'made']);
export type DocumentHow = z.infer<typeof DocumentHow>;

/** A document on a client's files. */
export const DocumentRow = z.object({
  id: z.number(),
  filename: z.string(),
  mimeType: z.string(),
  /** In bytes. */
  size: z.number(),
  at: z.string(),
  how: DocumentHow,
  /** Who sent it, or put it there. */
  from: z.string(),
  kind: z.object({ id: z.number(), name: z.string() }).nullable(),
  /** As what it can be looked at where it is; null: only taken out. */
  look: z.enum(LOOKS).nullable(),
  /** The message it came or went with. */
  messageId: z.number().nullable(),
  files: z.array(FileRef),
  /** How often the same content lies there. */
  times: z.number(),
});
export type DocumentRow = z.infer<typeof DocumentRow>;

export const DocumentSort = z.enum(['at', 'name', 'size']);

/** Which documents: a client's, a file's, or all; by words in their name or text, kind, and how they came. */
export const DocumentsQuery = Page.extend({
  clientId: Id.optional(),
  fileId: Id.optional(),
  q: z.string().max(200).optional(),
  kindId: Id.optional(),
  how: DocumentHow.optional(),
  sort: DocumentSort.default('at'),
  order: z.enum(['asc', 'desc']).default('desc'),
});
export type DocumentsQuery = z.infer<typeof DocumentsQuery>;

export const DocumentsPage = z.object({
  total: z.number(),
  rows: z.array(DocumentRow),
  /** Contents whose words are not read yet: search does not find them by these. */
  unread: z.number(),
});
export type DocumentsPage = z.infer<typeof DocumentsPage>;

/** What is to be otherwise about a document; what came with mail stays with its message, on that day. */
export const DocumentChange = z.object({
  filename: z.string().trim().min(1, 'Give it a name.').max(255).optional(),
  kindId: Id.nullable().optional(),
  fileId: Id.optional(),
  on: Day.optional(),
});
export type DocumentChange = z.infer<typeof DocumentChange>;

/** What the bytes that follow are, and whether one was asked that such a document lies there already. */
export const DocumentPut = z.object({
  filename: z.string().min(1).max(255),
  type: z.string().max(120).default(''),
  kindId: Id.optional(),
});

/** On which file a document is to lie too. */
export const DocumentCopy = z.object({ fileId: Id });
/** What of a draft is to be enclosed. */
export const EncloseDocument = z.object({ documentId: Id });
