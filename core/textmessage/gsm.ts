/**
 * The default alphabet of short messages (3GPP TS 23.038, section 6.2.1), in the order of its table; the place of the
 * escape (0x1B) is held by a blank that stands earlier already.
 */
const ALPHABET =
  '@£$¥èéùìòÇ\nØø\rÅåΔ_ΦΓΛΩΠΨΣΘΞ ÆæßÉ !"#¤%&\'()*+,-./0123456789:;<=>?¡ABCDEFGHIJKLMNOPQRSTUVWXYZÄÖÑÜ§¿abcdefghijklmnopqrstuvwxyzäöñüà';
/** Its extension table (section 6.2.1.1): each of these is sent behind an escape, and counts twice. */
const EXTENSION = '\f^{}\\[~]|€';
const PLAIN = new Set(ALPHABET);
const TWICE = new Set(EXTENSION);

/** How much goes into a message alone, and into each of several (section 6.2; TS 23.040, section 9.2.3.24.1). */
const LIMITS = { gsm: { alone: 160, each: 153 }, ucs2: { alone: 70, each: 67 } } as const;

/** How a text goes as short messages. */
export interface TextLength {
  /** `gsm`: seven bits a letter; `ucs2`: sixteen, as soon as one letter is not of the alphabet. */
  coding: 'gsm' | 'ucs2';
  /** Letters as they count: septets, or sixteen-bit units. */
  units: number;
  parts: number;
  /** So many units still fit into the last part. */
  left: number;
  /** What makes it dear: letters outside of the alphabet, each once. */
  dear: string[];
  /** What counts twice, each once. */
  twice: string[];
}

/** How long a text is as a short message: into how many parts it goes, and what makes it so many. */
export function textLength(text: string): TextLength {
  const letters = Array.from(text);
  const dear = [...new Set(letters.filter((letter) => !PLAIN.has(letter) && !TWICE.has(letter)))];
  const coding = dear.length ? 'ucs2' : 'gsm';
  const weight = (letter: string) => (coding === 'ucs2' ? letter.length : TWICE.has(letter) ? 2 : 1);
  const units = letters.reduce((sum, letter) => sum + weight(letter), 0);
  const { alone, each } = LIMITS[coding];
  const twice = coding === 'gsm' ? [...new Set(letters.filter((letter) => TWICE.has(letter)))] : [];
  if (units <= alone) return { coding, units, parts: units ? 1 : 0, left: alone - units, dear, twice };
  // An escape and its letter, or both halves of a letter, are never parted.
  let parts = 1;
  let filled = 0;
  for (const letter of letters) {
    if (filled + weight(letter) > each) {
      parts++;
      filled = 0;
    }
    filled += weight(letter);
  }
  return { coding, units, parts, left: each - filled, dear, twice };
}

/** What answers that want no more consist of, in capitals or not (common practice). */
const NO_MORE = /^\s*["'“‘]?(?:stop|stopp|stop all|unsubscribe|cancel|end|quit)["'”’]?[\s.!]*$/i;
const AGAIN = /^\s*["'“‘]?(?:start|unstop|yes please)["'”’]?[\s.!]*$/i;

/** Whether an answer asks for no more text messages, or for them again; null where it says something else. */
export function wishOf(text: string): 'stop' | 'start' | null {
  const start = text.slice(0, 40);
  if (text.trim().length > 40) return null;
  return NO_MORE.test(start) ? 'stop' : AGAIN.test(start) ? 'start' : null;
}
