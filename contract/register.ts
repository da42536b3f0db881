import { z } from 'zod';
import { FileRef, Page } from './common.ts';
import { Fact } from './facts.ts';

export const ClientStatus = z.enum(['active', 'past', 'prospect']);
export const ClientKind = z.enum(['person', 'couple', 'company', 'trust', 'estate', 'public body']);

export const ClientQuery = Page.extend({
  q: z.string().max(100).default(''),
  status: ClientStatus.optional(),
  sort: z.enum(['name', 'adviser', 'service', 'files', 'last']).default('name'),
  order: z.enum(['asc', 'desc']).default('asc'),
});
export type ClientQuery = z.infer<typeof ClientQuery>;

export const ClientRow = z.object({
  id: z.number(),
  name: z.string(),
  kind: ClientKind,
  status: ClientStatus,
  place: z.string(),
  adviser: z.string().nullable(),
  service: z.string().nullable(),
  openFiles: z.number(),
  lastMessageAt: z.string().nullable(),
});
export type ClientRow = z.infer<typeof ClientRow>;

export const ClientPage = z.object({ rows: z.array(ClientRow), total: z.number() });
export type ClientPage = z.infer<typeof ClientPage>;

export const ClientPerson = z.object({
  id: z.number(),
  name: z.string(),
  role: z.string(),
  addresses: z.array(
    z.object({
      email: z.string(),
      current: z.boolean(),
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
  adviser: z.string().nullable(),
  people: z.array(ClientPerson),
  files: z.array(FileRef.extend({ opened: z.string(), closedOn: z.string().nullable(), stage: z.string() })),
  /** What stands in the firm's own fields. */
  fields: z.array(Fact),
  interests: z.array(z.string()),
});
export type ClientView = z.infer<typeof ClientView>;

export const SearchHits = z.object({
  files: z.array(FileRef),
  clients: z.array(z.object({ id: z.number(), name: z.string(), place: z.string() })),
});
export type SearchHits = z.infer<typeof SearchHits>;
