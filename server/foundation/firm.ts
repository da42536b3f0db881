import type { Knex } from 'knex';
import { z } from 'zod';
import {
  DeliveryWays,
  FrameSettings,
  Holiday,
  PaperSettings,
  ReminderSettings,
  WorkingHours,
} from '../../contract/office.ts';
import type { Frame } from '../../core/merge/frame.ts';
import type { Terms } from '../../core/paperwork/account.ts';
import type { Paper } from '../../core/paperwork/paper.ts';

/** What the firm has settled about itself. */
export const Firm = z.object({
  name: z.string(),
  domains: z.array(z.string()),
  fileNumberPattern: z.string(),
  /** Domains, beside the common ones, at which anybody can have an address. */
  freemail: z.array(z.string()).default([]),
  /** Names of mail folders that are their owner's alone: never opened, nor what lies in them. */
  personalFolders: z.array(z.string()).default(['Personal', 'Private']),
  /** IANA name of the zone in which times are shown. */
  zone: z.string(),
  notice: z.string(),
  /** Known to the staff alone: what is copied to it is filed. It must lie in a connected mailbox. */
  filingAddress: z.string().default(''),
  postal: z.array(z.string()).default([]),
  phone: z.string().default(''),
  country: z.string().default('GB'),
  /** Where the office reaches Patient Clerk; empty while nobody has said. */
  webAddress: z.string().default(''),
  /** Whether mailings tell that they were opened and which of their links were followed. */
  counting: z.boolean().default(true),
  /** What is laid out on a client's page, and the links to it, last so many days if nothing else is said. */
  pageDays: z.number().default(90),
  frame: FrameSettings.default({
    logo: null,
    logoWidth: 180,
    colour: '#1F5547',
    footer: '',
    signatures: false,
  }),
  paper: PaperSettings.default({
    logo: null,
    logoWidth: 40,
    colour: '#1F5547',
    reach: '',
    foot: '',
    window: 'left',
    foldMarks: true,
    currency: 'GBP',
    taxName: 'VAT',
    howToPay: '',
  }),
  ways: DeliveryWays.default({ letters: 'email', statements: 'email', mailings: 'email' }),
  reminders: ReminderSettings.default({
    daily: false,
    at: '09:30',
    days: [1, 2, 3, 4, 5],
    after: 7,
    every: 14,
    most: 3,
    releasedBy: null,
  }),
  hours: WorkingHours.default({ days: [1, 2, 3, 4, 5], from: '09:00', until: '17:30' }),
  holidays: z.array(Holiday).default([]),
  /** File numbers that the pattern was learned from; the count goes on from the highest until there are files. */
  numberExamples: z.array(z.string()).default([]),
  /** What the count goes on from while there are neither. */
  firstNumber: z.string().default(''),
  numbersAnew: z.boolean().default(false),
  secondStep: z.boolean().default(false),
  /** Parts of the beginning that somebody looked at and left as they were, or all of it. */
  settled: z.array(z.string()).default([]),
});
export type Firm = z.infer<typeof Firm>;

/** What the firm has settled about itself. @throws when it has not been set up in this database */
export async function readFirm(db: Knex): Promise<Firm> {
  const row = await db('setting').where({ name: 'firm' }).first('value');
  if (!row)
    throw new Error('The firm has not been set up in this database. Load the demo or a register first.');
  return Firm.parse(JSON.parse(row.value));
}

/** Where the office is reached on the web, without a slash at the end; empty while nobody has said. */
export function webBase({ webAddress }: Firm): string {
  return webAddress.endsWith('/') ? webAddress.slice(0, -1) : webAddress;
}

/** Whether the office has been set up in this database. */
export async function isSetUp(db: Knex): Promise<boolean> {
  return (await db('setting').where({ name: 'firm' }).first('name')) !== undefined;
}

/** Keeps what the firm settles about itself, in the place of what it was. */
export async function writeFirm(db: Knex, firm: z.input<typeof Firm>): Promise<void> {
  await db('setting')
    .insert({ name: 'firm', value: JSON.stringify(Firm.parse(firm)) })
    .onConflict('name')
    .merge();
}

/** What stands around the firm's newsletters. */
export function frameOf({ name, frame }: Pick<Firm, 'name' | 'frame'>): Frame {
  return {
    name,
    logo: frame.logo === null ? null : { hash: frame.logo, width: frame.logoWidth },
    colour: frame.colour,
    footer: frame.footer.split('\n'),
  };
}

const lines = (text: string) => text.split('\n').flatMap((line) => line.trim() || []);

/** What stands on the firm's letters. */
export function paperOf({
  name,
  postal,
  phone,
  paper,
}: Pick<Firm, 'name' | 'postal' | 'phone' | 'paper'>): Paper {
  const { logo, logoWidth, colour, reach, foot, window, foldMarks } = paper;
  return {
    ...{ name, postal, colour, window, foldMarks },
    logo: logo === null ? null : { hash: logo, width: logoWidth },
    reach: reach ? lines(reach) : [phone].filter(Boolean),
    foot: lines(foot),
  };
}

/** In which money the firm writes its fee notes, and how it is paid. */
export function termsOf({ paper }: Pick<Firm, 'paper'>): Terms {
  return { currency: paper.currency, taxName: paper.taxName, howToPay: lines(paper.howToPay) };
}
