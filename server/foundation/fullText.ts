/** Words that MariaDB's full-text index leaves out by itself (its manual, "Full-Text Index Stopwords", InnoDB list). */
const LEFT_OUT = new Set(
  'a about an are as at be by com de en for from how i in is it la of on or that the this to was what when where who will with und the www'.split(
    ' ',
  ),
);
/** Shorter words are not indexed (innodb_ft_min_token_size). */
const SHORTEST = 3;
const MOST_WORDS = 12;

/**
 * Typed words as an expression of MariaDB's boolean full-text search: every word must stand in the
 * message, begun at least; what is in quotes stands together. Signs with a meaning of their own are dropped.
 * @returns an empty text when nothing searchable was typed
 */
export function searchExpression(typed: string): string {
  const phrases = Array.from(typed.matchAll(/["“]([^"“”]+)["”]/g), (match) => lettersOf(match[1] ?? ''));
  const rest = lettersOf(typed.replace(/["“][^"“”]+["”]/g, ' '));
  const words = rest.filter((word) => word.length >= SHORTEST && !LEFT_OUT.has(word.toLowerCase()));
  return [
    ...phrases.filter((phrase) => phrase.length).map((phrase) => `+"${phrase.join(' ')}"`),
    ...words.slice(0, MOST_WORDS).map((word) => `+${word}*`),
  ].join(' ');
}

function lettersOf(text: string): string[] {
  return text.match(/[\p{L}\p{N}\p{M}_]+/gu) ?? [];
}
