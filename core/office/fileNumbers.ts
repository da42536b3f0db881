import { numberKey } from '../filing/numbers.ts';

/** A stretch of a file number: what always stands there, figures, the year, or letters that differ. */
type Part =
  | { kind: 'fixed'; text: string }
  | { kind: 'digits'; from: number; to: number }
  | { kind: 'year' }
  | { kind: 'letters'; from: number; to: number };

/** How a firm's file numbers look, learned from some of them. */
export interface LearnedNumbers {
  /** A regular expression for a whole number, such as `QL-\d{5}`. */
  pattern: string;
  /** In words, such as “QL-, then five figures”. */
  words: string;
}

/** Why nothing can be learned from examples: a sentence for whoever typed them. */
export class CannotLearn extends Error {}

const LONGEST = 40;
const MOST_EXAMPLES = 50;
/** Numbers of fewer figures without a letter stand in every other letter: as amounts, days and houses. */
const FEWEST_BARE_FIGURES = 5;
const FIRST_YEAR = 1990;
const LAST_YEAR = 2099;

/** Runs of letters, of figures, and single signs between them. */
const PIECES = /\p{L}+|\d+|[^\p{L}\d]/gu;

/**
 * Learns how file numbers look from examples: what is the same in all stands fast, what differs is figures or
 * letters, as many as were seen. Examples that are built differently are each learned by themselves.
 * @throws CannotLearn with a sentence that says why not
 */
export function learnNumbers(examples: readonly string[]): LearnedNumbers {
  const all = [...new Set(examples.map((each) => each.trim()).filter(Boolean))];
  if (!all.length) throw new CannotLearn('Type in some of your file numbers, one a line.');
  if (all.length > MOST_EXAMPLES) throw new CannotLearn(`${MOST_EXAMPLES} examples are enough.`);
  for (const example of all) refuseExample(example);
  // One that another begins with comes after it, or it would be found in its place.
  const shapes = [...byShape(all).values()].map(shapeOf).sort((a, b) => b.length - a.length);
  return {
    pattern: shapes.map(patternOf).join('|'),
    words: shapes.map(wordsOf).join('; or '),
  };
}

function refuseExample(example: string): void {
  if (example.length > LONGEST) throw new CannotLearn(`“${example.slice(0, 20)}…” is too long for a number.`);
  if (!/\d/.test(example))
    throw new CannotLearn(`There is no figure in “${example}”: words alone are found everywhere.`);
  if (/[^\p{L}\d /.:_-]/u.test(example))
    throw new CannotLearn(
      `“${example}” has a sign that numbers are not told by; use letters, figures, - / . : _`,
    );
  if (!/^[\p{L}\d].*[\p{L}\d]$/u.test(example))
    throw new CannotLearn(`“${example}” must begin and end with a letter or a figure.`);
  if (!/\p{L}/u.test(example) && numberKey(example).length < FEWEST_BARE_FIGURES)
    throw new CannotLearn(
      `“${example}” looks like any other number in a letter. Put letters before it, or use at least ${FEWEST_BARE_FIGURES} figures.`,
    );
}

/** Examples that are built alike: the same signs in the same places, letters and figures between them. */
function byShape(examples: readonly string[]): Map<string, string[][]> {
  const groups = new Map<string, string[][]>();
  for (const example of examples) {
    const pieces = example.match(PIECES) ?? [];
    const shape = pieces
      .map((piece) => (/\d/.test(piece) ? '0' : /\p{L}/u.test(piece) ? 'a' : piece))
      .join('');
    groups.set(shape, [...(groups.get(shape) ?? []), pieces]);
  }
  return groups;
}

function shapeOf(examples: readonly string[][]): Part[] {
  const [first = []] = examples;
  return first.map((piece, place): Part => {
    const seen = examples.map((example) => example[place] ?? '');
    const lengths = seen.map((each) => each.length);
    const [from, to] = [Math.min(...lengths), Math.max(...lengths)];
    if (/\d/.test(piece)) {
      const last = !first.slice(place + 1).some((later) => /\d/.test(later));
      if (!last && seen.every(isYear)) return { kind: 'year' };
      return { kind: 'digits', from, to };
    }
    const same = new Set(seen.map((each) => each.toUpperCase())).size === 1;
    if (same || !/\p{L}/u.test(piece)) return { kind: 'fixed', text: piece };
    return { kind: 'letters', from, to };
  });
}

function isYear(figures: string): boolean {
  return figures.length === 4 && Number(figures) >= FIRST_YEAR && Number(figures) <= LAST_YEAR;
}

function patternOf(parts: readonly Part[]): string {
  return parts
    .map((part) => {
      if (part.kind === 'fixed') return part.text.replace(/[.*+?^${}()|[\]\\/]/g, '\\$&');
      if (part.kind === 'year') return '\\d{4}';
      return `${part.kind === 'digits' ? '\\d' : '[A-Z]'}{${part.from === part.to ? part.from : `${part.from},${part.to}`}}`;
    })
    .join('');
}

const COUNTS = ['no', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten'];
const counted = (count: number) => COUNTS[count] ?? String(count);

function wordsOf(parts: readonly Part[]): string {
  const words: string[] = [];
  let fixed = '';
  for (const part of parts) {
    if (part.kind === 'fixed') {
      fixed += part.text;
      continue;
    }
    if (fixed) words.push(`“${fixed}”`);
    fixed = '';
    words.push(partWords(part));
  }
  if (fixed) words.push(`“${fixed}”`);
  return words.join(', then ');
}

function partWords(part: Exclude<Part, { kind: 'fixed' }>): string {
  if (part.kind === 'year') return 'the year';
  const what = part.kind === 'digits' ? 'figure' : 'letter';
  const count = part.from === part.to ? counted(part.from) : `${counted(part.from)} to ${counted(part.to)}`;
  return `${count} ${what}${part.to === 1 ? '' : 's'}`;
}

/** Whether something typed is a number of this pattern; small letters and other dashes are typing, not another number. */
export function isFileNumber(pattern: string, typed: string): boolean {
  return new RegExp(`^(?:${pattern})$`, 'iu').test(typed.trim());
}

/**
 * The number after the highest in use: its last run of figures counted up, kept to its width.
 * @param highest of the register, or of the examples where it has none
 * @param anew where the count begins anew each year: the year now, in the firm's zone. Figures before the last that
 *   are one of the ten years before it are put forward, and the count begins at 1
 * @throws CannotLearn when the result no longer fits the firm's pattern, or there is none to count from
 */
export function numberAfter(pattern: string, highest: string | null, anew: number | null = null): string {
  const pieces = (highest ?? '').match(PIECES) ?? [];
  const places = pieces.flatMap((piece, place) => (/\d/.test(piece) ? [place] : []));
  const over =
    anew === null ? undefined : places.slice(0, -1).find((place) => isOver(pieces[place] ?? '', anew));
  const number = pieces
    .map((piece, place) => {
      if (place === over) return String(anew).slice(-piece.length);
      if (place !== places.at(-1)) return piece;
      return String(over === undefined ? Number(piece) + 1 : 1).padStart(piece.length, '0');
    })
    .join('');
  if (!number || !isFileNumber(pattern, number))
    throw new CannotLearn(
      `No number of your pattern follows ${highest ?? 'nothing'}. Look at “File numbers” in the settings.`,
    );
  return number;
}

/** Whether figures of a number are one of the ten years before this one. */
function isOver(figures: string, year: number): boolean {
  if (figures.length !== 2 && figures.length !== 4) return false;
  const ago = (year % 10 ** figures.length) - Number(figures);
  return ago > 0 && ago <= 10;
}
