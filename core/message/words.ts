import { cut } from './limits.ts';
import type { ReadMessage } from './read.ts';

/** So much of a text is searched; what is longer is a document, not a message. */
const MOST_TEXT = 30_000;
const MOST_NAMES = 4_000;

/** What a message is found by: its people, subject, text and the names of what came with it. */
export function searchWords(read: ReadMessage): string {
  const people = [...(read.from ? [read.from] : []), ...read.to, ...read.cc, ...read.bcc].slice(0, 100);
  const names = people.map(({ name, address }) => `${name} ${address}`).join('\n');
  const files = read.enclosures.map((part) => part.filename).join('\n');
  return [cut(names, MOST_NAMES), read.subject, cut(read.text, MOST_TEXT), cut(files, MOST_NAMES)].join('\n');
}
