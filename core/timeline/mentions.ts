/** A colleague who can be called. */
export interface Callable {
  id: number;
  name: string;
}

/** Names by which each colleague is called: the whole name, and the first where nobody else bears it. */
export function callNames(staff: readonly Callable[]): { id: number; name: string }[] {
  const firsts = staff.map(({ name }) => fold(name.split(/\s/)[0] ?? ''));
  const names = staff.flatMap(({ id, name }, at) => {
    const first = name.split(/\s/)[0] ?? '';
    const alone = firsts.filter((each) => each === firsts[at]).length === 1;
    return alone && fold(first) !== fold(name)
      ? [name, first].map((each) => ({ id, name: each }))
      : [{ id, name }];
  });
  return names.filter(({ name }) => name).sort((a, b) => b.name.length - a.name.length);
}

const fold = (text: string) => text.toLowerCase().normalize('NFC');
const isWord = (letter: string | undefined) => letter !== undefined && /[\p{L}\p{N}]/u.test(letter);

/**
 * Whom some words call with an `@`: “@Tobias Fenn”, or “@Tobias” where one colleague is called so. An `@` within a word,
 * as in an address, calls nobody.
 * @returns their ids, each once, in the order in which they are called
 */
export function mentioned(words: string, staff: readonly Callable[]): number[] {
  const names = callNames(staff).map(({ id, name }) => ({ id, name: fold(name) }));
  const text = fold(words);
  const called = new Set<number>();
  for (let at = text.indexOf('@'); at !== -1; at = text.indexOf('@', at + 1)) {
    if (isWord(text[at - 1])) continue;
    const found = names.find(
      ({ name }) => text.startsWith(name, at + 1) && !isWord(text[at + 1 + name.length]),
    );
    if (found) called.add(found.id);
  }
  return [...called];
}
