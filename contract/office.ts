import { z } from 'zod';
import { WINDOW_NAMES } from '../core/paperwork/paper.ts';
import { isAddress } from '../core/address/address.ts';
import { contrastOnWhite, LEAST_CONTRAST } from '../core/merge/looks.ts';
import { DeliveryWay, Id, Role } from './common.ts';
import { PictureKept } from './document.ts';

/** An email address somebody can be written to at, in small letters. */
export const EmailAddress = z
  .string()
  .trim()
  .toLowerCase()
  .max(254)
  .refine(isAddress, 'That is not an email address.');

/** Passwords of our own. */
export const NewPassword = z.string().min(10, 'Ten letters or more, please.').max(200);

/** IANA name of a time zone. */
export const Zone = z.string().refine(isZone, 'That is no time zone we know.');

function isZone(name: string): boolean {
  try {
    return Boolean(name && new Intl.DateTimeFormat('en', { timeZone: name }));
  } catch {
    return false;
  }
}

const Lines = (most: number) => z.array(z.string().trim().max(120)).max(most);
const PersonName = z.string().trim().min(1, 'Give a name.').max(120);

/** Whether the office has still to be set up. */
export const SetUpState = z.object({ needed: z.boolean() });

/** What the first person gives: the code from the terminal, the firm, and their own account. */
export const SetUp = z.object({
  code: z.string().trim().min(1, 'Give the code that stands in the terminal.').max(40),
  firm: z.string().trim().min(1, 'Give the firm its name.').max(120),
  zone: Zone,
  name: z.string().trim().min(1, 'Give your name.').max(120),
  email: EmailAddress,
  password: NewPassword,
});
export type SetUp = z.output<typeof SetUp>;

/** A time of day. */
export const Clock = z.string().regex(/^(?:[01]\d|2[0-3]):[0-5]\d$/, 'Give a time such as 09:00.');
export const Day = z.iso.date('Give a day.');

/** Domains, without an `@`. */
const Domains = z
  .array(
    z
      .string()
      .trim()
      .toLowerCase()
      .transform((name) => name.replace(/^@/, ''))
      .pipe(
        z
          .string()
          .regex(/^(?:[\p{L}\d-]{1,63}\.){1,8}[\p{L}\d-]{2,63}$/u, 'Give domains such as firm.example.'),
      ),
  )
  .max(50);

export const WorkingHours = z
  .object({
    /** 1 for Monday to 7 for Sunday. */
    days: z.array(z.number().int().min(1).max(7)).min(1, 'Choose at least one day.'),
    from: Clock,
    until: Clock,
  })
  .refine(({ from, until }) => from < until, { message: 'The day ends before it begins.', path: ['until'] });

export const Holiday = z.object({ day: Day, name: z.string().trim().max(80) });

