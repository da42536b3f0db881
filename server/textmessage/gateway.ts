import { z } from 'zod';
import type { Config } from '../foundation/config.ts';
import { Refusal } from '../foundation/refusal.ts';
import type { Rows } from '../foundation/tables.ts';
import { isLoopback } from '../mailserver/networks.ts';
import { unseal } from '../security/seal.ts';

/** A gateway answers within so long, in milliseconds. */
const PATIENCE = 15_000;
/** No answer of a gateway is larger, in bytes. */
const MOST_BYTES = 1_000_000;

export type GatewayRow = Rows['text_gateway'];
type Reached = Pick<GatewayRow, 'url'> & { key: string };

const Accepted = z.object({ parts: z.number().int().min(1).max(255), price: z.number().min(0).max(1000) });
const Prices = z.object({ each: z.number().min(0).max(1000), currency: z.string().regex(/^[A-Z]{3}$/) });
const Event = z.object({
  number: z.number().int().min(1),
  kind: z.enum(['delivered', 'failed', 'answer']),
  /** Of a report: the mark of the message it is about. */
  id: z.string().max(60).default(''),
  from: z.string().max(40).default(''),
  text: z.string().max(5000).default(''),
  why: z.string().max(300).default(''),
  at: z.iso.datetime(),
});
export type GatewayEvent = z.infer<typeof Event>;
const Events = z.object({ events: z.array(Event).max(500) });
const Refused = z.object({ message: z.string().max(1000) });

/** A gateway that says no for good: asking again would change nothing. */
export class GatewayRefusal extends Error {}

export function reached(row: Pick<GatewayRow, 'url' | 'sealed_key'>, { key }: Pick<Config, 'key'>): Reached {
  return { url: row.url, key: unseal(key, row.sealed_key) };
}

/** @throws Refusal when the way to it would cross a network unprotected */
export function refuseOpen(url: string): void {
  const { protocol, hostname } = new URL(url);
  if (protocol !== 'https:' && !isLoopback(hostname))
    throw new Refusal(400, 'Outside of this machine the gateway must be reached by https.', 'url');
}

/**
 * One request of a gateway (docs/TEXTMESSAGES.md).
 * @throws GatewayRefusal with its words when it says no; Error when it does not answer as it should, to be tried again
 */
async function ask<S extends z.ZodType>(
  { url, key }: Reached,
  schema: S,
  path: string,
  init: RequestInit = {},
): Promise<z.output<S>> {
  const response = await fetch(`${url.replace(/\/$/, '')}${path}`, {
    ...init,
    redirect: 'error',
    headers: {
      authorization: `Bearer ${key}`,
      'content-type': 'application/json',
      accept: 'application/json',
    },
    signal: AbortSignal.timeout(PATIENCE),
  });
  const text = await limited(response);
  const answer: unknown = text ? JSON.parse(text) : {};
  if (response.ok) return schema.parse(answer);
  const said = Refused.safeParse(answer).data?.message ?? `it answered ${response.status}`;
  // What is wrong with the request stays wrong; too many of them, or a fault of its own, passes.
  if (response.status >= 400 && response.status < 500 && ![408, 425, 429].includes(response.status))
    throw new GatewayRefusal(said.slice(0, 300));
  throw new Error(said.slice(0, 300));
}

async function limited(response: Response): Promise<string> {
  const chunks: Uint8Array[] = [];
  let size = 0;
  for await (const chunk of response.body ?? []) {
    size += (chunk as Uint8Array).length;
    if (size > MOST_BYTES) throw new Error('its answer is too large');
    chunks.push(chunk as Uint8Array);
  }
  return Buffer.concat(chunks).toString('utf8');
}

/** Hands a message over under its mark: handed over twice it goes once. @returns into how many parts it went, and its price */
export function handOver(
  gateway: Reached,
  mark: string,
  message: { from: string; to: string; text: string },
): Promise<z.output<typeof Accepted>> {
  return ask(gateway, Accepted, `/messages/${encodeURIComponent(mark)}`, {
    method: 'PUT',
    body: JSON.stringify(message),
  });
}

/** What happened after an event, in the order of their numbers. */
export async function eventsAfter(gateway: Reached, number: number): Promise<GatewayEvent[]> {
  return (await ask(gateway, Events, `/events?after=${number}`)).events;
}

/** What one part costs. */
export function pricesOf(gateway: Reached): Promise<z.output<typeof Prices>> {
  return ask(gateway, Prices, '/prices');
}
