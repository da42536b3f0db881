/** Which characters each font of a page can draw, by code point. */
export interface Drawable {
  words(code: number): boolean;
  headings(code: number): boolean;
}

/** A stretch of text, and whether the font of headings has to draw it. */
export interface Stretch {
  text: string;
  elsewhere: boolean;
}

/** What is drawn by no letter: blanks, line ends, marks of direction. */
const BLANK = /[\s\p{Cf}\p{M}]/u;

/** A text in stretches, each drawn by one font: that of words as far as it can, else that of headings. */
export function stretches(text: string, fonts: Drawable): Stretch[] {
  const found: Stretch[] = [];
  for (const letter of text) {
    const code = letter.codePointAt(0) ?? 0;
    const last = found.at(-1);
    const elsewhere = BLANK.test(letter)
      ? (last?.elsewhere ?? false)
      : !fonts.words(code) && fonts.headings(code);
    if (last?.elsewhere === elsewhere) last.text += letter;
    else found.push({ text: letter, elsewhere });
  }
  return found.length ? found : [{ text: '', elsewhere: false }];
}

/** Whether something in a text would be printed as an empty box. */
export function hasUndrawn(text: string, fonts: Drawable): boolean {
  for (const letter of text) {
    const code = letter.codePointAt(0) ?? 0;
    if (!BLANK.test(letter) && !fonts.words(code) && !fonts.headings(code)) return true;
  }
  return false;
}
