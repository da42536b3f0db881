/** Words too common in any correspondence to say which file is meant; English function words. */
const COMMON = new Set(
  (
    'the and for with from that this have has had was were are been will would could should shall our your you ' +
    'their they them its not but all any can may about into over under after before when what which who how ' +
    'there here than then also more most some such only other one two three dear regards kind best thank thanks ' +
    'please let know hello good morning file files general correspondence client new'
  ).split(' '),
);

/**
 * The words of a text that can tell one file from another: folded, at least four letters, a plural's
 * last `s` taken away.
 */
export function tellingWords(text: string): Set<string> {
  const words = new Set<string>();
  const folded = text.normalize('NFD').replace(/\p{M}/gu, '').toLowerCase();
  for (const word of folded.match(/[\p{L}]{4,}/gu) ?? []) {
    if (!COMMON.has(word)) words.add(word.length > 4 ? word.replace(/s$/, '') : word);
  }
  return words;
}
