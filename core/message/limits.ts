/**
 * How much of what a stranger controls is looked at. Whatever a pattern, a parser or a loop sees has been
 * cut to these first; the message itself is kept whole, byte for byte. Each names the attack it stops.
 */
export const LIMITS = {
  /** Characters of a header before its parts are taken out of it: addresses in endless groups (`g:g:g:…`), a name that never ends. */
  header: 64_000,
  /** Characters of a subject: thousands of `[marks]` that are taken off one by one. */
  subject: 500,
  /** Characters of a Date: brackets that are opened and never closed. */
  date: 200,
  /** Characters of one address (RFC 5321 allows 254) with its comments: comments within comments. */
  address: 400,
  /** Addresses of one header: a list as long as a telephone book. */
  addresses: 500,
  /** Characters of a header that names messages: an angle bracket followed by blanks without end. */
  references: 32_000,
  /** Messages named by one: a message that claims to belong to every conversation there is. */
  named: 100,
  /** Characters of one message identifier (RFC 5322: a line, 998). */
  messageId: 998,
  /** Lines, where they are shorter than this many bytes: millions of lines of a letter each. */
  lines: 400_000,
  shortLine: 24,
  /** Lines that may part one piece of a message from the next: a hundred thousand empty pieces. */
  boundaries: 10_000,
  /** Characters of a line of text as patterns see it: one line of blanks that many patterns try from each of them. */
  line: 2_000,
  /** Characters of the text that is read for its parts, for filing and for what leaves an answer owed. */
  text: 100_000,
  /** Of these, characters that filing weighs: more words than anybody writes. */
  filing: 40_000,
  /** Characters of HTML that is read or shown. */
  html: 1_500_000,
  /** Tags within it: each costs the parsers hundreds of times what it costs to write. */
  tags: 60_000,
  /** Elements within each other: parsers and writers call themselves once a level, until the stack is full. */
  depth: 100,
  /** Cells of tables that are laid out as tables in plain text: a row of a million cells. */
  cells: 3_000,
  /** Columns or rows that one cell may span: `colspan=1000000000` in a table that is laid out. */
  span: 50,
  /** Parts with a name or bytes of their own: tens of thousands of empty ones. */
  enclosures: 1_000,
  /** MIME parts within parts. */
  parts: 60,
  /** Characters of a file name. */
  filename: 200,
  /** Recipients of one delivery report. */
  reported: 100,
} as const;

/**
 * The beginning of a text, never through a surrogate pair.
 * @param length in UTF-16 units
 */
export function cut(text: string, length: number): string {
  if (text.length <= length) return text;
  const last = text.charCodeAt(length - 1);
  return text.slice(0, last >= 0xd800 && last < 0xdc00 ? length - 1 : length);
}
