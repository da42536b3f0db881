import type { Facts } from '../../core/facts/catalogue.ts';
import type { DocNode } from '../../core/merge/document.ts';
import type { RawRow } from '../foundation/sources.ts';
import type { Counting } from '../../core/merge/links.ts';
import { buildBeside } from '../reading/pool.ts';
import type { OptOutWay } from './optOut.ts';
import { renderMessage, type MissingValue } from '../../core/merge/render.ts';

/** Who a message is from and to, and what fixes it beforehand. */
export interface Envelope {
  from: { name: string; address: string };
  to: { name: string; address: string };
  /** Without angle brackets. */
  messageId: string;
  date: Date;
  /** How to opt out; null where nothing is said of it. */
  optOut: OptOutWay | null;
  /** How it tells that it was opened; null where it does not. */
  counting: Counting | null;
}

export interface Composed {
  raw: Buffer;
  packed: RawRow;
  subject: string;
  html: string;
  text: string;
  missing: MissingValue[];
}

/**
 * Composes the very bytes of one recipient's message: plain text and HTML, Message-ID and date as given.
 * The same arguments give the same bytes but for the boundary of the parts.
 */
export async function composeMessage(
  subject: DocNode,
  body: DocNode,
  facts: Facts,
  envelope: Envelope,
): Promise<Composed> {
  const rendered = renderMessage(subject, body, facts, envelope.optOut?.footer ?? null, envelope.counting);
  const built = await buildBeside({
    from: envelope.from,
    to: [envelope.to],
    subject: rendered.subject,
    text: rendered.text,
    html: rendered.html,
    date: envelope.date,
    messageId: envelope.messageId,
    ...(envelope.optOut ? { headers: envelope.optOut.headers } : {}),
    boundary: envelope.messageId.replace(/[^\w]/g, '').slice(0, 40),
  });
  return { ...built, ...rendered };
}
