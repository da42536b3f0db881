import iconv from 'iconv-lite';
import libmime from 'libmime';
import libqp from 'libqp';
import { decodeAs, decodeText } from './charset.ts';
import { unflowed } from './flowed.ts';
import { cut, LIMITS } from './limits.ts';

/** One header as it stands, unfolded; the name in small letters. */
export interface Header {
  key: string;
  value: string;
}

/** A part that holds something: text, a picture, a message within the message. */
export interface Leaf {
  /** In small letters; `text/plain` where the message says nothing (RFC 2045 section 5.2). */
  type: string;
  params: Readonly<Record<string, string>>;
  disposition: string;
  /** Encoded words in it are not decoded. */
  filename: string;
  contentId: string;
  encoding: string;
  /** The nearest part around it that offers its content in several ways, if any. */
  alternative: object | null;
  /** Something around it holds what belongs to a page. */
  related: boolean;
  /** As it stands in the message, still encoded. */
  body: Uint8Array;
}

/** The structure of a message (RFC 2045, RFC 2046): its headers, and its leaves in order. */
export interface MimeMessage {
  headers: Header[];
  leaves: Leaf[];
}

/** Characters of a part's head that are looked at. */
const MOST_HEAD = 2 * 1024 * 1024;
const DASH = 45;
const NEWLINE = 10;
const RETURN = 13;

interface Node {
  leaf: Leaf;
  headers: Header[];
  bodyAt: number;
  /** Of a part that holds parts. */
  boundary: Buffer | null;
  subtype: string;
}

/**
 * Takes a message apart at its boundaries, in one pass. A part that is not closed ends where what holds it goes on; a
 * body without a boundary, or with none in it, has no parts.
 * @throws when parts lie deeper within each other than {@link LIMITS.parts}
 */
export function parseMime(source: Uint8Array): MimeMessage {
  const raw = Buffer.from(source.buffer, source.byteOffset, source.byteLength);
  const root = readNode(raw, 0, null, '');
  const leaves: Leaf[] = [];
  const stack: Node[] = root.boundary ? [root] : [];
  let open: Node | null = root.boundary ? null : root;
  let at = 0;
  const end = (to: number) => {
    if (!open) return;
    open.leaf.body = raw.subarray(Math.min(open.bodyAt, to), to);
    leaves.push(open.leaf);
    open = null;
  };
  for (let start = stack.length ? nextDashes(raw, at) : -1; start >= 0; start = nextDashes(raw, at)) {
    const found = raw.indexOf(NEWLINE, start);
    const lineEnd = found < 0 ? raw.length : found;
    at = Math.min(lineEnd + 1, raw.length);
    const place = boundaryAt(raw, start, lineEnd, stack);
    if (place) {
      end(beforeBreak(raw, start));
      stack.length = place.closes ? place.index : place.index + 1;
      const parent = stack[place.index];
      if (!place.closes && parent) {
        if (stack.length > LIMITS.parts)
          throw new Error(`it holds more than ${LIMITS.parts} parts within parts`);
        const node = readNode(raw, at, parent.leaf, parent.subtype);
        if (node.boundary) stack.push(node);
        else open = node;
      }
      if (!stack.length) break;
    }
    if (at >= raw.length) break;
  }
  end(raw.length);
  return { headers: root.headers, leaves };
}

/** Where the next line begins that starts with two dashes; -1 when there is none. */
function nextDashes(raw: Buffer, at: number): number {
  if ((at === 0 || raw[at - 1] === NEWLINE) && raw[at] === DASH && raw[at + 1] === DASH) return at;
  const found = raw.indexOf('\n--', Math.max(0, at - 1), 'latin1');
  return found < 0 ? -1 : found + 1;
}

/** Which of the open boundaries the line is, the innermost first, and whether it closes. */
function boundaryAt(
  raw: Buffer,
  start: number,
  lineEnd: number,
  stack: readonly Node[],
): { index: number; closes: boolean } | null {
  for (let index = stack.length - 1; index >= 0; index--) {
    const boundary = stack[index]?.boundary;
    if (!boundary) continue;
    let at = start + 2 + boundary.length;
    if (at > lineEnd || raw.compare(boundary, 0, boundary.length, start + 2, at) !== 0) continue;
    const closes = at + 1 < lineEnd + 1 && raw[at] === DASH && raw[at + 1] === DASH;
    if (closes) at += 2;
    // White space may follow (RFC 2046 section 5.1.1).
    while (at < lineEnd && (raw[at] === 32 || raw[at] === 9 || raw[at] === RETURN)) at++;
    if (at === lineEnd) return { index, closes };
  }
  return null;
}

/** The line break before a boundary belongs to it (RFC 2046 section 5.1.1). */
function beforeBreak(raw: Buffer, at: number): number {
  if (at > 0 && raw[at - 1] === NEWLINE) return at > 1 && raw[at - 2] === RETURN ? at - 2 : at - 1;
  return at;
}

function readNode(raw: Buffer, at: number, parent: Leaf | null, parentSubtype: string): Node {
  const { headers, bodyAt } = readHead(raw, at);
  const type = structured(first(headers, 'content-type'));
  const disposition = structured(first(headers, 'content-disposition'));
  const fallback = parentSubtype === 'digest' ? 'message/rfc822' : 'text/plain';
  const value = type.value || fallback;
  const multipart = /^multipart\//.test(value);
  const subtype = multipart ? value.slice('multipart/'.length) : '';
  const leaf: Leaf = {
    type: value,
    params: type.params,
    disposition: disposition.value,
    filename: disposition.params.filename ?? type.params.name ?? '',
    contentId: first(headers, 'content-id'),
    encoding:
      /[\w-]+/.exec(withoutComments(first(headers, 'content-transfer-encoding')).toLowerCase())?.[0] ?? '',
    alternative: parent?.alternative ?? null,
    related: parent?.related ?? false,
    body: raw.subarray(0, 0),
  };
  if (subtype === 'alternative') leaf.alternative = leaf;
  if (subtype === 'related') leaf.related = true;
  const boundary = multipart && type.params.boundary ? Buffer.from(type.params.boundary) : null;
  return { leaf, headers, bodyAt, boundary, subtype };
}

