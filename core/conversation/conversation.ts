import { LIMITS } from '../message/limits.ts';

/** What of a message decides its conversation. Message-IDs carry no angle brackets. */
export interface ConversationLinks {
  messageId: string | null;
  inReplyTo: readonly string[];
  references: readonly string[];
}

/**
 * The messages this one names, nearest first: In-Reply-To, then References from the last to the first,
 * each once (RFC 5322 section 3.6.4).
 */
export function namedMessages(links: ConversationLinks): string[] {
  const named = new Set<string>();
  for (const id of links.inReplyTo) named.add(id);
  for (const id of [...links.references].reverse()) named.add(id);
  if (links.messageId) named.delete(links.messageId);
  return [...named];
}

/**
 * Reads the message identifiers out of a References or In-Reply-To header, phrases and comments left aside.
 * Of very many the last are taken: the nearest stand there.
 */
export function messageIds(header: string | null | undefined): string[] {
  if (!header) return [];
  return Array.from(header.slice(-LIMITS.references).matchAll(/<([^<>]{1,2000})>/g), (match) =>
    (match[1] ?? '').replace(/\([^()]{0,200}\)|\s+/g, '').slice(0, LIMITS.messageId),
  )
    .filter(Boolean)
    .slice(-LIMITS.named);
}
