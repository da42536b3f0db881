import { z } from 'zod';
import { isAddress } from '../core/address/address.ts';
import { FACT_KINDS } from '../core/facts/catalogue.ts';
import { DeliveryKind, DeliveryWay, Id, Page } from './common.ts';
import { Day } from './office.ts';
import { ClientKind, ClientStatus } from './records.ts';

/** What of the register is changed in place. */
export const RecordSubject = z.enum(['client', 'person', 'file']);
export type RecordSubject = z.infer<typeof RecordSubject>;

const Words = (most: number) => z.string().trim().max(most);
const Purpose = Words(60);

export const Phone = z.object({ number: Words(40).min(1, 'Give a number.'), purpose: Purpose });
export type Phone = z.infer<typeof Phone>;

export const EmailEntry = z.object({
  email: Words(254).refine(isAddress, 'That is not an email address.'),
  current: z.boolean(),
  purpose: Purpose,
});
export type EmailEntry = z.infer<typeof EmailEntry>;

/** How one kind of communication goes to a client, and to whom; without a person to whoever their mail is addressed to. */
export const Delivery = z.object({
  kind: DeliveryKind,
  way: DeliveryWay,
  personId: Id.nullable(),
  /** Somebody else who gets it too. */
  alsoId: Id.nullable().default(null),
});
export type Delivery = z.infer<typeof Delivery>;

/** How it goes where nobody has said; new clients begin with what the firm settled. */
export const DELIVERY_USUAL: Record<DeliveryKind, DeliveryWay> = {
  letters: 'email',
  statements: 'email',
  mailings: 'email',
};

/** What stands in a field of the firm's own; null for nothing. */
export const FieldInput = z.union([
  z.string().max(20_000),
  z.number(),
  z.boolean(),
  z.array(Id).max(200),
  z.null(),
]);
export type FieldInput = z.infer<typeof FieldInput>;

/** What each built-in field is called. */
export const FIELD_LABELS: Record<string, string> = {
  name: 'Name',
  kind: 'Kind',
  status: 'Status',
  since: 'Client since',
  service: 'Service',
  place: 'Place',
  postal: 'Postal address',
  country: 'Country',
  greeting: 'Greeting',
  adviserId: 'Adviser',
  note: 'Note',
  tags: 'Tags',
  interests: 'Interests',
  phones: 'Telephone',
  delivery: 'Delivery',
  counted: 'Openings and links',
  people: 'People',
  title: 'Title',
  firstName: 'First name',
  lastName: 'Last name',
  addresses: 'Email addresses',
  number: 'Number',
  stage: 'Stage',
  opened: 'Opened',
  closed: 'Closed',
};

/** What of a client is changed in place. */
export const ClientFields = z.object({
  name: Words(200).min(1, 'Give the client a name.'),
  kind: ClientKind,
  status: ClientStatus,
  since: z.number().int().min(1500, 'Give a year.').max(2200, 'Give a year.').nullable(),
  service: Words(80).nullable(),
  place: Words(200),
  /** Lines. */
  postal: z.array(Words(120)).max(8, 'Eight lines at most.'),
  /** ISO 3166; empty for the office's own. */
  country: z.union([z.literal(''), z.string().regex(/^[A-Z]{2}$/, 'Choose a country.')]),
  greeting: Words(120).nullable(),
  adviserId: Id.nullable(),
  note: Words(5000),
  tags: z.array(Words(80).min(1)).max(60),
  interests: z.array(Words(80).min(1)).max(60),
  phones: z.array(Phone).max(20),
  delivery: z.array(Delivery).max(3),
  /** Whether openings of mailings and links followed in them may be counted. */
  counted: z.boolean(),
  /** In order; those whom mailings to the client are addressed to are marked. */
  people: z.array(z.object({ personId: Id, role: Words(80), writes: z.boolean() })).max(300),
});
export type ClientFields = z.infer<typeof ClientFields>;

/** What of a person is changed in place. */
export const PersonFields = z.object({
  title: Words(40),
  firstName: Words(80),
  lastName: Words(80),
  greeting: Words(120).nullable(),
  note: Words(5000),
  phones: z.array(Phone).max(20),
  addresses: z.array(EmailEntry).max(40),
});
export type PersonFields = z.infer<typeof PersonFields>;

/** What of a file is changed in place. */
export const FileFields = z.object({
  number: Words(40).min(1, 'Give the file a number.'),
  title: Words(200).min(1, 'Give the file a title.'),
  adviserId: Id.nullable(),
  stage: Words(80).nullable(),
  opened: Day,
  closed: Day.nullable(),
  people: z.array(z.object({ personId: Id, role: Words(80) })).max(100),
});
export type FileFields = z.infer<typeof FileFields>;

/** Some fields: what stood there when the person began, and what is to stand there. Those of the firm's own as `field:12`. */
const changeOf = <S extends z.ZodRawShape>(fields: z.ZodObject<S>) =>
  z.object({
    before: fields.partial().catchall(FieldInput),
    after: fields.partial().catchall(FieldInput),
  });
