/**
 * Finds file numbers in text by the firm's own pattern, in the ways people type them: small letters,
 * a blank, another dash or nothing where the pattern has a separator. Only numbers of the register count.
 */
export class FileNumbers {
  private readonly search: RegExp;
  private readonly byKey = new Map<string, number>();

  /** @param pattern a regular expression for a whole file number, such as `QL-\d{5}` */
  constructor(pattern: string, files: readonly { id: number; number: string }[]) {
    // An office that has not said how its numbers look has none to be found.
    const wanted = pattern ? loosen(pattern) : '(?!)';
    this.search = new RegExp(`(?<![\\p{L}\\p{N}])(?:${wanted})(?![\\p{L}\\p{N}])`, 'giu');
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
