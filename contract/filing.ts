import { z } from 'zod';
import { FileRef, Id, Page } from './common.ts';
import {
  Confirmation,
  Direction,
  EnclosureInfo,
  MessageRow,
  MessageState,
  Owes,
  Party,
} from './correspondence.ts';
import { TimelineEntry } from './timeline.ts';

export const Evidence = z.object({
  kind: z.string(),
  side: z.enum(['for', 'against']),
  words: z.string(),
  /** In log-odds; older records carry none. */
  weight: z.number().default(0),
});
export type Evidence = z.infer<typeof Evidence>;

export const Likelihood = z.enum(['nearly certain', 'likely', 'unsure']);

export const Candidate = z.object({
  file: FileRef,
  likelihood: Likelihood,
  probability: z.number().default(0),
  evidence: z.array(Evidence),
});
export type Candidate = z.infer<typeof Candidate>;

export const FilingStep = z.object({
  id: z.number(),
  at: z.string(),
  by: z.string(),
  words: z.string(),
  note: z.string(),
  undone: z.boolean(),
});

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
  notes: z.array(TimelineEntry),
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
  /** What was set aside because nothing connects it with a client, on the latest days that have any. */
  unconnected: z.array(z.object({ day: z.string(), count: z.number() })),
});
export type SortingQueue = z.infer<typeof SortingQueue>;

/** How far the weighing of what was taken in is; null when hardly anything is left. */
export const Weighing = z.object({ left: z.number(), of: z.number() }).nullable();
export type Weighing = z.infer<typeof Weighing>;

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

/** A message that was settled without a person, and why. */
export const AutoFiledRow = MessageRow.extend({ evidence: z.array(Evidence) });
export type AutoFiledRow = z.infer<typeof AutoFiledRow>;

/** Why a message still cannot be read; null when it can. */
export const ReadAgain = z.object({ problem: z.string().nullable() });

/** What was settled without a person: filed; set aside; set aside because nothing connects it with a client. */
export const AutoFiledKind = z.enum(['logged', 'aside', 'unconnected']);
export type AutoFiledKind = z.infer<typeof AutoFiledKind>;

export const AutoFiledQuery = Page.extend({
  /** A day of the firm's zone; the latest with anything when left out. */
  day: z.iso.date().optional(),
  state: AutoFiledKind.default('logged'),
});

export const AutoFiledPage = z.object({
  day: z.string(),
  days: z.array(
    z.object({ day: z.string(), logged: z.number(), aside: z.number(), unconnected: z.number() }),
  ),
  rows: z.array(AutoFiledRow),
  total: z.number(),
});
export type AutoFiledPage = z.infer<typeof AutoFiledPage>;

export const RuleDraft = z
  .object({
    by: z.enum(['address', 'domain', 'list', 'subject']),
    pattern: z.string().trim().min(1, 'Say what the rule looks for.').max(254),
    then: z.discriminatedUnion('kind', [
      z.object({ kind: z.literal('file'), fileId: Id }),
      z.object({ kind: z.literal('never'), fileId: Id }),
      z.object({ kind: z.literal('aside') }),
      z.object({ kind: z.literal('private') }),
    ]),
  })
  .refine((rule) => rule.by !== 'subject' || rule.pattern.length >= 4, {
    message: 'Fewer than four letters would catch too much.',
    path: ['pattern'],
  });
export type RuleDraft = z.infer<typeof RuleDraft>;

export const Rule = z.object({
  id: z.number(),
  words: z.string(),
  by: z.string(),
  pattern: z.string(),
  file: FileRef.nullable(),
  madeBy: z.string(),
  madeAt: z.string(),
});
export type Rule = z.infer<typeof Rule>;

/** What a rule would have done to the mail that is here. */
export const RuleTrial = z.object({
  words: z.string(),
  /** Messages it speaks of. */
  matches: z.number(),
  /** Those that it would have put elsewhere than they are. */
  moves: z.number(),
  /** Among them, those that a person had settled. */
  overPeople: z.number(),
  sample: z.array(
    z.object({ id: z.number(), at: z.string(), from: z.string(), subject: z.string(), state: MessageState }),
  ),
  /** The search went no further back than this many messages. */
  looked: z.number(),
});
export type RuleTrial = z.infer<typeof RuleTrial>;

/**
 * Kinds of mail that nothing connects with a client: with the mailbox of a business; with people nobody knows, from
 * before the mailbox was connected, or since.
 */
export const UnconnectedKind = z.enum(['business', 'past', 'new']);
export type UnconnectedKind = z.infer<typeof UnconnectedKind>;
/** Those that are set aside without asking. */
export const UnconnectedKinds = z.array(UnconnectedKind).max(UnconnectedKind.options.length);
export type UnconnectedKinds = z.infer<typeof UnconnectedKinds>;

/** Messages filed alone that somebody then found right, saw and left, or put right. */
const Calibrated = z.object({
  judged: z.number(),
  right: z.number(),
  /** How sure it had been of them, from 0 to 1, in the mean; 0 when there are none. */
  said: z.number(),
});

/** How well filing does. */
export const FilingScore = z.object({
  weeks: z.array(
    z.object({
      /** Monday of the week, as a date. */
      week: z.string(),
      alone: z.number(),
      byHand: z.number(),
      waiting: z.number(),
      corrected: z.number(),
    }),
  ),
  mailboxes: z.array(
    z.object({ owner: z.string(), alone: z.number(), byHand: z.number(), corrected: z.number() }),
  ),
  reasons: z.array(z.object({ reason: z.string(), alone: z.number(), corrected: z.number() })),
  /** Decisions of people that it has learned from, and messages that taught by themselves. */
  lessons: z.number(),
  evident: z.number(),
  /** What was said of those somebody has judged since, and how much of it was right. */
  calibration: z.object({
    bands: z.array(
      Calibrated.extend({
        /** From this probability on, up to the next. */ from: z.number(),
        filed: z.number(),
      }),
    ),
    weeks: z.array(Calibrated.extend({ week: z.string() })),
  }),
  /** Kinds of mail that nothing connects with a client which are set aside without asking. */
  unconnected: UnconnectedKinds,
});
export type FilingScore = z.infer<typeof FilingScore>;

/** Whether pictures are fetched from elsewhere to show a message. */
export const PicturesQuery = z.object({ pictures: z.enum(['0', '1']).default('0') });
