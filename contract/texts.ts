import { z } from 'zod';
import { FileRef, Id, Page } from './common.ts';

/** So long is a text message at most: ten parts of the plain alphabet. */
export const MOST_TEXT = 1530;

export const TextState = z.enum([
  'waiting',
  'going',
  'sent',
  'delivered',
  'failed',
  'cancelled',
  'received',
  'prepared',
]);
export type TextState = z.infer<typeof TextState>;

/** A text message as it stands in the ledger and in lists. */
export const TextMessage = z.object({
  id: z.number(),
  at: z.string(),
  direction: z.enum(['sent', 'received']),
  state: TextState,
  number: z.string(),
  person: z.string(),
  text: z.string(),
  parts: z.number(),
  price: z.number(),
  /** Who wrote it; empty of what came. */
  by: z.string(),
  /** Why it failed, in the gateway's words. */
  why: z.string(),
  waits: z.boolean(),
  clientId: z.number().nullable(),
  client: z.string(),
  files: z.array(z.object({ id: z.number(), number: z.string() })),
});
export type TextMessage = z.infer<typeof TextMessage>;

export const TextsPage = z.object({
  rows: z.array(TextMessage),
  total: z.number(),
  counts: z.object({ waits: z.number(), loose: z.number(), prepared: z.number() }),
});
export type TextsPage = z.infer<typeof TextsPage>;
/** Those that want an answer, those of no client, those that orders prepared, or all. */
export const TextsQuery = Page.extend({
  show: z.enum(['waits', 'loose', 'prepared', 'all']).default('all'),
  words: z.string().trim().max(100).default(''),
});
export type TextsQuery = z.output<typeof TextsQuery>;

/** A number of a client or one of its people, and what is known of it. */
export const TextNumber = z.object({
  key: z.string(),
  number: z.string(),
  personId: z.number().nullable(),
  whose: z.string(),
  /** When and how they agreed to text messages; null: not yet. */
  agreed: z.object({ at: z.string(), how: z.string() }).nullable(),
  stopped: z.object({ at: z.string(), how: z.string() }).nullable(),
});
export type TextNumber = z.infer<typeof TextNumber>;

/** What is to be known where one writes. */
export const TextDesk = z.object({
  /** Null: no gateway is set. */
  price: z.number().nullable(),
  currency: z.string(),
  monthlyLimit: z.number().nullable(),
  spent: z.number(),
  sender: z.string(),
  numbers: z.array(TextNumber),
  people: z.array(z.object({ id: z.number(), name: z.string() })),
  files: z.array(FileRef),
});
export type TextDesk = z.infer<typeof TextDesk>;

export const TextDraft = z.object({
  clientId: Id,
  fileId: Id.nullable(),
  personId: Id.nullable(),
  number: z.string().trim().min(1, 'Say to which number.').max(40, '40 letters at most.'),
  text: z.string().trim().min(1, 'Write something first.').max(MOST_TEXT, `${MOST_TEXT} letters at most.`),
  /** How they agreed to text messages, where that is not known yet. */
  agreed: z.string().trim().max(200, '200 letters at most.').default(''),
});
export type TextDraft = z.output<typeof TextDraft>;

export const TextFile = z.object({ fileId: Id });
export const TextAnswered = z.object({ waits: z.boolean() });

/** The gateway, as far as it is shown: its key never is. */
export const GatewayView = z.object({
  url: z.string(),
  sender: z.string(),
  monthlyLimit: z.number().nullable(),
  price: z.number(),
  currency: z.string(),
  spent: z.number(),
  readAt: z.string().nullable(),
  problem: z.string().nullable(),
});
export type GatewayView = z.infer<typeof GatewayView>;
export const GatewayAnswer = z.object({ gateway: GatewayView.nullable() });
export const GatewayDraft = z.object({
  url: z.url({ protocol: /^https?$/, message: 'Give its address on the web.' }).max(300),
  /** Empty: as it was. */
  key: z.string().max(500),
  sender: z
    .string()
    .trim()
    .regex(
      /^(?:[A-Za-z0-9 ]{1,11}|\+\d{5,15})$/,
      'Eleven letters and figures at most, or a number with its country.',
    ),
  monthlyLimit: z.number().min(0).max(1e6).nullable(),
});
export type GatewayDraft = z.output<typeof GatewayDraft>;
