import { z } from 'zod';
import { Owing } from './correspondence.ts';
import { MailboxStatus } from './mailbox.ts';
import { MailingRow } from './mailing.ts';
import { Yesterday } from './reckoning.ts';
import { TaskRow } from './tasks.ts';

export const Today = z.object({
  unsorted: z.object({ count: z.number(), oldest: z.string().nullable() }),
  returned: z.object({ count: z.number(), words: z.string() }),
  /** Addresses said to be dead in a rush of reports, which a person is to look at. */
  held: z.number(),
  /** Messages that could not be read. */
  unreadable: z.number(),
  uncertain: z.number(),
  /** Answers owed. */
  owing: z.object({ we: z.number(), they: z.number(), oldest: z.array(Owing) }),
  failing: z.array(MailboxStatus),
  mailboxes: z.array(MailboxStatus),
  today: z.object({ messages: z.number(), filedAlone: z.number() }),
  mailings: z.array(MailingRow),
  /** For those who reckon the days; else null. */
  yesterday: Yesterday.nullable(),
  tasks: z.object({ due: z.number(), late: z.number(), first: z.array(TaskRow) }),
  /** Messages that standing orders prepared for this person; and for how many an order asks whether it may act. */
  prepared: z.number(),
  heldOrders: z.number(),
  /** Text messages that want an answer, or a client. */
  texts: z.number(),
  /** What waits on clients' pages. */
  collection: z.object({ uploads: z.number(), lines: z.number(), wanted: z.number() }),
  days: z.array(
    z.object({
      day: z.string(),
      received: z.number(),
      sent: z.number(),
      alone: z.number(),
      byHand: z.number(),
    }),
  ),
  latest: z.array(
    z.object({
      id: z.number(),
      at: z.string(),
      words: z.string(),
      state: z.string(),
      number: z.string().nullable(),
      clientId: z.number().nullable(),
    }),
  ),
});
export type Today = z.infer<typeof Today>;

export const ReturnedRow = z.object({
  messageId: z.number(),
  at: z.string(),
  address: z.string(),
  why: z.string(),
  client: z.object({ id: z.number(), name: z.string() }).nullable(),
  subject: z.string(),
  /** What it did: nothing when it is about nothing that we sent. */
  state: z.enum(['noted', 'held', 'applied', 'dismissed', 'unknown']),
});
export type ReturnedRow = z.infer<typeof ReturnedRow>;
export const ReturnedPage = z.object({
  rows: z.array(ReturnedRow),
  total: z.number(),
  /** Addresses that wait for a person to say whether they are switched off. */
  held: z.number(),
});
export const SettleHeld = z.object({ apply: z.boolean() });
export type ReturnedPage = z.infer<typeof ReturnedPage>;
