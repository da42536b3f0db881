/**
 * Finds file numbers in text by the firm's own pattern, in the ways people type them: small letters,
 * a blank, another dash or nothing where the pattern has a separator. Only numbers of the register count.
 */
export class FileNumbers {
  private readonly search: RegExp;
  private readonly byKey = new Map<string, number>();

  /** @param pattern a regular expression for a whole file number, such as `QL-\d{5}` */
  constructor(pattern: string, files: readonly { id: number; number: string }[]) {
    this.search = new RegExp(`(?<![\\p{L}\\p{N}])(?:${loosen(pattern)})(?![\\p{L}\\p{N}])`, 'giu');
    for (const file of files) this.byKey.set(numberKey(file.number), file.id);
  }

  /** The files whose numbers stand in the text, in order of appearance, each once. */
  in(text: string): number[] {
    const found = new Set<number>();
    for (const match of text.matchAll(this.search)) {
      const id = this.byKey.get(numberKey(match[0]));
      if (id !== undefined) found.add(id);
    }
    return [...found];
  }
}

/** A number as compared: letters and digits only, upper case. */
export function numberKey(number: string): string {
  return number.toUpperCase().replace(/[^\p{L}\p{N}]/gu, '');
}

/** Lets a separator of the pattern be any dash, slash, dot or blank, or be left out. */
function loosen(pattern: string): string {
  const separator = '[\\s\\u2010-\\u2015/.\\-]{0,3}';
  // The firm's own pattern, not what a stranger wrote.
  // eslint-disable-next-line regexp/no-super-linear-move
  const anchored = pattern.replace(/^\^|\$$/g, '').replace(/\\[-/.]|[-/](?![^[]*\])/g, separator);
  // Letters before digits without a separator in the pattern (K2024/01) may still be typed with a blank.
  return anchored.replace(/([A-Z])(?=\\d)/g, `$1[\\s\\-]?`);
}

/**
 * The number after the highest in use: its last run of digits counted up, kept to its width.
 * @throws when the result no longer fits the firm's pattern, or there is none to count from
 */
export function nextNumber(pattern: string, highest: string | null): string {
  // A number of the register, not what a stranger wrote.
  // eslint-disable-next-line regexp/no-super-linear-move
  const counted = (highest ?? '').replace(/\d+(?!.*\d)/, (digits) =>
    String(Number(digits) + 1).padStart(digits.length, '0'),
  );
  if (!new RegExp(`^(?:${pattern})$`).test(counted))
    throw new RangeError(`No number of the pattern ${pattern} follows ${highest ?? 'nothing'}.`);
  return counted;
}
