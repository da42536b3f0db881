import { z } from 'zod';
import { FileRef, Id, Page } from './common.ts';
import { TextMessage } from './texts.ts';
import { CollectionEntry } from './collection.ts';
import { TimelineEntry, TimelineKind } from './timeline.ts';

export const MessageState = z.enum(['logged', 'suggested', 'aside', 'private']);
export type MessageState = z.infer<typeof MessageState>;

/** Which way a message went. */
export const Direction = z.enum(['received', 'sent', 'internal']);

/** Who owes an answer. */
export const Owes = z.enum(['we', 'they']);

/** Whether the receiving server confirmed the sender. */
export const Confirmation = z.enum(['confirmed', 'failed', 'absent', 'untold']);
export type Confirmation = z.infer<typeof Confirmation>;

export const Party = z.object({
  role: z.enum(['from', 'to', 'cc', 'bcc']),
  name: z.string(),
  email: z.string(),
});
export type Party = z.infer<typeof Party>;

export const EnclosureInfo = z.object({
  index: z.number(),
  filename: z.string(),
  mimeType: z.string(),
  size: z.number(),
});

/** What of a ledger is shown. */
export const LedgerPart = z.enum(['message', 'paper', 'text', 'page', ...TimelineKind.options]);
export type LedgerPart = z.infer<typeof LedgerPart>;

export const LedgerQuery = Page.extend({
  fileId: z.coerce.number().int().positive().optional(),
  q: z.string().max(100).optional(),
  only: LedgerPart.optional(),
});

const Entry = z.object({ id: z.number(), at: z.string() });

/** What may stand in a client's ledger, by kind. */
export const LedgerEntry = z.discriminatedUnion('kind', [
  Entry.extend({
    kind: z.literal('message'),
    direction: Direction,
    subject: z.string(),
    from: z.string(),
    to: z.string(),
    snippet: z.string(),
    enclosures: z.number(),
    automatic: z.string().nullable(),
    waits: Owes.nullable(),
    /** What is different in the copy that lies in Sent. */
    differs: z.string().nullable(),
    mailing: z.object({ id: z.number(), name: z.string(), recipients: z.number() }).nullable(),
    files: z.array(z.object({ id: z.number(), number: z.string() })),
  }),
  /** What was printed and posted. */
  Entry.extend({
    kind: z.literal('paper'),
    name: z.string(),
    runId: z.number(),
    to: z.string(),
    pages: z.number(),
    by: z.string(),
    documentId: z.number().nullable(),
    filename: z.string().nullable(),
    files: z.array(z.object({ id: z.number(), number: z.string() })),
  }),
  Entry.extend({ kind: z.literal('text'), text: TextMessage }),
  Entry.extend({ kind: z.literal('page'), page: CollectionEntry }),
  Entry.extend({ kind: z.literal('timeline'), entry: TimelineEntry }),
]);
export type LedgerEntry = z.infer<typeof LedgerEntry>;

export const LedgerPage = z.object({
  entries: z.array(LedgerEntry),
  total: z.number(),
  /** Messages with the client's people that are on no file yet, newest first. */
  unfiled: z.array(
    z.object({
      id: z.number(),
      at: z.string(),
      direction: Direction,
      subject: z.string(),
      from: z.string(),
    }),
  ),
});
export type LedgerPage = z.infer<typeof LedgerPage>;

/** One message in a list. */
export const MessageRow = z.object({
  id: z.number(),
  at: z.string(),
  direction: Direction,
  from: z.string(),
  /** The address itself, whatever name stands before it. */
  fromAddress: z.string(),
  /** The receiving server could not confirm it: false where it could, or was never asked. */
  doubtful: z.boolean(),
  to: z.string(),
  subject: z.string(),
  snippet: z.string(),
  state: MessageState,
  files: z.array(FileRef),
});
export type MessageRow = z.infer<typeof MessageRow>;

/** A message within its conversation: how far it lies below the beginning. */
export const ConversationRow = MessageRow.extend({ depth: z.number() });
export type ConversationRow = z.infer<typeof ConversationRow>;

/** The conversation a message is of. */
export const Conversed = z.object({ conversationId: z.number().int().positive() });

/** Into which conversation a message goes: the one another message is of at this moment, or back into one by its number. */
export const Join = z.union([z.object({ withId: Id }), Conversed]);
/** The one it is of now, and the one it was of before. */
export const Joined = Conversed.extend({ before: z.number().int().positive() });

export const Owing = z.object({
  messageId: z.number(),
  conversationId: z.number(),
  who: Owes,
  since: z.string(),
  subject: z.string(),
  /** The other side. */
  correspondent: z.string(),
  file: z.object({ id: z.number(), number: z.string(), clientId: z.number() }).nullable(),
});
export type Owing = z.infer<typeof Owing>;

export const OwingQuery = z.object({
  clientId: Id.optional(),
  who: Owes.optional(),
  limit: z.coerce.number().int().min(1).max(200).default(50),
});

/** Whether a message needs an answer. */
export const AnswerNeeded = z.object({ needs: z.boolean() });
