import { z } from 'zod';
import { MailingRow } from './mailing.ts';
import { Owing } from './mailbox.ts';
import { MailboxStatus } from './mail.ts';

export const Today = z.object({
  unsorted: z.object({ count: z.number(), oldest: z.string().nullable() }),
  returned: z.object({ count: z.number(), words: z.string() }),
  uncertain: z.number(),
  /** Answers owed. */
  owing: z.object({ we: z.number(), they: z.number(), oldest: z.array(Owing) }),
  failing: z.array(MailboxStatus),
  mailboxes: z.array(MailboxStatus),
  today: z.object({ messages: z.number(), filedAlone: z.number() }),
  mailings: z.array(MailingRow),
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
});
export const ReturnedPage = z.object({ rows: z.array(ReturnedRow), total: z.number() });
export type ReturnedPage = z.infer<typeof ReturnedPage>;
