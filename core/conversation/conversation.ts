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

/**
 * Gathers messages into conversations as they come, in any order: two messages are of one conversation
 * when one names the other or both name a third (the linking of RFC 5256 REFERENCES, steps 1 and 2;
 * its last step, joining by subject alone, is weighed by filing instead, where it is only evidence).
 */
export class Conversations {
  private readonly parent = new Map<string, string>();

  private root(id: string): string {
    let at = id;
    for (let up = this.parent.get(at); up !== undefined && up !== at; up = this.parent.get(at)) at = up;
    this.parent.set(id, at);
    return at;
  }

  /** Takes a message in and joins all that it names. */
  add(links: ConversationLinks): void {
    const ids = [...(links.messageId ? [links.messageId] : []), ...namedMessages(links)];
    const first = ids[0];
    if (first === undefined) return;
    const root = this.root(first);
    this.parent.set(root, root);
    for (const id of ids.slice(1)) {
      this.parent.set(this.root(id), root);
    }
  }

  /** Whether both messages are known and of one conversation. */
  together(a: string, b: string): boolean {
    return this.parent.has(a) && this.parent.has(b) && this.root(a) === this.root(b);
  }
}
