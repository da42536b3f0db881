import { z } from 'zod';
import { isAddress } from '../core/address/address.ts';
import { DispatchState } from './mailing.ts';
import { Page } from './common.ts';

/** How a copy fared: which of a mailing's copies are looked at. */
export const Fared = z.enum([
  'all',
  'waiting',
  'sent',
  'returned',
  'uncertain',
  'answered',
  'silent',
  'opened',
  'unopened',
  'followed',
  'opted out',
  'cancelled',
]);
export type Fared = z.infer<typeof Fared>;

export const DispatchQuery = Page.extend({ fared: Fared.default('all') });

export const DispatchRow = z.object({
  id: z.number(),
  /** Null for the second copy of one that went to two clients who were merged since. */
  clientId: z.number().nullable(),
  client: z.string(),
  address: z.string(),
  from: z.string(),
  state: DispatchState,
  at: z.string().nullable(),
  answer: z.string().nullable(),
  answered: z.boolean(),
  openedAt: z.string().nullable(),
  followed: z.boolean(),
  optedOut: z.boolean(),
  messageId: z.number().nullable(),
});
export type DispatchRow = z.infer<typeof DispatchRow>;

export const DispatchPage = z.object({ rows: z.array(DispatchRow), total: z.number() });
export type DispatchPage = z.infer<typeof DispatchPage>;

/** What became of a mailing. */
export const MailingResults = z.object({
  counts: z.record(Fared, z.number()),
  /** Whether openings and links followed are counted; else nothing is known of them. */
  counted: z.boolean(),
  links: z.array(z.object({ words: z.string(), href: z.string(), people: z.number(), times: z.number() })),
  /** From the first that was sent to the last that was heard, in stretches of one length. */
  overTime: z.object({
    unit: z.enum(['hour', 'day', 'week']),
    points: z.array(z.object({ at: z.string(), sent: z.number(), opened: z.number(), answered: z.number() })),
  }),
});
export type MailingResults = z.infer<typeof MailingResults>;

/** Answers to a mailing: those that still wait for us first. */
export const Answers = z.object({
  rows: z.array(
    z.object({
      dispatchId: z.number(),
      messageId: z.number(),
      clientId: z.number().nullable(),
      client: z.string(),
      from: z.string(),
      at: z.string(),
      words: z.string(),
      weOwe: z.boolean(),
    }),
  ),
  total: z.number(),
  /** Those that are private to a colleague. */
  hidden: z.number(),
});
export type Answers = z.infer<typeof Answers>;

/** Whither a message that came back is sent once more. */
export const SendAgain = z.object({
  address: z.string().trim().max(254).refine(isAddress, 'That is not an email address.'),
});
