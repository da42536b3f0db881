import { z } from 'zod';
import { FileRef, Id, Page } from './common.ts';
import { DocNodeSchema } from './document.ts';
import { Selection } from './selection.ts';
import { Timing } from './timing.ts';

/** On which file each copy is logged; `private` to whoever it comes from and whoever released it; or `nowhere`. */
export const FileChoice = z.enum(['general', 'latest', 'private', 'nowhere']);
export type FileChoice = z.infer<typeof FileChoice>;
/** `ready`: handed over to whoever may release it. */
export const MailingState = z.enum(['draft', 'ready', 'going', 'paused', 'finished', 'cancelled']);
export type MailingState = z.infer<typeof MailingState>;

/** Colleagues whom a mailing goes to: all, or these. */
export const Colleagues = z.union([z.literal('all'), z.array(Id).max(500)]);
export type Colleagues = z.infer<typeof Colleagues>;

/** Who gets a copy: one person of each client, one of each household, or each person who takes mailings. */
export const EachOf = z.enum(['client', 'household', 'person']);
export type EachOf = z.infer<typeof EachOf>;

/** How a mailing goes: to addresses, or to telephones. */
export const Channel = z.enum(['email', 'text']);
export type Channel = z.infer<typeof Channel>;

export const MailingDraft = z.object({
  channel: Channel,
  name: z.string().trim().min(1, 'Give the mailing a name.').max(200, 'At most 200 letters.'),
  /** Of clients; of people, each of whom gets a copy; or of files, whose clients do. */
  selection: Selection,
  /** What it is about: those who opted out of it do not get it. */
  topicId: Id.nullable(),
  subject: DocNodeSchema,
  body: DocNodeSchema,
  /** The plain text, where another is written than is made of the body. */
  plain: DocNodeSchema.nullable(),
  /** Stands in the firm's frame: logo, colour, lines below. */
  framed: z.boolean(),
  /** What is enclosed is laid out on each one's own page instead, and the text leads there. */
  laidOut: z.boolean(),
  /** The mailbox it comes from; null: that of each client's adviser. */
  senderId: Id.nullable(),
  /** The mailbox that answers go to; null: whoever it comes from. */
  answersId: Id.nullable(),
  eachOf: EachOf,
  /** Where files are picked: to their people with one of these roles; to those who take mailings when none. */
  roles: z.array(z.string().max(80)).max(20),
  /** Colleagues, in the place of those of the selection; null: it goes to clients. */
  colleagues: Colleagues.nullable(),
  fileChoice: FileChoice,
  /** Of a message that follows another in a series: so many days behind it. */
  waitDays: z.number().int().min(1, 'At least a day.').max(365, 'At most a year.').nullable(),
  timing: Timing,
  /** Each copy says how to have no more of its kind. */
  optOut: z.boolean(),
  /** Each copy tells that it was opened and which of its links were followed. */
  counted: z.boolean(),
});
export type MailingDraft = z.infer<typeof MailingDraft>;

/** Saving names the version it was made from, so that two people never overwrite each other unseen. */
export const MailingSave = MailingDraft.extend({ version: z.number().int() });

export const MailingSaved = z.object({ version: z.number() });

export const DispatchState = z.enum([
  'waiting',
  'going',
  'sent',
  'delayed',
  'returned',
  'uncertain',
  'cancelled',
]);
export type DispatchState = z.infer<typeof DispatchState>;

export const MailingProgress = z.object({
  total: z.number(),
  byState: z.record(DispatchState, z.number()),
  answered: z.number(),
  endsAt: z.string().nullable(),
});
export type MailingProgress = z.infer<typeof MailingProgress>;

/** One message of a series, and how many stand where with it. */
export const SeriesStep = z.object({
  id: z.number(),
  step: z.number(),
  name: z.string(),
  /** After the message before; null for the first. */
  waitDays: z.number().nullable(),
  state: MailingState,
  testedAt: z.string().nullable(),
  sent: z.number(),
  /** Had the one before and are to have this one. */
  waiting: z.number(),
  /** Left the series before it. */
  left: z.array(z.object({ why: z.string(), count: z.number() })),
});
export type SeriesStep = z.infer<typeof SeriesStep>;

