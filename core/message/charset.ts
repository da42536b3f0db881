/** What the bytes 80 to 9F are in windows-1252 (WHATWG Encoding Standard, index-windows-1252). */
const HIGH = '€\u0081‚ƒ„…†‡ˆ‰Š‹Œ\u008dŽ\u008f\u0090‘’“”•–—˜™š›œ\u009džŸ';
const BYTE = new Map([...HIGH].map((sign, index) => [sign.charCodeAt(0), 0x80 + index]));

/**
 * Text as its bytes were meant, where they were decoded as it was declared: UTF-8 that was declared as something of
 * one byte a letter, and windows-1252 that was decoded as ISO 8859-1, whose controls 80 to 9F nobody writes.
 */
export function mendText(text: string): string {
  if (!/[\u0080-\u00ff]/.test(text)) return text;
  return asUtf8(text) ?? text.replace(/[\u0080-\u009f]/g, (sign) => HIGH[sign.charCodeAt(0) - 0x80] ?? sign);
}

/** Bytes of which nobody said what they are: UTF-8 if they are, else windows-1252. */
export function decodeText(bytes: Uint8Array): string {
  return asStrictUtf8(bytes) ?? mendText(new TextDecoder('latin1').decode(bytes));
}

/** @returns null for bytes that are not UTF-8 */
function asStrictUtf8(bytes: Uint8Array): string | null {
  try {
    return STRICT.decode(bytes);
  } catch {
    return null;
  }
}

/** Charsets that say nothing more than that a letter is a byte, or nothing at all; the first is what they mostly are. */
const ONE_BYTE =
  /^(?:|us-?ascii|ascii|ansi(?:_x3.*)?|unknown(?:-8bit)?|x-unknown|binary|8bit|iso-?8859-?1|latin-?1|l1|(?:windows|cp|x-cp)-?1252)$/;
/** Others of one byte a letter: whole texts in them are next to never UTF-8 by chance. */
const BYTE_A_LETTER = /^(?:iso-?8859|windows-?125|cp-?125)/;
const UTF8 = /^(?:utf-?8(?:mb\d)?|unicode-1-1-utf-8)$/;

/**
 * Bytes in a charset. UTF-8 that is declared as something of one byte a letter is UTF-8 all the same, and bytes that
 * cannot be UTF-8 though they are declared so are windows-1252, as is what is declared as ISO 8859-1 (WHATWG Encoding
 * Standard).
 * @param other decodes what is declared as anything else; null where it does not know it
 */
export function decodeAs(
  bytes: Uint8Array,
  charset: string,
  other: (bytes: Uint8Array, charset: string) => string | null,
): string {
  const name = charset.trim().toLowerCase();
  if (UTF8.test(name) || ONE_BYTE.test(name)) return decodeText(bytes);
  return (BYTE_A_LETTER.test(name) && asStrictUtf8(bytes)) || (other(bytes, name) ?? decodeText(bytes));
}

const STRICT = new TextDecoder('utf-8', { fatal: true });

/** @returns null when the text is not UTF-8 read byte by byte */
function asUtf8(text: string): string | null {
  const bytes = new Uint8Array(text.length);
  for (let at = 0; at < text.length; at++) {
    const code = text.charCodeAt(at);
    const byte = code < 0x100 ? code : BYTE.get(code);
    if (byte === undefined) return null;
    bytes[at] = byte;
  }
  try {
    return STRICT.decode(bytes);
  } catch {
    return null;
  }
}
