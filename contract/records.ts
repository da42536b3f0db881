import { z } from 'zod';
import { isAddress } from '../core/address/address.ts';
import { FileRef, Id, Page } from './common.ts';
import { Fact } from './facts.ts';

export const ClientKind = z.enum(['person', 'couple', 'company', 'trust', 'estate', 'public body']);
export type ClientKind = z.infer<typeof ClientKind>;

export const NewClient = z
  .object({
    /** The client already in the records to whom the person is added; null makes a new one. */
    clientId: Id.nullable(),
    name: z.string().trim().max(200).default(''),
    kind: ClientKind.default('person'),
    status: z.enum(['active', 'prospect']).default('prospect'),
    place: z.string().trim().max(200).default(''),
    firstName: z.string().trim().max(80).default(''),
    lastName: z.string().trim().max(80).default(''),
    email: z.string().trim().max(254).default(''),
    role: z.string().trim().max(80).default(''),
  })
  .refine(({ email }) => !email || isAddress(email), {
    message: 'That is not an email address.',
    path: ['email'],
  })
  .refine(({ firstName, lastName }) => firstName || lastName, {
    message: 'Give the person a name.',
    path: ['lastName'],
  })
  .refine(({ clientId, name }) => clientId !== null || name, {
    message: 'Give the client a name.',
    path: ['name'],
  });
export type NewClient = z.input<typeof NewClient>;

export const ClientMade = z.object({ clientId: z.number(), personId: z.number(), generalFile: FileRef });
export type ClientMade = z.infer<typeof ClientMade>;

/** Clients and people of the records who may be the one about to be made. */
export const Doubles = z.array(
  z.object({ clientId: z.number(), clientName: z.string(), place: z.string(), why: z.string() }),
);
export type Doubles = z.infer<typeof Doubles>;

export const ClientStatus = z.enum(['active', 'past', 'prospect']);
export type ClientStatus = z.infer<typeof ClientStatus>;

export const ClientQuery = Page.extend({
  q: z.string().max(100).default(''),
  status: ClientStatus.optional(),
  /** A fact of clients, as selections know it. */
  sort: z.string().max(60).default('client.name'),
  order: z.enum(['asc', 'desc']).default('asc'),
  /** Facts that are shown, parted by commas. */
  columns: z
    .string()
    .max(1000)
    .default('')
    .transform((keys) => keys.split(',').filter(Boolean).slice(0, 12)),
});
export type ClientQuery = z.output<typeof ClientQuery>;

export const ClientRow = z.object({
  id: z.number(),
  name: z.string(),
  status: ClientStatus,
  /** What stands in each column asked for. */
  cells: z.array(z.union([z.string(), z.number(), z.null()])),
});
export type ClientRow = z.infer<typeof ClientRow>;

export const ClientPage = z.object({ rows: z.array(ClientRow), total: z.number() });
export type ClientPage = z.infer<typeof ClientPage>;

export const ClientPerson = z.object({
  id: z.number(),
  name: z.string(),
  role: z.string(),
  /** Mailings to the client are addressed to them. */
  writes: z.boolean(),
  phones: z.array(z.object({ number: z.string(), purpose: z.string() })),
  addresses: z.array(
    z.object({
      email: z.string(),
      current: z.boolean(),
      purpose: z.string(),
      returned: z.string().nullable(),
      optedOut: z.string().nullable(),
    }),
  ),
});

export const ClientView = z.object({
  id: z.number(),
  name: z.string(),
  kind: ClientKind,
  status: ClientStatus,
  since: z.number().nullable(),
  service: z.string().nullable(),
  place: z.string(),
  postal: z.array(z.string()),
  country: z.string(),
  greeting: z.string().nullable(),
  note: z.string(),
  phones: z.array(z.object({ number: z.string(), purpose: z.string() })),
  tags: z.array(z.string()),
  adviser: z.string().nullable(),
  people: z.array(ClientPerson),
  files: z.array(FileRef.extend({ opened: z.string(), closedOn: z.string().nullable(), stage: z.string() })),
  /** What stands in the firm's own fields. */
  fields: z.array(Fact),
  interests: z.array(z.string()),
  /** Other clients whose fields name this one, or one of its people. */
  namedBy: z.array(
    z.object({ clientId: z.number(), client: z.string(), field: z.string(), person: z.string().nullable() }),
  ),
});
export type ClientView = z.infer<typeof ClientView>;

export const SearchHits = z.object({
  files: z.array(FileRef),
  clients: z.array(z.object({ id: z.number(), name: z.string(), place: z.string() })),
});
export type SearchHits = z.infer<typeof SearchHits>;

export const SearchQuery = z.object({ q: z.string().max(100).default('') });

/** What is known of a client or person about to be made. */
export const DoublesQuery = z.object({
  name: z.string().max(200).default(''),
  firstName: z.string().max(80).default(''),
  lastName: z.string().max(80).default(''),
  email: z.string().max(254).default(''),
});