/** Who stands where in a series. */
export const SeriesPage = z.object({
  rows: z.array(
    z.object({
      clientId: z.number().nullable(),
      client: z.string(),
      to: z.string(),
      /** The last message they had or are to have. */
      step: z.number(),
      state: z.enum(['waits', 'goes', 'left', 'had all', 'returned', 'uncertain', 'cancelled']),
      /** When the next one is due, or they left. */
      at: z.string().nullable(),
      why: z.string(),
    }),
  ),
  total: z.number(),
});
export type SeriesPage = z.infer<typeof SeriesPage>;

export const MailingRow = z.object({
  id: z.number(),
  name: z.string(),
  state: MailingState,
  owner: z.string(),
  savedAt: z.string(),
  releasedAt: z.string().nullable(),
  progress: MailingProgress,
  /** How many messages its series has; one for what is none. */
  messages: z.number(),
  /** Whether messages that follow it are still under way. */
  goesOn: z.boolean(),
});
export type MailingRow = z.infer<typeof MailingRow>;

export const MailingView = MailingRow.extend({
  draft: MailingDraft,
  version: z.number(),
  testedAt: z.string().nullable(),
  /** Who handed it over to be released, and when. */
  handed: z.object({ by: z.string(), at: z.string() }).nullable(),
  /** Its series, the first message first; empty when it is none. */
  series: z.array(SeriesStep),
});
export type MailingView = z.infer<typeof MailingView>;

/** Names a copy before it is released: the client, and the person it is addressed to; 0 and the colleague. */
export const RecipientKey = z.string().regex(/^\d{1,10}-\d{1,10}$/);

export const RecipientRow = z.object({
  /** Of this copy among the mailing's. */
  key: RecipientKey,
  /** 0 of a colleague. */
  clientId: z.number(),
  /** Of the selection's subject, or the colleague: what is taken out to leave this copy out. */
  picks: z.array(z.number()),
  client: z.string(),
  to: z.string(),
  address: z.string(),
  greeting: z.string().nullable(),
  from: z.string(),
  /** Null where copies are logged on none. */
  file: FileRef.nullable(),
  ticked: z.boolean(),
});
export type RecipientRow = z.infer<typeof RecipientRow>;

export const LeftOut = z.object({
  why: z.enum([
    'no email address',
    'opted out',
    'email returned undelivered',
    'same address as another recipient',
    'nobody to send as',
    'lives with another recipient',
    'takes mailings by post',
    'takes no mailings',
    'no telephone number',
    'has not agreed to text messages',
    'wants no text messages',
    'taken out by hand',
  ]),
  clients: z.array(
    z.object({
      id: z.number(),
      name: z.string(),
      detail: z.string(),
      /** Of those taken out by hand: what is put back. */
      picks: z.array(z.number()).default([]),
    }),
  ),
});
export type LeftOut = z.infer<typeof LeftOut>;

/** What decides who gets a mailing, as it stands on the screen. */
export const RecipientsAsk = Page.extend({
  mailingId: Id,
  ...MailingDraft.pick({
    channel: true,
    selection: true,
    topicId: true,
    senderId: true,
    eachOf: true,
    roles: true,
    colleagues: true,
    fileChoice: true,
  }).shape,
});

export const Recipients = z.object({
  rows: z.array(RecipientRow),
  total: z.number(),
  ticked: z.number(),
  /** Picked people of no client: a mailing reaches clients. */
  ofNobody: z.number(),
  leftOut: z.array(LeftOut),
});
export type Recipients = z.infer<typeof Recipients>;

export const PreviewAsk = z.object({ key: RecipientKey });

/** To whom a test copy goes, instead of the recipient. */
export const TestAsk = PreviewAsk.extend({ staffId: Id.optional() });

