/** What a template asks for that cannot be done, in words for whoever brought it. */
export class BadTemplate extends Error {}

/** A word of a field's instruction: as it stands, or of a field within it. */
export type Piece<F> = string | F;

/** An argument: pieces in their order, which make one word. */
export interface Argument<F> {
  of: Piece<F>[];
  /** It stood in quotes, or comes of a field: it is no operator. */
  quoted: boolean;
}

/** A field's instruction, taken apart (ECMA-376 part 1, 17.16.1: field type, arguments, switches). */
export interface Instruction<F> {
  /** In capitals: `MERGEFIELD`. */
  kind: string;
  args: Argument<F>[];
  /** By their letter, in small letters; several of one letter are possible. */
  switches: { name: string; value: Argument<F> | null }[];
}

/** Switches that are followed by an argument; others stand alone. */
const WITH_ARGUMENT = new Set(['*', '@', '#', 'b', 'f']);
const OPERATORS = ['<>', '<=', '>=', '=', '<', '>'];
/** Word processors turn straight quotes into these. */
const QUOTES = new Set(['"', '“', '”', '„']);

/**
 * Takes an instruction apart. What stands in quotes is one argument, a backslash before a quote makes it a letter; a
 * field within is one argument, or part of the one in quotes.
 * @param pieces its text, and the fields that stand within it, in their order
 */
export function readInstruction<F>(pieces: readonly Piece<F>[]): Instruction<F> {
  const [first, ...words] = tokens(pieces);
  const kind = textOf(first ?? NOTHING).toUpperCase();
  const args: Argument<F>[] = [];
  const switches: Instruction<F>['switches'] = [];
  for (let at = 0; at < words.length; at++) {
    const word = words[at] as Argument<F>;
    const text = word.quoted ? '' : textOf(word);
    if (/^\\[^\s\\]$/.test(text)) {
      const name = (text[1] ?? '').toLowerCase();
      switches.push({ name, value: WITH_ARGUMENT.has(name) ? (words[++at] ?? null) : null });
    } else if (/^\\[*@#]\S/.test(text)) {
      // Written without a space: `\*Upper`.
      switches.push({ name: text[1] ?? '', value: { of: [text.slice(2)], quoted: false } });
    } else if (kind === 'IF' && !word.quoted) for (const each of operators<F>(text)) args.push(each);
    else args.push(word);
  }
  return { kind, args, switches };
}

const NOTHING = { of: [], quoted: false };

/** The text of an argument without fields. */
export function textOf<F>(argument: Argument<F> | null | undefined): string {
  return (argument?.of ?? []).filter((piece) => typeof piece === 'string').join('');
}

function tokens<F>(pieces: readonly Piece<F>[]): Argument<F>[] {
  const found: Argument<F>[] = [];
  let word: Argument<F> | null = null;
  let within = false;
  let text = '';
  const put = () => {
    if (text) word?.of.push(text);
    text = '';
  };
  const end = () => {
    put();
    if (word) found.push(word);
    word = null;
  };
  for (const piece of pieces) {
    if (typeof piece !== 'string') {
      put();
      if (within) word?.of.push(piece);
      else {
        end();
        found.push({ of: [piece], quoted: true });
      }
      continue;
    }
    for (let at = 0; at < piece.length; at++) {
      const letter = piece[at] ?? '';
      const next = piece[at + 1] ?? '';
      if (letter === '\\' && (QUOTES.has(next) || (within && next === '\\'))) {
        word ??= { of: [], quoted: within };
        text += next;
        at++;
      } else if (QUOTES.has(letter)) {
        if (within) end();
        else {
          end();
          word = { of: [], quoted: true };
        }
        within = !within;
      } else if (!within && /\s/.test(letter)) end();
      else {
        word ??= { of: [], quoted: false };
        text += letter;
      }
    }
  }
  end();
  return found;
}

/** `100>=` as a word and an operator, which need no space between them. */
function operators<F>(text: string): Argument<F>[] {
  const found: Argument<F>[] = [];
  let rest = text;
  while (rest) {
    const at = rest.search(/[<>=]/);
    if (at < 0) {
      found.push({ of: [rest], quoted: false });
      break;
    }
    if (at > 0) found.push({ of: [rest.slice(0, at)], quoted: false });
    const operator = OPERATORS.find((each) => rest.startsWith(each, at)) ?? '=';
    found.push({ of: [operator], quoted: false });
    rest = rest.slice(at + operator.length);
  }
  return found;
}

/** Whether a comparison of `IF` holds: of two numbers by their size, else of texts; `?` and `*` stand for any letters. */
export function compare(one: string, operator: string, other: string): boolean {
  const [a, b] = [numberIn(one), numberIn(other)];
  const difference =
    a !== null && b !== null
      ? Math.sign(a - b)
      : operator === '=' || operator === '<>'
        ? Number(!fits(one, other))
        : Math.sign(one.localeCompare(other, 'en-GB'));
  switch (operator) {
    case '=':
      return difference === 0;
    case '<>':
      return difference !== 0;
    case '<':
      return difference < 0;
    case '<=':
      return difference <= 0;
    case '>':
      return difference > 0;
    case '>=':
      return difference >= 0;
    default:
      throw new BadTemplate(`“${operator}” compares nothing: an IF knows =, <>, <, <=, > and >=.`);
  }
}

/** A number as people write it: `1,200.50`, `£120`; null when it is none. */
export function numberIn(text: string): number | null {
  const digits = text.replace(/[\s,\p{Sc}]/gu, '');
  return /^[+-]?\d+(?:\.\d+)?$/.test(digits) ? Number(digits) : null;
}

/** Whether a text fits a pattern, in time that grows with both lengths, never with more. */
function fits(text: string, pattern: string): boolean {
  let [at, from] = [0, 0];
  let star = -1;
  let held = 0;
  while (at < text.length) {
    const wanted = pattern[from];
    if (wanted === '*') {
      star = from++;
      held = at;
    } else if (wanted === '?' || (wanted !== undefined && wanted === text[at])) {
      at++;
      from++;
    } else if (star >= 0) {
      from = star + 1;
      at = ++held;
    } else return false;
  }
  while (pattern[from] === '*') from++;
  return from === pattern.length;
}