export const ClientChange = changeOf(ClientFields);
export const PersonChange = changeOf(PersonFields);
export const FileChange = changeOf(FileFields);

/** A record as it stands, with the firm's own fields among the others. */
export const ClientRecord = ClientFields.catchall(FieldInput);
export const PersonRecord = PersonFields.catchall(FieldInput);
export const FileRecord = FileFields.catchall(FieldInput);

/** Somebody who joins a client: known already, or new. */
export const NewPerson = z
  .object({
    personId: Id.nullable(),
    title: Words(40).default(''),
    firstName: Words(80).default(''),
    lastName: Words(80).default(''),
    email: Words(254).default(''),
    role: Words(80).default(''),
  })
  .refine(({ personId, firstName, lastName }) => personId !== null || firstName || lastName, {
    message: 'Give the person a name.',
    path: ['lastName'],
  })
  .refine(({ email }) => !email || isAddress(email), {
    message: 'That is not an email address.',
    path: ['email'],
  });
export type NewPerson = z.output<typeof NewPerson>;

/** A file about to be opened; without a number it gets the next. */
export const NewFile = z.object({
  number: Words(40).default(''),
  title: Words(200).min(1, 'Give the file a title.'),
  adviserId: Id.nullable().default(null),
  stage: Words(80).nullable().default(null),
});
export type NewFile = z.output<typeof NewFile>;

/** A field of the firm's own. */
export const FieldDefinition = z.object({
  id: z.number(),
  of: RecordSubject,
  label: z.string(),
  kind: z.enum(FACT_KINDS),
  /** Of numbers and money; else empty. */
  unit: z.string(),
  choices: z.array(z.object({ id: z.number(), label: z.string() })),
  /** Records in which something stands. */
  used: z.number(),
});
export type FieldDefinition = z.infer<typeof FieldDefinition>;

export const FieldDraft = z
  .object({
    of: RecordSubject,
    label: Words(80).min(1, 'Give the field a name.'),
    kind: z.enum(FACT_KINDS),
    unit: Words(20).default(''),
    choices: z
      .array(z.object({ id: Id.nullable(), label: Words(80).min(1, 'Give each choice a name.') }))
      .max(200)
      .default([]),
  })
  .refine(({ kind, choices }) => !kind.startsWith('choice') || choices.length > 0, {
    message: 'Give at least one choice.',
    path: ['choices'],
  })
  .refine(({ choices }) => new Set(choices.map(({ label }) => label.toLowerCase())).size === choices.length, {
    message: 'Two choices bear one name.',
    path: ['choices'],
  });
export type FieldDraft = z.output<typeof FieldDraft>;
/** The fields of one kind of record, in a new order. */
export const FieldOrder = z.object({ of: RecordSubject, ids: z.array(Id).max(500) });

/** One change of a record: who, when, what was before and after. */
export const HistoryStep = z.object({
  id: z.number(),
  at: z.string(),
  by: z.string().nullable(),
  action: z.string(),
  fields: z.array(z.object({ label: z.string(), before: z.string(), after: z.string() })),
  /** Whether it can be taken back. */
  undoable: z.boolean(),
  /** The standing order that did it, and why. */
  order: z.object({ id: z.number(), name: z.string(), why: z.string() }).nullable(),
});
export type HistoryStep = z.infer<typeof HistoryStep>;
export const HistoryPage = z.object({ steps: z.array(HistoryStep), total: z.number() });
export type HistoryPage = z.infer<typeof HistoryPage>;
export const HistoryQuery = Page.extend({ subject: RecordSubject, id: Id });

/** An address opts out of a topic, or of everything; or in again. */
export const OptOutChange = z
  .object({
    email: Words(254).refine(isAddress, 'That is not an email address.'),
    topicId: Id.nullable(),
    out: z.boolean(),
    how: Words(120),
  })
  .refine(({ out, how }) => out || how.trim(), {
    message: 'Say what proves that they want it again: their message of a day, a call, a form.',
    path: ['how'],
  });
export type OptOutChange = z.infer<typeof OptOutChange>;

/** What an address has opted out of. */
export const OptOut = z.object({
  email: z.string(),
  /** Null for everything. */
  topic: z.string().nullable(),
  topicId: z.number().nullable(),
  at: z.string(),
  how: z.string(),
});
export type OptOut = z.infer<typeof OptOut>;

/** What may be chosen while a record is changed. */
export const RegisterChoices = z.object({
  services: z.array(z.string()),
  interests: z.array(z.string()),
  tags: z.array(z.string()),
  stages: z.array(z.string()),
  topics: z.array(z.object({ id: z.number(), name: z.string() })),
  advisers: z.array(z.object({ id: z.number(), name: z.string() })),
  roles: z.array(z.string()),
  fields: z.array(FieldDefinition),
  country: z.string(),
});
export type RegisterChoices = z.infer<typeof RegisterChoices>;

/** People of the register, for choosing one. */
export const PersonHit = z.object({
  id: z.number(),
  name: z.string(),
  email: z.string(),
  clients: z.string(),
});
export type PersonHit = z.infer<typeof PersonHit>;
