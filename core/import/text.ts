import { decodeText } from '../message/charset.ts';

/** A table as it stands in a file. */
export interface Table {
  header: string[];
  rows: string[][];
  encoding: string;
  /** What parts its columns; `card` where it was made of cards. */
  delimiter: string;
}

/** Why a file cannot be read as a table: a sentence for whoever chose it. */
export class NoTable extends Error {}

/** Beginnings of files that are no text, and what they are. */
const OTHERS: readonly [bytes: number[], what: string][] = [
  [[0x89, 0x50, 0x4e, 0x47], 'a picture (PNG)'],
  [[0xff, 0xd8, 0xff], 'a picture (JPEG)'],
  [[0x47, 0x49, 0x46, 0x38], 'a picture (GIF)'],
  [[0x25, 0x50, 0x44, 0x46], 'a PDF'],
  [[0x50, 0x4b, 0x03, 0x04], 'a spreadsheet or another packed file: save the sheet as CSV first'],
  [[0xd0, 0xcf, 0x11, 0xe0], 'a spreadsheet of an older kind: save the sheet as CSV first'],
  [[0x1f, 0x8b], 'a packed file: unpack it first'],
];

/** How the bytes of a text are told apart: so many are looked at. */
const LOOKED_AT = 64 * 1024;

/**
 * Bytes as text: by the mark at their beginning (Unicode Standard, section 23.8), else UTF-16 where every other byte
 * is nought, else UTF-8 where they are that, else windows-1252, which older programs of offices write.
 * @returns the text without its mark, and the encoding's name
 * @throws NoTable when they are no text
 */
export function decodeList(bytes: Uint8Array): { text: string; encoding: string } {
  const other = OTHERS.find(([mark]) => mark.every((byte, at) => bytes[at] === byte));
  if (other) throw new NoTable(`This is no table but ${other[1]}.`);
  const encoding = encodingOf(bytes);
  const decoded = encoding.startsWith('utf-16') ? new TextDecoder(encoding).decode(bytes) : decodeText(bytes);
  const text = decoded.replace(/^\u{FEFF}/u, '');
  if (text.includes('\0')) throw new NoTable('This is no text: there are signs in it that no table has.');
  if (!text.trim()) throw new NoTable('There is nothing in this file.');
  return { text, encoding };
}

function encodingOf(bytes: Uint8Array): string {
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return 'utf-16le';
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return 'utf-16be';
  const looked = bytes.subarray(0, LOOKED_AT);
  const zeros = [0, 0];
  looked.forEach((byte, at) => {
    if (!byte) zeros[at % 2] = (zeros[at % 2] ?? 0) + 1;
  });
  const most = looked.length * 0.3;
  if ((zeros[1] ?? 0) > most) return 'utf-16le';
  if ((zeros[0] ?? 0) > most) return 'utf-16be';
  return isUtf8(bytes) ? 'utf-8' : 'windows-1252';
}

function isUtf8(bytes: Uint8Array): boolean {
  try {
    new TextDecoder('utf-8', { fatal: true }).decode(bytes);
    return true;
  } catch {
    return false;
  }
}
