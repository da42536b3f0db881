import { z } from 'zod';
import { FileRef, Id, Page } from './common.ts';

export const MessageState = z.enum(['logged', 'suggested', 'aside', 'private']);
export type MessageState = z.infer<typeof MessageState>;

export const Evidence = z.object({ kind: z.string(), side: z.enum(['for', 'against']), words: z.string() });
export type Evidence = z.infer<typeof Evidence>;

export const Party = z.object({
  role: z.enum(['from', 'to', 'cc', 'bcc']),
  name: z.string(),
  email: z.string(),
});
export type Party = z.infer<typeof Party>;

export const Candidate = z.object({
  file: FileRef,
  likelihood: z.enum(['nearly certain', 'likely', 'unsure']),
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
  undone: z.boolean(),
});

/** One message, opened. */
export const MessageView = z.object({
  id: z.number(),
  direction: z.enum(['received', 'sent', 'internal']),
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
  direction: z.enum(['received', 'sent', 'internal']),
  first: z
    .object({ number: z.string(), likelihood: z.enum(['nearly certain', 'likely', 'unsure']) })
    .nullable(),
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

/** What a person settles about a message: files, or not client mail. */
export const Sort = z.object({
  messageId: Id,
  to: z.discriminatedUnion('kind', [
    z.object({ kind: z.literal('files'), fileIds: z.array(Id).min(1, 'Choose a file first.').max(10) }),
    z.object({ kind: z.literal('aside') }),
    z.object({ kind: z.literal('sorting') }),
  ]),
  restOfConversation: z.boolean().default(false),
});
export type Sort = z.infer<typeof Sort>;

export const SortDone = z.object({ stepId: z.number(), words: z.string(), messages: z.number() });
export type SortDone = z.infer<typeof SortDone>;

export const LedgerQuery = Page.extend({
  fileId: z.coerce.number().int().positive().optional(),
  q: z.string().max(100).optional(),
});

export const LedgerEntry = z.object({
  id: z.number(),
  at: z.string(),
  direction: z.enum(['received', 'sent', 'internal']),
  subject: z.string(),
  from: z.string(),
  to: z.string(),
  snippet: z.string(),
  enclosures: z.number(),
  automatic: z.string().nullable(),
  mailing: z.object({ id: z.number(), name: z.string(), recipients: z.number() }).nullable(),
  files: z.array(z.object({ id: z.number(), number: z.string() })),
});
export type LedgerEntry = z.infer<typeof LedgerEntry>;

export const LedgerPage = z.object({ entries: z.array(LedgerEntry), total: z.number() });
export type LedgerPage = z.infer<typeof LedgerPage>;

export const FolderStatus = z.object({ path: z.string(), onServer: z.number(), taken: z.number() });

export const MailboxStatus = z.object({
  id: z.number(),
  address: z.string(),
  owner: z.string(),
  state: z.enum(['in step', 'filling', 'failing', 'waiting']),
  inStepAt: z.string().nullable(),
  failingSince: z.string().nullable(),
  problem: z.string().nullable(),
  onServer: z.number(),
  taken: z.number(),
  folders: z.array(FolderStatus),
});
export type MailboxStatus = z.infer<typeof MailboxStatus>;
