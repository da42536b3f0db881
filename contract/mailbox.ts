import { z } from 'zod';
import { Id } from './common.ts';
import { MessageRow, Owes } from './correspondence.ts';
import { Likelihood } from './filing.ts';

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

/** A mailbox as the Mail screen shows it to one person. */
export const ShownMailbox = z.object({
  id: z.number(),
  name: z.string(),
  address: z.string(),
  own: z.boolean(),
  shared: z.boolean(),
  /** Whether this person may answer as it, and move what lies in it. */
  mayWrite: z.boolean(),
  verified: z.boolean(),
  /** What is wrong with it now, in words. */
  trouble: z.string().nullable(),
  unread: z.number(),
  folders: z.array(
    z.object({
      id: z.number(),
      path: z.string(),
      role: z.enum(['inbox', 'sent', 'drafts', 'trash', 'junk', 'archive', 'other']),
    }),
  ),
});
export type ShownMailbox = z.infer<typeof ShownMailbox>;

export const MailView = z.enum(['everything', 'client', 'unread', 'starred', 'owed', 'enclosures']);
export type MailView = z.infer<typeof MailView>;

const Ids = z
  .string()
  .regex(/^\d+(,\d+)*$/)
  .transform((text) => text.split(',').map(Number));

const Day = z.iso.date();

/** What of the mail is asked for. */
export const MailQuery = z.object({
  /** Mailboxes switched on, by id, separated by commas; all the person may see when left out. */
  boxes: Ids.optional(),
  view: MailView.default('everything'),
  folder: Id.optional(),
  /** What was thrown away, in all mailboxes. */
  thrown: z.enum(['1']).optional(),
  q: z.string().trim().max(200).optional(),
  /** Firm's days, both included. */
  from: Day.optional(),
  until: Day.optional(),
  file: Id.optional(),
  /** The last row already shown: its time and number. */
  after: z
    .string()
    .regex(/^\d+ \d+$/, 'That is no place in the list.')
    .optional(),
  limit: z.coerce.number().int().min(1).max(200).default(60),
});
export type MailQuery = z.output<typeof MailQuery>;

export const MailRow = MessageRow.extend({
  unread: z.boolean(),
  starred: z.boolean(),
  enclosures: z.number(),
  waits: Owes.nullable(),
  conversationId: z.number(),
  conversationSize: z.number(),
  /** The file suggested first, while it waits in Sorting. */
  suggestion: z.object({ number: z.string(), likelihood: Likelihood }).nullable(),
  /** Mailboxes that hold it. */
  boxes: z.array(z.number()),
  /** How often it lies in the mailbox that holds it most often: one message, several copies. */
  copies: z.number(),
  handler: z.string().nullable(),
  differs: z.string().nullable(),
});
export type MailRow = z.infer<typeof MailRow>;

export const MailPage = z.object({
  rows: z.array(MailRow),
  /** Where the next page begins; null at the end. */
  next: z.string().nullable(),
});
export type MailPage = z.infer<typeof MailPage>;

/** Where a copy of a message was before it was moved, and where it went, so that it can be undone. */
export const MovedCopy = z.object({ messageId: Id, folderId: Id, nowIn: Id });

/** What is done to messages in the mailboxes that hold them. */
export const MailAct = z.object({
  messageIds: z.array(Id).min(1, 'Choose a message first.').max(1000),
  /** Mailboxes in which it is done; all in which the person may when left out. */
  boxes: z.array(Id).optional(),
  act: z.discriminatedUnion('kind', [
    z.object({ kind: z.literal('read'), on: z.boolean() }),
    z.object({ kind: z.literal('star'), on: z.boolean() }),
    z.object({ kind: z.literal('move'), folderId: Id }),
    /** Into the mailbox's folder for what is thrown away; from there for good. */
    z.object({
      kind: z.literal('throw away'),
      /** Also what lies in a mailbox whose server has no folder for it, where it is gone at once. */
      forGood: z.boolean().default(false),
    }),
    z.object({ kind: z.literal('put back'), copies: z.array(MovedCopy).max(5000) }),
    z.object({ kind: z.literal('deal with'), on: z.boolean() }),
  ]),
});
export type MailAct = z.input<typeof MailAct>;

export const MailActDone = z.object({
  messages: z.number(),
  /** Given back to undo a move. */
  moved: z.array(MovedCopy),
  /** Thrown away for good, which cannot be undone. */
  gone: z.number(),
  /** Mailboxes with no folder for what is thrown away: nothing was done to what lies there, and somebody is to be asked. */
  withoutBin: z.array(z.number()),
});
export type MailActDone = z.infer<typeof MailActDone>;

/** What somebody wanted done on a mail server and could not be. */
export const UndoneChange = z.object({
  id: z.number(),
  /** As “Star it”. */
  what: z.string(),
  why: z.string(),
  at: z.string(),
  mailbox: z.string(),
  subject: z.string(),
});
export type UndoneChange = z.infer<typeof UndoneChange>;

export const UndoneSeen = z.object({ upTo: Id });

export const LookOnServer = z.object({
  q: z.string().trim().min(2, 'Type at least two letters.').max(200),
  boxes: z.array(Id).optional(),
});

export const LookedOnServer = z.object({
  /** Messages found there that were not here; they have been taken in. */
  found: z.number(),
  /** Mailboxes that could not be asked, and why. */
  problems: z.array(z.string()),
});
export type LookedOnServer = z.infer<typeof LookedOnServer>;