function first(headers: readonly Header[], key: string): string {
  return headers.find((header) => header.key === key)?.value ?? '';
}

/** The headers of a part from where it begins, and where its body does: after the first empty line. */
function readHead(raw: Buffer, at: number): { headers: Header[]; bodyAt: number } {
  let end = at;
  let bodyAt = raw.length;
  for (let line = at; line < raw.length;) {
    const found = raw.indexOf(NEWLINE, line);
    const lineEnd = found < 0 ? raw.length : found;
    if (lineEnd === line || (lineEnd === line + 1 && raw[line] === RETURN)) {
      bodyAt = Math.min(lineEnd + 1, raw.length);
      break;
    }
    end = lineEnd;
    line = lineEnd + 1;
    // Parts without an empty line end where the next begins.
    if (at > 0 && raw[line] === DASH && raw[line + 1] === DASH) {
      bodyAt = line;
      break;
    }
  }
  return { headers: headersOf(decodeText(raw.subarray(at, Math.min(end, at + MOST_HEAD)))), bodyAt };
}

/** Lines that begin with a blank go on the one before (RFC 5322 section 2.2.3); of white space only blank and tab count. */
function headersOf(head: string): Header[] {
  const whole: string[][] = [];
  for (const each of head.split('\n')) {
    const line = each.endsWith('\r') ? each.slice(0, -1) : each;
    const before = line.startsWith(' ') || line.startsWith('\t') ? whole.at(-1) : undefined;
    if (before) before.push(line);
    else whole.push([line]);
  }
  return whole.map(headerOf).filter(({ key }) => key);
}

function headerOf(lines: readonly string[]): Header {
  const line = lines.join('');
  const colon = line.indexOf(':');
  const key = trimmed(colon < 0 ? line : line.slice(0, colon)).toLowerCase();
  return { key, value: colon < 0 ? '' : trimmed(line.slice(colon + 1).replaceAll('\r', ' ')) };
}

/** Only the white space that RFC 5322 allows: a name with another before it is another name. */
function trimmed(text: string): string {
  let start = 0;
  let end = text.length;
  while (start < end && (text[start] === ' ' || text[start] === '\t')) start++;
  while (end > start && (text[end - 1] === ' ' || text[end - 1] === '\t')) end--;
  return text.slice(start, end);
}

/** A header of a value and parameters (RFC 2045 section 5.1, RFC 2231), names and the value in small letters. */
function structured(header: string): { value: string; params: Record<string, string> } {
  if (!header) return { value: '', params: {} };
  const { value, params } = libmime.parseHeaderValue(withoutComments(cut(header, LIMITS.header)));
  return { value: trimmed(value).toLowerCase(), params };
}

/** Without comments outside of quotation marks (RFC 5322 section 3.2.2). */
function withoutComments(text: string): string {
  if (!text.includes('(')) return text;
  let bare = '';
  let depth = 0;
  let quoted = false;
  for (let at = 0; at < text.length; at++) {
    const sign = text[at] ?? '';
    if (sign === '\\' && (quoted || depth)) {
      if (!depth) bare += sign + (text[at + 1] ?? '');
      at++;
    } else if (sign === '"' && !depth) {
      quoted = !quoted;
      bare += sign;
    } else if (sign === '(' && !quoted) depth++;
    else if (sign === ')' && depth) depth--;
    else if (!depth) bare += sign;
  }
  return bare;
}

/** The content of a leaf, byte for byte as it was before it was encoded for the way (RFC 2045 section 6). */
export function contentOf({ encoding, body }: Leaf): Uint8Array {
  const bytes = Buffer.from(body.buffer, body.byteOffset, body.byteLength);
  if (encoding === 'base64') return Buffer.from(bytes.toString('latin1'), 'base64');
  return encoding === 'quoted-printable' ? libqp.decode(bytes.toString('latin1')) : body;
}

/** The text of a leaf, within the limit: in the charset it says, or is seen to be in; line ends are one sign. */
export function textOf(leaf: Leaf, most: number): string {
  const bytes = contentOf(leaf).subarray(0, most);
  const text = decodeAs(bytes, leaf.params.charset ?? '', decodeByName).replaceAll('\r\n', '\n');
  return leaf.params.format?.toLowerCase() === 'flowed'
    ? unflowed(text, leaf.params.delsp?.toLowerCase() === 'yes')
    : text;
}

/** Of one byte a letter, where this decoder is righter than the platform's. */
const SINGLE = /^(?:iso-?8859|windows-?\d|cp-?\d|koi8|mac|ibm|tis|viscii)/;

/** @returns null for a charset nobody knows */
function decodeByName(bytes: Uint8Array, charset: string): string | null {
  const byTable = () => (iconv.encodingExists(charset) ? iconv.decode(Buffer.from(bytes), charset) : null);
  if (SINGLE.test(charset)) return byTable();
  try {
    return new TextDecoder(charset).decode(bytes);
  } catch {
    return byTable();
  }
}
