import { z } from 'zod';
import { StaffMember } from './common.ts';
import { NewPassword } from './office.ts';

export const SignIn = z.object({
  email: z.email('Give your email address, such as name@firm.example.'),
  password: z.string().min(1, 'Give your password.').max(200),
  /** Six figures, or a recovery code; for those who sign in with a second step. */
  code: z.string().max(40).default(''),
});

/** An address whose owner has forgotten their password. */
export const Forgotten = z.object({ email: z.email('Give your email address, such as name@firm.example.') });

export const PasswordChange = z.object({
  current: z.string().min(1, 'Give your present password.').max(200),
  next: NewPassword,
});
export type PasswordChange = z.infer<typeof PasswordChange>;

/** Who is signed in and what the shell needs to know of the firm. */
export const Session = z.object({
  staff: StaffMember,
  firm: z.object({ name: z.string(), zone: z.string() }),
  colleagues: z.array(StaffMember),
  /** The office asks for a second step that this person has not set up yet: nothing else is open to them. */
  secondStepFirst: z.boolean(),
});
export type Session = z.infer<typeof Session>;

/** Figures beside the words of the rail. */
export const RailCounts = z.object({
  sorting: z.number(),
  /** In the mailboxes the person may see. */
  unread: z.number(),
  clients: z.number(),
  mailings: z.number(),
  /** Messages that wait to leave. */
  dispatch: z.number(),
  /** Of the person's, due by today. */
  tasks: z.number(),
  /** What standing orders prepared for the person to release, and for how many they ask. */
  orders: z.number(),
  /** Text messages that want an answer, or a client. */
  texts: z.number(),
  /** What clients put on their pages to be looked at, and their lines that want an answer. */
  collection: z.number(),
  mailboxes: z.object({
    total: z.number(),
    inStep: z.number(),
    failing: z.number(),
    filling: z.number(),
    inStepAt: z.string().nullable(),
  }),
});
export type RailCounts = z.infer<typeof RailCounts>;

/** Which figures are asked for; all when left out. */
export const RailQuery = z.object({
  of: z
    .string()
    .default(RailCounts.keyof().options.join(','))
    .transform((names) => names.split(','))
    .pipe(z.array(RailCounts.keyof())),
});
