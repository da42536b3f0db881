import { z } from 'zod';
import { FileRef, Id, Page } from './common.ts';
import { Direction, Evidence, MessageState } from './mail.ts';
import { ClientKind } from './register.ts';

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

/** A message that was settled without a person, and why. */
export const AloneRow = MessageRow.extend({ evidence: z.array(Evidence) });
export type AloneRow = z.infer<typeof AloneRow>;

/** A message within its conversation: how far it lies below the beginning. */
export const ConversationRow = MessageRow.extend({ depth: z.number() });
export type ConversationRow = z.infer<typeof ConversationRow>;

/** The conversation a message is of. */
export const Conversed = z.object({ conversationId: z.number().int().positive() });

/** Why a message still cannot be read; null when it can. */
export const ReadAgain = z.object({ problem: z.string().nullable() });

export const AloneQuery = Page.extend({
  /** A day of the firm's zone; the latest with anything when left out. */
  day: z.iso.date().optional(),
  state: z.enum(['logged', 'aside']).default('logged'),
});

export const AlonePage = z.object({
  day: z.string(),
  days: z.array(z.object({ day: z.string(), logged: z.number(), aside: z.number() })),
  rows: z.array(AloneRow),
  total: z.number(),
});
export type AlonePage = z.infer<typeof AlonePage>;

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

export const NewClient = z.object({
  /** The client already in the records to whom the person is added; null makes a new one. */
  clientId: Id.nullable(),
  name: z.string().trim().max(200).default(''),
  kind: ClientKind.default('person'),
  status: z.enum(['active', 'prospect']).default('prospect'),
  place: z.string().trim().max(200).default(''),
  firstName: z.string().trim().max(80),
  lastName: z.string().trim().max(80),
  email: z.string().trim().max(254),
  role: z.string().trim().max(80).default(''),
});
export type NewClient = z.input<typeof NewClient>;

export const ClientMade = z.object({ clientId: z.number(), personId: z.number(), generalFile: FileRef });
export type ClientMade = z.infer<typeof ClientMade>;

/** Clients and people of the records who may be the one about to be made. */
export const Doubles = z.array(
  z.object({ clientId: z.number(), clientName: z.string(), place: z.string(), why: z.string() }),
);
export type Doubles = z.infer<typeof Doubles>;

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
  lessons: z.number(),
});
export type FilingScore = z.infer<typeof FilingScore>;

export const NoteDraft = z.object({
  fileId: Id,
  messageId: Id.nullable().default(null),
  words: z.string().trim().min(1, 'Write something first.').max(2000, 'A note may have 2,000 letters.'),
});
