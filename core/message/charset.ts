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
  try {
    return STRICT.decode(bytes);
  } catch {
    return mendText(new TextDecoder('latin1').decode(bytes));
  }
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
