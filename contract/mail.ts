import { z } from 'zod';
import { FileRef, Id, Page } from './common.ts';

export const MessageState = z.enum(['logged', 'suggested', 'aside', 'private']);
export type MessageState = z.infer<typeof MessageState>;

/** Which way a message went. */
export const Direction = z.enum(['received', 'sent', 'internal']);

/** Who owes an answer. */
export const Owes = z.enum(['we', 'they']);

export const Evidence = z.object({
  kind: z.string(),
  side: z.enum(['for', 'against']),
  words: z.string(),
  /** In log-odds; older records carry none. */
  weight: z.number().default(0),
});
export type Evidence = z.infer<typeof Evidence>;

/** Whether the receiving server confirmed the sender. */
export const Confirmation = z.enum(['confirmed', 'failed', 'absent', 'untold']);
export type Confirmation = z.infer<typeof Confirmation>;

export const Party = z.object({
  role: z.enum(['from', 'to', 'cc', 'bcc']),
  name: z.string(),
  email: z.string(),
});
export type Party = z.infer<typeof Party>;

export const Likelihood = z.enum(['nearly certain', 'likely', 'unsure']);

export const Candidate = z.object({
  file: FileRef,
  likelihood: Likelihood,
  probability: z.number().default(0),
  evidence: z.array(Evidence),
});
export type Candidate = z.infer<typeof Candidate>;

export const EnclosureInfo = z.object({
  index: z.number(),
  filename: z.string(),
  mimeType: z.string(),
  size: z.number(),
});

export const FilingStep = z.object({
  id: z.number(),
  at: z.string(),
  by: z.string(),
  words: z.string(),
  note: z.string(),
  undone: z.boolean(),
});

export const Note = z.object({
  id: z.number(),
  at: z.string(),
  by: z.string(),
  words: z.string(),
  messageId: z.number().nullable(),
  file: z.object({ id: z.number(), number: z.string() }),
});
export type Note = z.infer<typeof Note>;

/** A correspondent whom the records do not know, and who it may be. */
export const Stranger = z.object({
  name: z.string(),
  email: z.string(),
  /** People of that name: the address may be theirs. */
  people: z.array(
    z.object({ id: z.number(), name: z.string(), clientId: z.number(), clientName: z.string() }),
  ),
  /** What signature and headers tell, for a new client or person. */
  read: z.object({
    firstName: z.string(),
    lastName: z.string(),
    organisation: z.string(),
    role: z.string(),
    phone: z.string(),
    postal: z.array(z.string()),
  }),
});
export type Stranger = z.infer<typeof Stranger>;

/** One message, opened. */
export const MessageView = z.object({
  id: z.number(),
  direction: Direction,
  at: z.string(),
  subject: z.string(),
  parties: z.array(Party),
  mailboxes: z.array(z.string()),
  /** The writer's own words; quoted history apart. */
  own: z.string(),
  quoted: z.string(),
  quotedLines: z.number(),
  hasHtml: z.boolean(),
  hasRemotePictures: z.boolean(),
  enclosures: z.array(EnclosureInfo),
  state: MessageState,
  files: z.array(FileRef),
  candidates: z.array(Candidate),
  evidence: z.array(Evidence),
  decidedBy: z.string().nullable(),
  history: z.array(FilingStep),
  /** Other messages of the conversation that have no file yet. */
  restOfConversation: z.number(),
  conversationId: z.number(),
  /** Messages in the conversation, this one among them. */
  conversationSize: z.number(),
  stranger: Stranger.nullable(),
  listId: z.string(),
  notes: z.array(Note),
  laterUntil: z.string().nullable(),
  /** Who owes an answer to it, when it is the last word of its conversation. */
  waits: Owes.nullable(),
  /** What is different in the copy that lies in Sent. */
  differs: z.string().nullable(),
  handler: z.string().nullable(),
  /** Why it could not be read; then what is shown is its source. */
  problem: z.string().nullable(),
  /** Its text goes on beyond what is shown. */
  shortened: z.boolean(),
  confirmation: Confirmation.nullable(),
  /** What should give a reader pause about who wrote it, in sentences. */
  warnings: z.array(z.string()),
  /** Others that bear the same Message-ID, sender and date, but say something else. */
  twins: z.array(z.object({ id: z.number(), subject: z.string(), takenInAt: z.string() })),
});
export type MessageView = z.infer<typeof MessageView>;

