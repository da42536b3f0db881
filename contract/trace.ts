import { z } from 'zod';
import { DispatchState } from './mailing.ts';

/** What happened to one copy, in order. */
export const TraceStep = z.object({ at: z.string(), words: z.string() });

/** How a released mailing went with one client. */
export const TracedMailing = z.object({
  id: z.number(),
  name: z.string(),
  /** Whether it follows another in a series: people come to it later. */
  follows: z.boolean(),
  releasedAt: z.string(),
  copies: z.array(
    z.object({
      id: z.number(),
      to: z.string(),
      address: z.string(),
      state: DispatchState,
      messageId: z.number().nullable(),
      steps: z.array(TraceStep),
    }),
  ),
  /** Why they were left out; of none of both, its lines did not pick them out. */
  leftOut: z.array(z.object({ why: z.string(), detail: z.string() })),
});
export type TracedMailing = z.infer<typeof TracedMailing>;

/** Whether a client would be reached by a mailing today, and how earlier ones went. */
export const MailingTrace = z.object({
  client: z.string(),
  past: z.boolean(),
  /** At which addresses they would be written to. */
  reached: z.array(z.object({ name: z.string(), email: z.string(), from: z.string() })),
  hindrances: z.array(z.object({ why: z.string(), detail: z.string() })),
  topicsOut: z.array(z.object({ topic: z.string(), email: z.string(), how: z.string() })),
  mailings: z.array(TracedMailing),
  total: z.number(),
});
export type MailingTrace = z.infer<typeof MailingTrace>;
