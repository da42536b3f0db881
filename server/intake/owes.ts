import type { Prepared } from './prepare.ts';

/** The last words of conversations that begin with this batch, where they leave something open. */
export function lastWords(
  messages: readonly Prepared[],
  conversations: readonly number[],
  joined: ReadonlySet<number>,
): Set<Prepared> {
  const last = new Map<number, Prepared>();
  for (const [index, message] of messages.entries()) {
    const id = conversations[index] ?? 0;
    const counts = message.row.direction !== 'internal' && !message.filing.automatic;
    if (!joined.has(id) && counts) last.set(id, message);
  }
  return new Set([...last.values()].filter((message) => message.asks));
}
