import { readAddress } from '../../core/message/read.ts';
import type { Folder, KeptMessage } from '../store.ts';
import { imapDate, quoted, textOf, type Token } from './syntax.ts';

const MACROS: Record<string, string[]> = {
  ALL: ['FLAGS', 'INTERNALDATE', 'RFC822.SIZE', 'ENVELOPE'],
  FAST: ['FLAGS', 'INTERNALDATE', 'RFC822.SIZE'],
};

/** The data items a FETCH asks for, upper case (RFC 3501 section 6.4.5). */
export function fetchItems(token: Token | undefined): string[] {
  const items = token && 'list' in token ? token.list.map(textOf) : [textOf(token)];
  return items.flatMap((item) => MACROS[item.toUpperCase()] ?? [item.toUpperCase()]);
}

/** One row of FETCH data, in parentheses. */
export function fetchRow(folder: Folder, message: KeptMessage, items: readonly string[]): Buffer {
  const parts: Buffer[] = [];
  for (const item of items) {
    parts.push(Buffer.from(parts.length ? ' ' : '('), ...itemData(folder, message, item));
  }
  return Buffer.concat([...parts, Buffer.from(')')]);
}

function itemData(folder: Folder, message: KeptMessage, item: string): Buffer[] {
  const text = (value: string) => [Buffer.from(`${item} ${value}`)];
  switch (item) {
    case 'UID':
      return text(String(message.uid));
    case 'FLAGS':
      return text(`(${[...message.flags].join(' ')})`);
    case 'INTERNALDATE':
      return text(imapDate(message.internalDate));
    case 'RFC822.SIZE':
      return text(String(message.size));
    case 'MODSEQ':
      return text(`(${message.modseq})`);
    case 'ENVELOPE':
      return text(envelope(headOf(folder, message)));
    default:
      return section(folder, message, item);
  }
}

function section(folder: Folder, message: KeptMessage, item: string): Buffer[] {
  const body = /^BODY(?:\.PEEK)?\[([^\]]*)\](?:<(\d+)\.(\d+)>)?$/.exec(item === 'RFC822' ? 'BODY[]' : item);
  if (!body) throw new Error(`${item} cannot be fetched here`);
  const [, what = '', from, length] = body;
  let bytes: Buffer;
  if (what === '') {
    bytes = from === undefined ? folder.read(message) : folder.read(message, Number(from), Number(length));
  } else {
    const whole = sectionBytes(folder, message, what);
    bytes = from === undefined ? whole : whole.subarray(Number(from), Number(from) + Number(length));
  }
  const name = item === 'RFC822' ? 'RFC822' : `BODY[${what}]${from === undefined ? '' : `<${from}>`}`;
  return [Buffer.from(`${name} {${bytes.length}}\r\n`), bytes];
}

function sectionBytes(folder: Folder, message: KeptMessage, what: string): Buffer {
  const fields = /^HEADER\.FIELDS(\.NOT)? \(([^)]*)\)$/.exec(what);
  if (what !== 'HEADER' && what !== 'TEXT' && !fields)
    throw new Error(`BODY[${what}] cannot be fetched here`);
  const raw = folder.read(message);
  const end = headEnd(raw);
  if (what === 'HEADER') return raw.subarray(0, end);
  if (what === 'TEXT') return raw.subarray(end);
  const wanted = new Set((fields?.[2] ?? '').split(' '));
  const kept = headerLines(raw.subarray(0, end).toString('latin1')).filter(
    (line) => wanted.has(line.slice(0, line.indexOf(':')).trim().toUpperCase()) !== Boolean(fields?.[1]),
  );
  return Buffer.from(`${kept.join('')}\r\n`, 'latin1');
}

function headEnd(raw: Buffer): number {
  const crlf = raw.indexOf('\r\n\r\n');
  if (crlf >= 0) return crlf + 4;
  const lf = raw.indexOf('\n\n');
  return lf >= 0 ? lf + 2 : raw.length;
}

function headOf(folder: Folder, message: KeptMessage): string {
  const start = folder.read(message, 0, 65_536);
  return start.subarray(0, headEnd(start)).toString('latin1');
}

function headerLines(head: string): string[] {
  return head.match(/^[^\s:][^:\r\n]*:[^\r\n]*\r?\n(?:[ \t][^\r\n]*\r?\n)*/gm) ?? [];
}

/** ENVELOPE (RFC 3501 section 7.4.2), addresses as they stand in the headers. */
function envelope(head: string): string {
  const fields = new Map<string, string>();
  for (const line of headerLines(head)) {
    const colon = line.indexOf(':');
    const value = line
      .slice(colon + 1)
      .replace(/\r?\n[ \t]+/g, ' ')
      .trim();
    fields.set(line.slice(0, colon).trim().toLowerCase(), value);
  }
  const field = (name: string) => quoted(fields.get(name) ?? null);
  const list = (name: string) => addresses(fields.get(name) ?? '');
  const from = list('from');
  const or = (value: string) => (value === 'NIL' ? from : value);
  return `(${field('date')} ${field('subject')} ${from} ${or(list('sender'))} ${or(list('reply-to'))} ${list('to')} ${list('cc')} ${list('bcc')} ${field('in-reply-to')} ${field('message-id')})`;
}

function addresses(value: string): string {
  const found = readAddress(value).map(({ name, address }) => {
    const at = address.lastIndexOf('@');
    return `(${quoted(name || null)} NIL ${quoted(address.slice(0, at))} ${quoted(address.slice(at + 1))})`;
  });
  return found.length ? `(${found.join('')})` : 'NIL';
}

/** A list of numbers as the shortest set: `1:3,7`. */
export function compress(numbers: readonly number[]): string {
  const ranges: [number, number][] = [];
  for (const number of numbers) {
    const last = ranges.at(-1);
    if (last && last[1] + 1 === number) last[1] = number;
    else ranges.push([number, number]);
  }
  return ranges.map(([from, to]) => (from === to ? from : `${from}:${to}`)).join(',');
}