export const SortingGroup = z.enum(['certain', 'look', 'nobody']);
export type SortingGroup = z.infer<typeof SortingGroup>;

export const SortingRow = z.object({
  id: z.number(),
  group: SortingGroup,
  at: z.string(),
  from: z.string(),
  subject: z.string(),
  direction: Direction,
  first: z.object({ number: z.string(), likelihood: Likelihood }).nullable(),
});
export type SortingRow = z.infer<typeof SortingRow>;

export const SortingQueue = z.object({
  rows: z.array(SortingRow),
  counts: z.object({ certain: z.number(), look: z.number(), nobody: z.number() }),
  total: z.number(),
  /** Filed without a person's help in the last seven days. */
  filedAlone: z.number(),
  undo: z.object({ id: z.number(), words: z.string() }).nullable(),
});
export type SortingQueue = z.infer<typeof SortingQueue>;

/** Where a person puts messages. */
export const SortTarget = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('files'), fileIds: z.array(Id).min(1, 'Choose a file first.').max(10) }),
  /** Each to the file suggested first for it. */
  z.object({ kind: z.literal('suggested') }),
  /** Where it is by itself is right: from now on a person says so. */
  z.object({ kind: z.literal('right') }),
  z.object({ kind: z.literal('aside') }),
  z.object({ kind: z.literal('private') }),
  /** Out of the way until the next working morning. */
  z.object({ kind: z.literal('later') }),
  z.object({ kind: z.literal('sorting') }),
]);
export type SortTarget = z.infer<typeof SortTarget>;

/** What a person settles about a message, about others with it, and what is noted along the way. */
export const Sort = z.object({
  messageId: Id,
  /** Others settled in the same step. */
  alsoIds: z.array(Id).max(500).default([]),
  to: SortTarget,
  restOfConversation: z.boolean().default(false),
  note: z.string().trim().max(500, 'A remark may have 500 letters.').default(''),
  /** A person to whom the unknown address is added. */
  addAddressTo: Id.nullable().default(null),
});
export type Sort = z.input<typeof Sort>;

export const SortDone = z.object({
  stepId: z.number(),
  words: z.string(),
  messages: z.number(),
  /** Waiting messages that found their place because of what was learned. */
  settledAlong: z.number(),
});
export type SortDone = z.infer<typeof SortDone>;

export const LedgerQuery = Page.extend({
  fileId: z.coerce.number().int().positive().optional(),
  q: z.string().max(100).optional(),
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
  Entry.extend({
    kind: z.literal('note'),
    by: z.string(),
    words: z.string(),
    messageId: z.number().nullable(),
    file: z.object({ id: z.number(), number: z.string() }),
  }),
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

export const FolderStatus = z.object({ path: z.string(), onServer: z.number(), taken: z.number() });

export const MailboxStatus = z.object({
  id: z.number(),
  address: z.string(),
  owner: z.string(),
  state: z.enum(['in step', 'filling', 'failing', 'recovering', 'waiting', 'paused']),
  inStepAt: z.string().nullable(),
  failingSince: z.string().nullable(),
  problem: z.string().nullable(),
  name: z.string(),
  shared: z.boolean(),
  verifiedAt: z.string().nullable(),
  pausedAt: z.string().nullable(),
  /** When older mail will probably all be here. */
  expectedEnd: z.string().nullable(),
  /** Null for a mailbox one may not look into. */
  onServer: z.number().nullable(),
  taken: z.number().nullable(),
  folders: z.array(FolderStatus),
  /** Folders that its server lists and does not open. */
  closed: z.array(z.string()),
  /** Whether the person asking may change how it is reached and read. */
  mayManage: z.boolean(),
});
export type MailboxStatus = z.infer<typeof MailboxStatus>;
