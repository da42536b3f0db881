/** A token of an IMAP command (RFC 3501 section 9): an atom, a string or literal, or a parenthesised list. */
export type Token = { atom: string } | { string: Buffer } | { list: Token[] };

/**
 * Parses the arguments of a command line whose literals were already read: each `{n}` or `{n+}` at the
 * end of a piece stands for the literal that follows it.
 */
export function parseTokens(pieces: readonly (string | Buffer)[]): Token[] {
  const stack: Token[][] = [[]];
  const top = () => stack[stack.length - 1] ?? [];
  for (const piece of pieces) {
    if (typeof piece !== 'string') top().push({ string: piece });
    else parsePiece(piece.replace(/\{\d+\+?\}$/, ''), stack, top);
  }
  return stack[0] ?? [];
}

function parsePiece(text: string, stack: Token[][], top: () => Token[]): void {
  for (let at = 0; at < text.length;) {
    const char = text[at];
    if (char === ' ') at++;
    else if (char === '(') {
      stack.push([]);
      at++;
    } else if (char === ')') {
      const list = stack.length > 1 ? (stack.pop() ?? []) : [];
      top().push({ list });
      at++;
    } else if (char === '"') {
      const quoted = /^"((?:[^"\\]|\\.)*)"/.exec(text.slice(at));
      if (!quoted) throw new Error('a quoted string is not closed');
      top().push({ string: Buffer.from((quoted[1] ?? '').replace(/\\(.)/g, '$1'), 'latin1') });
      at += quoted[0].length;
    } else {
      // An atom may carry a bracketed section with blanks and parentheses in it, as BODY[HEADER.FIELDS (DATE)].
      const atom = /^(?:[^\s()"[]|\[[^\]]*\])+/.exec(text.slice(at));
      if (!atom) throw new Error('an atom was expected');
      top().push({ atom: atom[0] });
      at += atom[0].length;
    }
  }
}

/** The text of an atom or string; an empty text for a list. */
export function textOf(token: Token | undefined): string {
  if (!token || 'list' in token) return '';
  return 'atom' in token ? token.atom : token.string.toString('utf8');
}

/** Resolves a sequence set such as `1:3,7,9:*` to ranges; `*` is the greatest number in use. */
export function parseSet(set: string, greatest: number): [number, number][] {
  return set.split(',').map((part) => {
    const [from = '', to = from] = part.split(':');
    const number = (text: string) => (text === '*' ? greatest : Number(text));
    const a = number(from);
    const b = number(to);
    if (!Number.isInteger(a) || !Number.isInteger(b)) throw new Error(`"${set}" is not a set of numbers`);
    return a <= b ? [a, b] : [b, a];
  });
}

export function inSet(ranges: readonly [number, number][], number: number): boolean {
  return ranges.some(([from, to]) => number >= from && number <= to);
}

/** A string as IMAP writes it: quoted when it is plain, else a literal. */
export function quoted(text: string | null): string {
  if (text === null) return 'NIL';
  if (/^[\x20-\x7e]*$/.test(text) && text.length < 500) return `"${text.replace(/(["\\])/g, '\\$1')}"`;
  return `{${Buffer.byteLength(text)}}\r\n${text}`;
}

/** INTERNALDATE and APPEND's date-time, always in UTC. */
export function imapDate(date: Date): string {
  const month = date.toUTCString().slice(8, 11);
  const two = (n: number) => String(n).padStart(2, '0');
  return `"${String(date.getUTCDate()).padStart(2, ' ')}-${month}-${date.getUTCFullYear()} ${two(date.getUTCHours())}:${two(date.getUTCMinutes())}:${two(date.getUTCSeconds())} +0000"`;
}

/** Reads a date-time as APPEND gives it, or a bare date as SEARCH does; null when it is neither. */
export function parseImapDate(text: string): Date | null {
  const date = new Date(
    text.trim().replace(/^(\d{1,2})-(\w{3})-(\d{4})/, '$1 $2 $3') +
      (/\d:\d/.test(text) ? '' : ' 00:00:00 +0000'),
  );
  return Number.isNaN(date.getTime()) ? null : date;
}
