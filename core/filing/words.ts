/**
 * Words that tie sentences together and say nothing of a matter, in the languages of European offices:
 * articles, pronouns, prepositions, greetings. Common words beyond these weigh little by themselves,
 * since they are spread over all files alike.
 */
const COMMON = new Set(
  (
    'the and for with from that this have has had was were are been will would could should shall our your you ' +
    'their they them its not but all any can may about into over under after before when what which who how ' +
    'there here than then also more most some such only other one two three dear regards kind best thank thanks ' +
    'file files please let know hello good morning afternoon evening did does done very just now yet off out his her him she ' +
    'der die das und ist nicht mit von den dem ein eine wir sie ihr ihre sehr geehrte herr frau ' +
    'les des une est pas avec dans pour que qui nous vous bonjour madame monsieur ' +
    'det och som att med för til inte ikke een het van niet voor aan el los las por con una'
  ).split(' '),
);

const LETTERS: Record<string, string> = {
  ø: 'o',
  æ: 'ae',
  œ: 'oe',
  ß: 'ss',
  ł: 'l',
  đ: 'd',
  ð: 'd',
  þ: 'th',
};

const PLAIN = /^[\x00-\x7f]*$/;

/** Text as compared: lower case, without accents, possessive endings gone. */
export function fold(text: string): string {
  // Most text needs none of the dearer steps.
  if (PLAIN.test(text)) {
    const small = text.toLowerCase();
    if (!small.includes("'")) return small;
    return small.replace(/([a-z])'s\b/g, '$1').replace(/([a-z])'(?=[a-z])/g, '$1');
  }
  return text
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[øæœßłđðþ]/g, (letter) => LETTERS[letter] ?? letter)
    .replace(/(\p{L})['’]s\b/gu, '$1')
    .replace(/(\p{L})['’](?=\p{L})/gu, '$1');
}

/** The words of a text in order, folded; single letters and bare numbers left out. */
export function wordsOf(text: string): string[] {
  const folded = fold(text);
  // The same either way; the narrow pattern is several times as fast. A word longer than that is none.
  return folded.match(PLAIN.test(folded) ? /[a-z][a-z0-9]{1,99}/g : /\p{L}[\p{L}\p{N}]{1,99}/gu) ?? [];
}

const ENDINGS = ['ings', 'ing', 'ies', 'ed', 'es', 's', 'e', 'y'];

/**
 * A word without its commonest endings, so that "walling" and "walls", "lease" and "leases" meet. Cruder
 * than a stemmer of one language, and does little harm in others.
 */
export function stem(word: string): string {
  for (const ending of ENDINGS) {
    if (word.length - ending.length >= 4 && word.endsWith(ending)) return word.slice(0, -ending.length);
  }
  return word;
}

/** The words of a text that can tell one file from another: folded, three letters or more, stemmed, each once. */
export function tellingWords(text: string): Set<string> {
  return new Set(writtenAs(text).keys());
}

/** The same, each with the word as it first stood in the text, for showing. */
export function writtenAs(text: string): Map<string, string> {
  return tellingAmong(wordsOf(text));
}

/** The telling ones among folded words, by their stems. */
export function tellingAmong(list: readonly string[]): Map<string, string> {
  const words = new Map<string, string>();
  for (const word of list) {
    const key = word.length > 2 && !COMMON.has(word) ? stem(word) : '';
    if (key && !words.has(key)) words.set(key, word);
  }
  return words;
}

/**
 * The abbreviations a title lends itself to: the initials of two or more capitalised words in a row, small
 * words between them left out ("Hedge and Wall Renewal Fund": `hwrf`).
 */
export function acronymsOf(title: string): string[] {
  return Array.from(
    title.matchAll(
      /\p{Lu}[\p{L}’']{0,40}(?:\s{1,4}(?:(?:and|of|the|for|und|der|de|la|et|og|och|en)\s{1,4}){0,4}\p{Lu}[\p{L}’']{0,40}){1,20}/gu,
    ),
    (run) => fold((run[0].match(/\p{Lu}/gu) ?? []).join('')),
  ).filter((initials) => initials.length > 1);
}
