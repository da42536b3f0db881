import type { ReadMessage } from './read.ts';

/**
 * What a reader would find different between what was recorded and another copy of the same message, in
 * words. Headers that servers add on the way, line ends and encodings count for nothing.
 * @returns nothing when both say the same
 */
export function differences(recorded: ReadMessage, other: ReadMessage): string[] {
  const people = (list: readonly { address: string }[]) =>
    list.map((mailbox) => mailbox.address.toLowerCase()).sort();
  const enclosures = (message: ReadMessage) =>
    message.enclosures.map((part) => `${part.filename} ${part.content.length}`).sort();
  const found: string[] = [];
  const compare = (what: string, one: unknown, two: unknown) => {
    if (JSON.stringify(one) !== JSON.stringify(two)) found.push(what);
  };
  compare('the subject', recorded.subject, other.subject);
  compare('the sender', recorded.from?.address.toLowerCase(), other.from?.address.toLowerCase());
  compare('whom it is to', people(recorded.to), people(other.to));
  compare('who has a copy', people(recorded.cc), people(other.cc));
  compare('the text', plain(recorded.text), plain(other.text));
  if (recorded.html !== null && other.html !== null)
    compare('the formatted text', plain(recorded.html), plain(other.html));
  compare('the enclosures', enclosures(recorded), enclosures(other));
  return found;
}

function plain(text: string): string {
  return text.replace(/\s+/g, ' ').trim();
}