/** The message as this recipient will read it: the very bytes, and what is missing in them. */
export const Preview = z.object({
  key: RecipientKey,
  clientId: z.number(),
  client: z.string(),
  from: z.string(),
  to: z.string(),
  subject: z.string(),
  html: z.string(),
  text: z.string(),
  size: z.number(),
  /** The message as it would leave, as far as it is text. */
  source: z.string(),
  missing: z.array(z.object({ field: z.string(), label: z.string(), place: z.string() })),
  /** Whether its words were changed by hand. */
  own: z.boolean(),
  /** Of a text message: into how many parts it goes, what it costs, and which letters make it dear. */
  short: z
    .object({ parts: z.number(), price: z.number(), currency: z.string(), dear: z.array(z.string()) })
    .nullable(),
});
export type Preview = z.infer<typeof Preview>;

/** The words of one copy, changed by hand or as all say them. */
export const OwnCopyChange = z.object({ subject: DocNodeSchema, body: DocNodeSchema });
export const OwnCopy = OwnCopyChange.extend({ own: z.boolean() });
export type OwnCopy = z.infer<typeof OwnCopy>;

/** What the checks find over all recipients. */
export const Checks = z.object({
  recipients: z.number(),
  order: z.array(RecipientKey),
  missing: z.array(
    z.object({
      key: RecipientKey,
      clientId: z.number(),
      personId: z.number(),
      picks: z.array(z.number()),
      client: z.string(),
      field: z.string(),
      label: z.string(),
    }),
  ),
  /** Copies whose words were changed by hand. */
  own: z.array(z.object({ key: RecipientKey, client: z.string() })),
  problems: z.array(z.string()),
  /** What is odd and can be meant all the same. */
  remarks: z.array(z.string()),
});
export type Checks = z.infer<typeof Checks>;

/** What goes with every copy. */
export const MailingEnclosure = z.object({
  id: z.number(),
  filename: z.string(),
  size: z.number(),
  /** The cupboard holds a newer one of it. */
  newer: z.boolean(),
});
export type MailingEnclosure = z.infer<typeof MailingEnclosure>;

/** Each client's newest document of a kind goes with their copy; where it is needed, nobody is written to without. */
export const OwnEnclosure = z.object({ kindId: z.number(), name: z.string(), needed: z.boolean() });
export type OwnEnclosure = z.infer<typeof OwnEnclosure>;
export const OwnEnclosures = z.array(z.object({ kindId: Id, needed: z.boolean() })).max(10);
export type OwnEnclosures = z.infer<typeof OwnEnclosures>;

/** A mailbox that mailings may come from, or answers go to: verified, and its owner's or the office's. */
export const MailingSender = z.object({
  id: z.number(),
  name: z.string(),
  address: z.string(),
  shared: z.boolean(),
});
export type MailingSender = z.infer<typeof MailingSender>;

export const Release = z.object({
  version: z.number().int(),
  recipients: z.number().int(),
  /** Why it goes without anybody having had a test copy; needed when nobody had one. */
  untestedWhy: z.string().trim().max(300, 'At most 300 letters.').default(''),
});

/** As it was looked at by whoever hands it over. */
export const HandOver = z.object({ version: z.number().int() });

export const Settle = z.object({ outcome: z.enum(['sent', 'send again']) });

/** Begins a mailing, empty, for those of a selection, or as a copy of another. */
export const MailingBegin = z.object({
  copyOf: Id.nullable().default(null),
  /** Whom it is to go to; else all who are active. */
  selection: MailingDraft.shape.selection.optional(),
});
export type MailingBegin = z.output<typeof MailingBegin>;
/** At which step somebody is; null: not there any more. */
export const PresenceTold = z.object({ step: z.string().max(20).nullable() });
/** Colleagues who are at the same mailing now. */
export const Presence = z.array(z.object({ name: z.string(), step: z.string() }));
export type Presence = z.infer<typeof Presence>;

export const MailingSteer = z.object({ to: z.enum(['paused', 'going', 'cancelled']) });
