import { z } from 'zod';
import { TONES } from '../core/paperwork/reminding.ts';
import { Page } from './common.ts';
import { RemindAfter, RemindMost, ReminderSettings } from './office.ts';

/** What is otherwise for one client or one fee note; null: as elsewhere. */
export const OwnReminding = z.object({
  off: z.boolean(),
  after: RemindAfter.nullable(),
  every: RemindAfter.nullable(),
  most: RemindMost.nullable(),
});
export type OwnReminding = z.output<typeof OwnReminding>;

export const Tone = z.enum(TONES);

/** Which reminder of which fee note. */
export const RemindStep = z.object({ feeNoteId: z.number(), step: z.number() });
export type RemindStep = z.output<typeof RemindStep>;

/** Which fee notes that are over their day: to be reminded of now, later, or not by themselves any more. */
export const RemindersShow = z.enum(['now', 'later', 'stopped']);
export type RemindersShow = z.infer<typeof RemindersShow>;
export const RemindersQuery = Page.extend({ show: RemindersShow.default('now') });

/** A fee note that is over its day, and where reminding stands of it. */
export const OverdueNote = z.object({
  id: z.number(),
  number: z.string(),
  words: z.string(),
  clientId: z.number(),
  client: z.string(),
  dueOn: z.string(),
  /** Days it is over. */
  over: z.number(),
  amount: z.number(),
  /** Reminders that have gone, and how many may. */
  step: z.number(),
  most: z.number(),
  remindedOn: z.string().nullable(),
  /** `desk`: a reminder of it is prepared. */
  what: z.enum(['now', 'later', 'desk', 'off', 'answered', 'all sent']),
  /** When the next goes, where one does; and in which tone. */
  on: z.string().nullable(),
  tone: Tone.nullable(),
  /** The run on whose desk it lies. */
  runId: z.number().nullable(),
  /** What the client answered. */
  answerId: z.number().nullable(),
  /** Numbers of its own, or of its client. */
  own: z.boolean(),
});
export type OverdueNote = z.output<typeof OverdueNote>;

export const RemindersPage = z.object({
  total: z.number(),
  rows: z.array(OverdueNote),
  counts: z.record(RemindersShow, z.number()),
  /** So many would be prepared now: one a client. */
  pieces: z.number(),
  rule: ReminderSettings,
  /** Why they do not go by themselves although they should; empty when nothing is wrong. */
  trouble: z.string(),
});
export type RemindersPage = z.output<typeof RemindersPage>;

/** Runs that were prepared, one a tone. */
export const RemindersPrepared = z.object({
  runs: z.array(z.object({ id: z.number(), name: z.string(), pieces: z.number() })),
});

/** What is otherwise for a client, or for a fee note; and what stands where nothing is. */
export const RemindingView = z.object({ own: OwnReminding.nullable(), else: OwnReminding });
export const RemindingChange = z.object({ own: OwnReminding.nullable() });
export const ToneAsk = z.object({ tone: Tone });