/** What stands around the firm's newsletters, and below signatures. */
export const FrameSettings = z.object({
  logo: PictureKept.shape.hash.nullable(),
  /** In pixels. */
  logoWidth: z.number().int().min(24, 'At least 24 pixels.').max(552, 'At most 552 pixels.'),
  colour: z
    .string()
    .regex(/^#[0-9a-f]{6}$/i, 'Give a colour such as #1F5547.')
    .refine(
      (colour) => contrastOnWhite(colour) >= LEAST_CONTRAST,
      'Letters in that colour can hardly be read on white. Choose a darker one.',
    ),
  footer: z.string().trim().max(600, 'At most 600 letters.'),
  /** The logo stands below signatures too. */
  signatures: z.boolean(),
});
export type FrameSettings = z.output<typeof FrameSettings>;

/** The firm's letter paper, and how it is paid. */
export const PaperSettings = z.object({
  logo: PictureKept.shape.hash.nullable(),
  /** In millimetres. */
  logoWidth: z.number().int().min(10, 'At least 10 millimetres.').max(160, 'At most 160 millimetres.'),
  colour: FrameSettings.shape.colour,
  /** Telephone, email, web: beside the address. */
  reach: z.string().trim().max(400, 'At most 400 letters.'),
  /** At the foot of the first page. */
  foot: z.string().trim().max(400, 'At most 400 letters.'),
  window: z.enum(WINDOW_NAMES),
  foldMarks: z.boolean(),
  /** Of fee notes: three capitals (ISO 4217). */
  currency: z
    .string()
    .trim()
    .toUpperCase()
    .regex(/^[A-Z]{3}$/, 'Give three letters, such as GBP.'),
  /** What the tax on them is called. */
  taxName: z.string().trim().min(1, 'Give it a name.').max(20),
  howToPay: z.string().trim().max(600, 'At most 600 letters.'),
});
export type PaperSettings = z.output<typeof PaperSettings>;

export const RemindAfter = z
  .number('Give days.')
  .int('Whole days.')
  .min(1, 'At least a day.')
  .max(365, 'At most a year.');
export const RemindMost = z
  .number('Give a number.')
  .int('A whole number.')
  .min(1, 'At least one.')
  .max(20, 'At most 20.');

/** When the firm reminds of what is overdue. */
export const ReminderSettings = z.object({
  /** They are prepared by themselves. */
  daily: z.boolean(),
  /** At this time of the firm's zone, on these days: 1 for Monday to 7 for Sunday; never on holidays. */
  at: Clock,
  days: z.array(z.number().int().min(1).max(7)).min(1, 'Choose at least one day.'),
  after: RemindAfter,
  every: RemindAfter,
  most: RemindMost,
  /** In whose name they go by themselves once they are made; null: they lie on the desk. */
  releasedBy: Id.nullable(),
});
export type ReminderSettings = z.output<typeof ReminderSettings>;

export const DeliveryWays = z.object({
  letters: DeliveryWay,
  statements: DeliveryWay,
  mailings: DeliveryWay,
});

/** How the frame looks, around a text that says what it is for. */
export const FrameLook = z.object({ html: z.string() });

/** All that the firm settles about itself on the pages of Settings. */
export const FirmSettings = z.object({
  name: z.string().trim().min(1, 'Give the firm its name.').max(120),
  domains: Domains,
  /** Its postal address, a line each. */
  postal: Lines(8),
  phone: z.string().trim().max(60),
  /** ISO 3166: telephone numbers and postal addresses that name none are of it. */
  country: z.string().regex(/^[A-Z]{2}$/, 'Choose a country.'),
  /** Where the office reaches Patient Clerk, for links in mail. */
  webAddress: z
    .string()
    .trim()
    .max(200)
    .refine((text) => !text || /^https?:\/\/[^\s/]+\/?$/.test(text), 'Give it as https://clerk.firm.example.')
    .transform((text) => text.replace(/\/$/, '')),
  /** Whether mailings tell that they were opened and which of their links were followed. */
  counting: z.boolean(),
  /** What is laid out on a client's page, and the links to it, last so many days if nothing else is said. */
  pageDays: z
    .number('Give days.')
    .int('Whole days.')
    .min(1, 'At least a day.')
    .max(730, 'At most two years.'),
  frame: FrameSettings,
  paper: PaperSettings,
  /** How each kind of communication goes to a client who is new. */
  ways: DeliveryWays,
  reminders: ReminderSettings,
  zone: Zone,
  /** Below every signature. */
  notice: z.string().trim().max(1000),
  hours: WorkingHours,
  holidays: z.array(Holiday).max(400),
  numberExamples: z.array(z.string().trim().max(60)).max(50),
  /** The count of file numbers begins anew each year. */
  numbersAnew: z.boolean(),
  personalFolders: Lines(40),
  freemail: Domains,
  /** Everybody signs in with a second step. */
  secondStep: z.boolean(),
});
export type FirmSettings = z.output<typeof FirmSettings>;
export type FirmField = keyof FirmSettings;

/** Some of it, changed on one page: what stood there when it was opened, and what is to stand there. */
export const FirmChange = z.object({ before: FirmSettings.partial(), after: FirmSettings.partial() });
export type FirmChange = z.output<typeof FirmChange>;

export const FirmView = FirmSettings.extend({ numbersPattern: z.string(), numbersWords: z.string() });
export type FirmView = z.output<typeof FirmView>;

/** File numbers to learn from, and others to try. */
export const NumberTrial = z.object({
  examples: z.array(z.string().max(200)).max(60),
  tries: z.array(z.string().max(200)).max(60),
});
export const NumbersLearned = z.object({
  words: z.string(),
  tries: z.array(z.object({ typed: z.string(), fits: z.boolean() })),
  /** What the next file would be numbered. */
  next: z.string().nullable(),
  /** What stands in the way; null when nothing does. */
  problem: z.string().nullable(),
  /** Files of the register whose numbers it does not fit. */
  unfitting: z.number(),
});
export type NumbersLearned = z.output<typeof NumbersLearned>;

/** The office's own lists of names. */
export const ListName = z.enum(['stage', 'service', 'interest', 'tag', 'topic', 'document_kind']);
export type ListName = z.infer<typeof ListName>;

/** A name of a list, and how many records bear it. */
export const ListEntry = z.object({ id: z.number(), name: z.string(), used: z.number() });
export type ListEntry = z.output<typeof ListEntry>;

/** A list as it is to be, in order; an entry without an id is new, one left out goes. */
export const ListChange = z
  .object({
    entries: z
      .array(z.object({ id: Id.nullable(), name: z.string().trim().min(1, 'Give each a name.').max(60) }))
      .max(300),
    /** What records bear in the place of an entry that goes; null for nothing. */
    moved: z.array(z.object({ from: Id, to: Id.nullable() })).max(300),
  })
  .refine(({ entries }) => new Set(entries.map(({ name }) => name.toLowerCase())).size === entries.length, {
    message: 'Two bear one name.',
    path: ['entries'],
  });
export type ListChange = z.output<typeof ListChange>;

/** A colleague, as the office keeps them. */
export const StaffRecord = z.object({
  id: z.number(),
  name: z.string(),
  email: z.string(),
  title: z.string(),
  phone: z.string(),
  role: Role,
  /** Has chosen a password. */
  joined: z.boolean(),
  secondStep: z.boolean(),
  /** When an open invitation or a link for a new password ends; null: there is none. */
  linkUntil: z.string().nullable(),
  leftAt: z.string().nullable(),
  clients: z.number(),
  openFiles: z.number(),
  mailboxes: z.array(z.string()),
});
export type StaffRecord = z.output<typeof StaffRecord>;

export const StaffDraft = z.object({
  name: PersonName,
  email: EmailAddress,
  title: z.string().trim().max(120).default(''),
  phone: z.string().trim().max(40).default(''),
  role: Role,
});
export type StaffDraft = z.output<typeof StaffDraft>;

/** A one-time link, shown to whoever made it and kept nowhere. */
export const OneTimeLink = z.object({ staffId: z.number(), path: z.string(), until: z.string() });
export type OneTimeLink = z.output<typeof OneTimeLink>;

/** Somebody leaves: who takes over their clients, files and mailboxes. */
export const Leaving = z.object({ to: Id });

/** What a one-time link opens: whose password is to be chosen. */
export const LinkOpened = z.object({
  kind: z.enum(['invite', 'reset']),
  name: z.string(),
  email: z.string(),
  firm: z.string(),
});
export type LinkOpened = z.output<typeof LinkOpened>;
export const LinkToken = z.object({ token: z.string().min(20).max(80) });
export const LinkDone = z.object({ email: z.string() });
export const LinkUsed = LinkToken.extend({ password: NewPassword });

/** What stands below one's messages: a signature in the cupboard; null: the usual lines. */
export const OwnSignature = z.object({ signatureId: Id.nullable() });
/** A picture of one's signature, for letters on paper. */
export const OwnSigned = z.object({ signed: PictureKept.shape.hash.nullable() });
export const SignatureView = OwnSignature.extend({
  signed: OwnSigned.shape.signed,
  usual: z.string(),
  /** Those one may choose, as they read below one's own messages. */
  choices: z.array(z.object({ id: z.number(), name: z.string(), words: z.string() })),
});
export type SignatureView = z.infer<typeof SignatureView>;

/** A second step about to be set up: for the program on the telephone, as a picture and to be typed. */
export const SecondStepOffer = z.object({ picture: z.string(), secret: z.string(), sealed: z.string() });
export const OneTimeCode = z
  .string()
  .trim()
  .transform((text) => text.replace(/\s/g, ''))
  .pipe(z.string().regex(/^\d{6}$/, 'Give the six figures.'));
export const SecondStepConfirm = z.object({ sealed: z.string().max(500), code: OneTimeCode });
export type SecondStepOffer = z.output<typeof SecondStepOffer>;
/** Codes that each serve once in place of the telephone. */
export const RecoveryCodes = z.object({ codes: z.array(z.string()) });
export const SecondStepState = z.object({ on: z.boolean(), demanded: z.boolean(), codesLeft: z.number() });
export type SecondStepState = z.output<typeof SecondStepState>;
export const PasswordAgain = z.object({ password: z.string().min(1, 'Give your password.').max(200) });

/** What an office begins with, and what of it is still missing. */
export const BeginningPart = z.object({
  key: z.enum(['firm', 'hours', 'numbers', 'stages', 'staff', 'mailboxes', 'records']),
  done: z.boolean(),
});
export type BeginningPart = z.output<typeof BeginningPart>;
export const Beginning = z.object({
  parts: z.array(BeginningPart),
  /** Somebody said that the rest is not needed. */
  over: z.boolean(),
});
export type Beginning = z.output<typeof Beginning>;
export const BeginningChange = z.object({ part: z.union([BeginningPart.shape.key, z.literal('over')]) });
