import { z } from 'zod';

/** What screens and other processes watch. */
export const Topic = z.enum([
  'records',
  'mail',
  'sorting',
  'mailings',
  'mailboxes',
  'filing',
  'drafts',
  /** Something is to be told to a mail server. */
  'pending',
  'imports',
  'selections',
  'timeline',
  'doubles',
  'documents',
  'paperwork',
  'orders',
  'tasks',
  'reckoning',
  'texts',
  'collection',
]);
export type Topic = z.infer<typeof Topic>;

/** What a change is about. */
export const ChangeSubject = z.enum(['client', 'file', 'message', 'mailbox', 'mailing', 'staff', 'import']);
export type ChangeSubject = z.infer<typeof ChangeSubject>;

/** That something changed: all of a topic, or one thing of it. */
export const Change = z.object({
  topic: Topic,
  subject: ChangeSubject.nullable(),
  id: z.number().nullable(),
});
export type Change = z.infer<typeof Change>;

export const Changes = z.array(Change);
