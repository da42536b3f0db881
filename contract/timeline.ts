import { z } from 'zod';
import { Id, Page } from './common.ts';

export const TimelineKind = z.enum(['note', 'call', 'meeting']);
export type TimelineKind = z.infer<typeof TimelineKind>;

/** Still to come, held, or called off. */
export const EntryState = z.enum(['planned', 'done', 'off']);
export type EntryState = z.infer<typeof EntryState>;

const Instant = z.iso.datetime({ message: 'Give a day and a time.' });
const MOST = 50;

const Fields = z.object({
  kind: TimelineKind,
  fileId: Id,
  /** When it took place, or is to. */
  at: Instant,
  endsAt: Instant.nullable(),
  state: EntryState,
  place: z.string().trim().max(200, 'A place may have 200 letters.'),
  /** What it is about; an `@` calls a colleague. */
  words: z.string().trim().min(1, 'Write something first.').max(5000, 'It may have 5,000 letters.'),
  outcome: z.string().trim().max(5000, 'It may have 5,000 letters.'),
  /** Who took part: people, and colleagues. */
  personIds: z.array(Id).max(MOST, `Name ${MOST} people at most.`),
  staffIds: z.array(Id).max(MOST, `Name ${MOST} colleagues at most.`),
  /** When whoever set it is told of it once more. */
  remindAt: Instant.nullable(),
});

/** What a person writes down of a note, a call or a meeting. */
export const EntryFields = Fields.superRefine((fields, { addIssue }) => {
  if (fields.endsAt !== null && fields.endsAt <= fields.at)
    addIssue({ code: 'custom', path: ['endsAt'], message: 'It ends before it begins.' });
  if (fields.kind === 'note' && fields.state !== 'done')
    addIssue({ code: 'custom', path: ['state'], message: 'A note is not planned.' });
});
export type EntryFields = z.infer<typeof Fields>;

export const EntryDraft = EntryFields.and(z.object({ messageId: Id.nullable().default(null) }));

/** Some fields: what stood in them when the person began, and what is to stand there. */
export const EntryChange = z.object({ before: Fields.partial(), after: Fields.partial() });

const Named = z.object({ id: z.number(), name: z.string() });

/** A note, a call or a meeting as it is read. */
export const TimelineEntry = Fields.extend({
  id: z.number(),
  by: z.string(),
  messageId: z.number().nullable(),
  file: z.object({ id: z.number(), number: z.string(), clientId: z.number(), clientName: z.string() }),
  people: z.array(Named),
  staff: z.array(Named),
  /** Who is called by it, and whether they have seen to it. */
  told: z.array(Named.extend({ seen: z.boolean() })),
  /** Whom the reminder is for. */
  reminds: z.string().nullable(),
});
export type TimelineEntry = z.infer<typeof TimelineEntry>;

/** Why an entry stands on somebody's first screen. */
export const DueWhy = z.enum(['told', 'reminder', 'passed', 'coming']);
export const DueQuery = Page;
export const DuePage = z.object({
  rows: z.array(z.object({ why: DueWhy, entry: TimelineEntry })),
  total: z.number(),
});
export type DuePage = z.infer<typeof DuePage>;

const Invited = z.object({ name: z.string(), email: z.string() });

/** An invitation that came with a message. */
export const MessageInvitation = z.object({
  /** Which enclosure it is. */
  index: z.number(),
  off: z.boolean(),
  summary: z.string(),
  place: z.string(),
  at: z.string(),
  endsAt: z.string().nullable(),
  wholeDay: z.boolean(),
  repeats: z.boolean(),
  organizer: Invited.nullable(),
  attendees: z.array(Invited),
  /** The meeting made of it or of an earlier one, and whether this one says something newer. */
  kept: z.object({ id: z.number(), number: z.string(), older: z.boolean() }).nullable(),
});
export type MessageInvitation = z.infer<typeof MessageInvitation>;
export const MessageInvitations = z.array(MessageInvitation);

/** Onto which file; null where it changes a meeting that stands on one already. */
export const TakeInvitation = z.object({ fileId: Id.nullable() });