export const Security = z.enum(['tls', 'starttls', 'none']);

const Host = z
  .string()
  .trim()
  .min(1, 'Name the server.')
  .max(255)
  .regex(/^[\w.-]+$|^[\da-fA-F:]+$/, 'A server’s name has letters, digits, dots and dashes only.');

const Port = z.coerce.number().int().min(1, 'A port is between 1 and 65535.').max(65_535);

/** How a mailbox is reached. */
export const MailboxAccess = z.object({
  imapHost: Host,
  imapPort: Port,
  imapSecurity: Security,
  smtpHost: Host,
  smtpPort: Port,
  smtpSecurity: Security,
  user: z.string().trim().min(1, 'Give the name you sign in with there.').max(254),
});
export type MailboxAccess = z.infer<typeof MailboxAccess>;

const MailAddress = z.string().trim().toLowerCase().pipe(z.email('That is not an email address.').max(254));

export const GuessAsk = z.object({ address: MailAddress });

export const Guess = z.object({
  access: MailboxAccess,
  /** Where the settings come from, in words. */
  words: z.string(),
});
export type Guess = z.infer<typeof Guess>;

export const TryAsk = z.object({
  access: MailboxAccess,
  /** Left out for a mailbox that is connected: the password kept is tried. */
  password: z.string().max(500).optional(),
  mailboxId: Id.optional(),
  step: z.enum(['incoming', 'outgoing']),
});

export const TryResult = z.object({
  ok: z.boolean(),
  words: z.string(),
  /** Folders found, once signed in. */
  folders: z.array(z.object({ path: z.string(), messages: z.number() })),
});
export type TryResult = z.infer<typeof TryResult>;

const Colleagues = z.array(z.object({ staffId: Id, may: z.enum(['read', 'write']) })).max(200);

export const MailboxConnect = z.object({
  address: MailAddress,
  name: z.string().trim().max(120),
  access: MailboxAccess,
  password: z.string().min(1, 'Give the password.').max(500),
  /** Whose it is; one's own when left out. */
  staffId: Id.optional(),
  shared: z.boolean().default(false),
  takeFrom: z.iso.date().nullable().default(null),
  /** Folders that are never read, by path. */
  skipped: z.array(z.string().max(2000)).max(2000).default([]),
  colleagues: Colleagues.default([]),
});
export type MailboxConnect = z.input<typeof MailboxConnect>;

/** Everything about a connected mailbox but its password. */
export const MailboxSettings = z.object({
  id: z.number(),
  address: z.string(),
  name: z.string(),
  owner: z.string(),
  ownerId: z.number(),
  shared: z.boolean(),
  access: MailboxAccess.extend({ imapPort: z.number(), smtpPort: z.number() }),
  takeFrom: z.string().nullable(),
  /** Messages of mailings that leave from it in a minute at most; null: as usual here. */
  perMinute: z.number().nullable(),
  /** As usual here; null: no limit. */
  usualPerMinute: z.number().nullable(),
  verifiedAt: z.string().nullable(),
  pausedAt: z.string().nullable(),
  folders: z.array(z.object({ id: z.number(), path: z.string(), skipped: z.boolean() })),
  colleagues: Colleagues,
  staff: z.array(z.object({ id: z.number(), name: z.string() })),
  /** Messages that only this mailbox brought and that are on no file. */
  neverLogged: z.number(),
  /** Names under which servers wrote into its mail whether the sender could be confirmed. */
  servers: z.array(
    z.object({
      name: z.string(),
      /** In how many messages it stands at the top. */
      seen: z.number(),
      believed: z.boolean(),
      /** Believed because our own test message came back with it. */
      learned: z.boolean(),
    }),
  ),
  /** Its server lets in only mail it has checked, though it does not say so. */
  checksSilently: z.boolean(),
});
export type MailboxSettings = z.infer<typeof MailboxSettings>;

export const MailboxChange = z.object({
  name: z.string().trim().max(120).optional(),
  shared: z.boolean().optional(),
  takeFrom: z.iso.date().nullable().optional(),
  perMinute: z
    .number('How many?')
    .int('A whole number.')
    .min(1, 'At least one.')
    .max(600, 'At most 600.')
    .nullable()
    .optional(),
  skippedFolders: z.array(Id).max(5000).optional(),
  colleagues: Colleagues.optional(),
  access: MailboxAccess.optional(),
  password: z.string().min(1).max(500).optional(),
  paused: z.boolean().optional(),
  /** The names of servers that are believed about senders; none others. */
  believed: z.array(z.string().trim().toLowerCase().min(1).max(255)).max(10).optional(),
  checksSilently: z.boolean().optional(),
});
export type MailboxChange = z.input<typeof MailboxChange>;

/** How long the server was held at a stretch in the last hour, in milliseconds: 99 of 100 times at most, and at most. */
export const HeldFor = z.object({ p99: z.number(), most: z.number() });
export type HeldFor = z.infer<typeof HeldFor>;

export const Verified = z.object({ ok: z.boolean(), words: z.string() });
export type Verified = z.infer<typeof Verified>;

/** The firm's private filing address; empty for none. */
export const FilingAddress = z.object({
  address: z.union([z.literal(''), MailAddress]),
});
export type FilingAddress = z.infer<typeof FilingAddress>;

/** Whether what was never logged goes with the mailbox. */
export const DisconnectQuery = z.object({ remove: z.enum(['0', '1']).default('0') });
