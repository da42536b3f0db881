/**
 * Text of the format "flowed" with its paragraphs put together again (RFC 3676 sections 4.2 to 4.5): a line that ends
 * with a blank goes on in the next of the same quote depth, what was stuffed with a blank loses it, and the line that
 * parts a signature stays one of its own.
 * @param delSp whether the blank at the end of a line goes when lines are put together
 */
export function unflowed(text: string, delSp: boolean): string {
  const lines: string[] = [];
  let depth = 0;
  let pieces: string[] = [];
  let open = false;
  const close = () => {
    if (pieces.length) lines.push((depth ? `${'>'.repeat(depth)} ` : '') + pieces.join(''));
    pieces = [];
    open = false;
  };
  for (const line of text.split(/\r?\n/)) {
    const level = quoteDepth(line);
    const stuffed = line.slice(level);
    const bare = stuffed.startsWith(' ') ? stuffed.slice(1) : stuffed;
    if (open && level !== depth) close();
    if (bare === SIGNATURE) close();
    depth = level;
    const flows = bare.endsWith(' ') && bare !== SIGNATURE;
    pieces.push(flows && delSp ? bare.slice(0, -1) : bare);
    open = flows;
    if (!flows) close();
  }
  close();
  return lines.join('\n');
}

const SIGNATURE = '-- ';

function quoteDepth(line: string): number {
  let depth = 0;
  while (line[depth] === '>') depth++;
  return depth;
}
