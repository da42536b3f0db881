/** What the writer of a message wrote, apart from what stood there before. */
export interface Written {
  /** The writer's own words, without quoted history and without the signature below a `-- ` line. */
  own: string;
  /** The quoted history or forwarded message, as it stands. */
  quoted: string;
  /** Number of non-empty quoted lines, for "18 earlier lines, quoted". */
  quotedLines: number;
}

const DIVIDER =
  /^[>\s]*[-_]{2,}\s*(?:original|forwarded|ursprüngliche|weitergeleitete|message|oprindelig|opprinnelig|vidarebefordrat|mensaje|messaggio|doorgestuurd|oorspronkelijk|videresendt)[^-_]*[-_]{2,}\s*$/i;
const UNDERSCORES = /^_{10,}\s*$/;
/** "On … wrote:", "Am … schrieb …:", "Le … a écrit :", "Den … skrev …:", "El … escribió:", "Op … schreef …:" */
const INTRO =
  /^\s*(?:on|am|le|den|el|il|op|em|dne|w dniu)\b.{4,200}(?:wrote|schrieb|écrit|skrev|escribió|ha scritto|schreef|escreveu|napsal|pisze)\b.{0,120}:\s*$/i;
const HEADER_LINE = /^[>\s*]*(\p{L}[\p{L} -]{0,18}?)\*?\s?:\*?\s+\S/u;

/**
 * Finds where quoted history begins in a plain-text body: a divider line, an introducing sentence, a
 * block of header lines (three or more, one with an address or date), or the `>` that ends the text.
 */
export function writtenPart(text: string): Written {
  const lines = text.replace(/\r\n?/g, '\n').split('\n');
  const from = historyStart(lines);
  const own: string[] = [];
  const quoted: string[] = [];
  for (const [index, line] of lines.entries()) {
    if (index >= from || /^\s*>/.test(line)) quoted.push(line);
    else own.push(line);
  }
  const signature = own.findIndex((line) => /^--\s?$/.test(line));
  const ownText = (signature > 0 ? own.slice(0, signature) : own).join('\n').trim();
  return {
    own: ownText,
    quoted: quoted.join('\n'),
    quotedLines: quoted.filter((line) => line.trim()).length,
  };
}

function historyStart(lines: readonly string[]): number {
  for (let index = 0; index < lines.length; index++) {
    const line = lines[index] ?? '';
    if (DIVIDER.test(line)) return index;
    if (UNDERSCORES.test(line) && isHeaderBlock(lines, index + 1)) return index;
    // An introducing sentence may be folded over two or three lines by the sending program.
    for (let span = 1; span <= 3; span++) {
      const joined = lines.slice(index, index + span).join(' ');
      if (INTRO.test(joined) && quotes(lines, index + span)) return index;
    }
    if (isHeaderBlock(lines, index)) return index;
  }
  return lines.length;
}

function quotes(lines: readonly string[], from: number): boolean {
  const next = lines.slice(from, from + 3).find((line) => line.trim());
  return next === undefined || /^\s*>/.test(next) || lines.length > from;
}

function isHeaderBlock(lines: readonly string[], from: number): boolean {
  const block: string[] = [];
  for (const line of lines.slice(from, from + 8)) {
    if (!HEADER_LINE.test(line)) break;
    block.push(line);
  }
  return (
    block.length >= 3 &&
    block.some((line) => /@|\b\d{4}\b/.test(line)) &&
    block.some((line) => /@/.test(line))
  );
}

/** The first words of a message for a list row: own words on one line, at most `length` characters. */
export function snippet(own: string, length = 140): string {
  const line = own.replace(/\s+/g, ' ').trim();
  return line.length <= length ? line : `${line.slice(0, length - 1).trimEnd()}…`;
}
