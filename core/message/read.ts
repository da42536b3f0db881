import { addressParser, decodeWords, type Address } from 'postal-mime';
import type { Mailbox } from '../address/address.ts';
import { messageIds } from '../conversation/conversation.ts';
import { readBounce } from '../delivery/bounce.ts';
import { readDeliveryStatus, type DeliveryReport } from '../delivery/report.ts';
import { automaticKind, type Automatic } from './automatic.ts';
import { readChecks, type ServerChecks } from './authentication.ts';
import { decodeText, mendText } from './charset.ts';
import { plainText } from './html.ts';
import { cut, LIMITS } from './limits.ts';
import { contentOf, parseMime, textOf, type Header, type Leaf, type MimeMessage } from './mime.ts';

/** A part of a message that is not its text. */
export interface Enclosure {
  filename: string;
  mimeType: string;
  /** Without angle brackets; set for pictures the HTML shows in place. */
  contentId: string | null;
  inline: boolean;
  /** Bytes of the content, also where that is left out. */
  size: number;
  content: Uint8Array;
}

/** A message as read from its source. Message-IDs carry no angle brackets; times are UTC. */
export interface ReadMessage {
  messageId: string | null;
  inReplyTo: string[];
  references: string[];
  /** Null when there is no Date header or it makes no sense. */
  date: Date | null;
  from: Mailbox | null;
  replyTo: Mailbox[];
  to: Mailbox[];
  cc: Mailbox[];
  bcc: Mailbox[];
  subject: string;
  /** The plain text; made from the HTML when there is no plain part. */
  text: string;
  html: string | null;
  enclosures: Enclosure[];
  automatic: Automatic | null;
  report: DeliveryReport | null;
  /** The first message enclosed whole, or by its headers alone, as in a forward or a delivery report. */
  enclosed: ReadMessage | null;
  /** Every header by lower-case name, first occurrence. */
  headers: ReadonlyMap<string, string>;
  /** What servers wrote into it about its sender, the topmost first; whom to believe is not for here. */
  checks: ServerChecks[];
  /** Why it could not be read, in words; null when it was. Then only its headers are here, as far as they go. */
  problem: string | null;
}

/**
 * Reads a raw message (RFC 5322, MIME), within {@link LIMITS}. Never throws on broken input: what cannot be
 * read is empty, and `problem` says so.
 * @param raw the bytes as they came
 */
export function readMessage(raw: Uint8Array): Promise<ReadMessage> {
  return read(raw, true);
}

/**
 * The headers of a message as far as they go and, as its text, what stands below them as it stands: for one
 * that cannot be read.
 * @param problem why not, in words
 */
export async function readHead(raw: Uint8Array, problem: string): Promise<ReadMessage> {
  const text = decodeText(raw.subarray(endOfHead(raw)).subarray(0, LIMITS.text));
  const { headers } = parseMime(headOf(raw));
  return {
    ...(await asMessage({ headers, text: '', html: '', others: [], unparted: false }, false)),
    text,
    html: null,
    problem,
  };
}

async function read(raw: Uint8Array, withEnclosed: boolean): Promise<ReadMessage> {
  try {
    refuseCrumbs(raw);
    return await asMessage(withWords(contentsOf(parseMime(shortHeaders(raw))), raw), withEnclosed);
  } catch (error) {
    return readHead(raw, (error as Error).message);
  }
}

/** What a message holds: what it says, as text and as a page (both empty where it does not), and the rest. */
interface Contents {
  headers: readonly Header[];
  text: string;
  html: string;
  others: readonly Leaf[];
  /** The head tells of parts, and there are none. */
  unparted: boolean;
}

/** A text in several ways, or in one. */
interface Ways {
  plain: string[];
  html: string[];
}

/**
 * Sorts the leaves of a message: texts without a name are what it says, of several ways of one text each is taken for
 * what it is; the rest is enclosed. A text with a name is enclosed, and said as well where nothing else is.
 */
function contentsOf({ headers, leaves }: MimeMessage): Contents {
  const ways = new Map<object, Ways>();
  const others: Leaf[] = [];
  const say = (leaf: Leaf) => {
    const way = ways.get(leaf.alternative ?? leaf) ?? { plain: [], html: [] };
    ways.set(leaf.alternative ?? leaf, way);
    way[leaf.type === 'text/html' ? 'html' : 'plain'].push(textOf(leaf, MOST_TEXT));
  };
  for (const leaf of leaves)
    if (SAID.has(leaf.type) && leaf.disposition !== 'attachment' && !leaf.filename) say(leaf);
    else others.push(leaf);
  const blank = ({ plain, html }: Ways) => [...plain, ...html].every((each) => !each.trim());
  const named = [...ways.values()].every(blank)
    ? others.find(
        (leaf) => SAID.has(leaf.type) && leaf.disposition !== 'attachment' && textOf(leaf, MOST_TEXT).trim(),
      )
    : undefined;
  if (named) say(named);
  const said = [...ways.values()].map(({ plain, html }) => ({
    // A blank text beside a page says nothing.
    plain: plain.some((each) => each.trim()) || !html.length ? plain : [],
    html,
  }));
  const text = said.some(({ plain }) => plain.length)
    ? said.flatMap(({ plain, html }) => (plain.length ? plain : html.map(plainText))).reduce(joinedTexts)
    : '';
  const html = said.some((each) => each.html.length)
    ? said.map(({ plain, html: pages }) => (pages.length ? pages : plain.map(asPage)).join('\n')).join('\n')
    : '';
  const unparted = leaves.every(({ type }) => /^multipart\//.test(type));
  return { headers, text, html, others, unparted };
}

/** What is read as words by itself. */
const SAID = new Set(['text/plain', 'text/html']);
/** Bytes of one text that are decoded at all. */
const MOST_TEXT = 8 * 1024 * 1024;

/** Texts that follow each other stand apart. */
function joinedTexts(one: string, two: string): string {
  return one.endsWith('\n') ? `${one}\n${two}` : `${one}\n\n${two}`;
}

function asPage(text: string): string {
  const safe = text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;');
  return `<div>${safe.replace(/\r?\n/g, '<br>\n')}</div>`;
}

/**
 * The message with its words where its structure hides them: in an unnamed part of another or a broken type of text
 * (RFC 2045 section 5.2, RFC 2046 section 4.1.4), in parts that are not where the head says they are.
 */
function withWords(contents: Contents, raw: Uint8Array): Contents {
  if (contents.text.trim() || contents.html) return contents;
  const words = contents.others.find(
    (leaf) => !leaf.filename && leaf.disposition !== 'attachment' && TEXT.test(leaf.type),
  );
  if (words)
    return {
      ...contents,
      text: textOf(words, MOST_TEXT),
      others: contents.others.filter((leaf) => leaf !== words),
    };
  if (!contents.unparted) return contents;
  const body = decodeText(raw.subarray(endOfHead(raw)).subarray(0, LIMITS.text));
  return { ...contents, text: body, others: [] };
}

/** Types whose content is meant to be read. */
const TEXT = /^(?:text\/(?!calendar|csv|directory|vcard|x-vcard|rfc822-headers|html|xml)[^/]*|text|plain)$/i;

async function asMessage(
  { headers: all, text: said, html: page, others }: Contents,
  withEnclosed: boolean,
): Promise<ReadMessage> {
  const headers = new Map<string, string>();
  for (const { key, value } of all) if (!headers.has(key)) headers.set(key, cut(value, LIMITS.header));
  const header = (name: string) => headers.get(name) ?? null;
  const people = (name: string) =>
    flatten(
      all.filter(({ key }) => key === name).flatMap(({ value }) => addressParser(cut(value, LIMITS.header))),
    );
  const enclosures = others.slice(0, LIMITS.enclosures).map(asEnclosure);
  const from = flatten(addressParser(header('from') ?? '').slice(0, 1))[0] ?? null;
  const subject = cut(
    cut(mendText(decodeWords(header('subject') ?? '')), 4 * LIMITS.subject)
      .replace(/\s+/g, ' ')
      .trim(),
    LIMITS.subject,
  );
  const html = page ? mendText(page) : null;
  const text = said ? mendText(said) : html ? plainText(html) : '';
  const report = readReport(header, { from, subject, text }, enclosures);
  const answersInvitation = others.some((leaf) => leaf.params.method?.toUpperCase() === 'REPLY');
  return {
    messageId: messageIds(header('message-id'))[0] ?? bareMessageId(header('message-id')),
    inReplyTo: messageIds(header('in-reply-to')),
    references: messageIds(header('references')),
    date: readDate(header('date')),
    from,
    replyTo: people('reply-to'),
    to: people('to'),
    cc: people('cc'),
    bcc: people('bcc'),
    subject,
    text,
    html,
    enclosures,
    automatic: automaticKind({ header, subject, reported: report !== null, answersInvitation }),
    report,
    enclosed: withEnclosed ? await readEnclosed(enclosures) : null,
    headers,
    checks: readChecks(all),
    problem: null,
  };
}

function asEnclosure(leaf: Leaf, index: number): Enclosure {
  const content = contentOf(leaf);
  return {
    filename: cleanFilename(decodeWords(cut(leaf.filename, LIMITS.line))) || defaultName(leaf.type, index),
    mimeType: cut(leaf.type, 120),
    contentId: leaf.contentId ? cut(leaf.contentId.replace(/^<|>$/g, ''), LIMITS.messageId) : null,
    inline: leaf.disposition === 'inline' || (leaf.related && leaf.contentId !== ''),
    size: content.length,
    content,
  };
}

function bareMessageId(value: string | null): string | null {
  return cut(value?.trim() ?? '', LIMITS.messageId) || null;
}

function readEnclosed(enclosures: readonly Enclosure[]): Promise<ReadMessage | null> {
  const within =
    enclosures.find((part) => part.mimeType === 'message/rfc822') ??
    enclosures.find((part) => RETURNED.has(part.mimeType));
  return within ? read(within.content, false) : Promise.resolve(null);
}

/**
 * The parser holds every line and every piece apart, and each takes many times the room of a few letters.
 * @throws for a large message that consists of little else
 */
function refuseCrumbs(raw: Uint8Array): void {
  if (raw.length < LIMITS.lines) return;
  let lines = 0;
  let boundaries = 0;
  for (let at = raw.indexOf(10); at >= 0; at = raw.indexOf(10, at + 1)) {
    lines++;
    if (raw[at + 1] === DASH && raw[at + 2] === DASH) boundaries++;
  }
  const many = (most: number) => most.toLocaleString('en-GB');
  if (boundaries > LIMITS.boundaries)
    throw new Error(`it consists of more than ${many(LIMITS.boundaries)} pieces`);
  if (lines > LIMITS.lines && raw.length / lines < LIMITS.shortLine)
    throw new Error(`it consists of more than ${many(LIMITS.lines)} short lines`);
}

const DASH = 45;

/** Where the headers end: the index after the empty line, or the end. */
export function endOfHead(raw: Uint8Array): number {
  for (let at = 0; at < raw.length;) {
    const end = raw.indexOf(10, at);
    if (end < 0) break;
    if (end === at || (end === at + 1 && raw[at] === 13)) return end + 1;
    at = end + 1;
  }
  return raw.length;
}

/** The headers alone, each cut to the limit, as a message of its own. */
function headOf(raw: Uint8Array): Uint8Array {
  return shortHeaders(raw.subarray(0, Math.min(endOfHead(raw), 4 * LIMITS.header)));
}

/** The message with every header longer than the limit cut to it; most messages have none and come back as they are. */
function shortHeaders(raw: Uint8Array): Uint8Array {
  const head = endOfHead(raw);
  if (head <= LIMITS.header) return raw;
  const pieces: Uint8Array[] = [];
  let kept = 0;
  for (let at = 0; at < head;) {
    let end = raw.indexOf(10, at) + 1 || head;
    while (end < head && (raw[end] === 32 || raw[end] === 9)) end = raw.indexOf(10, end) + 1 || head;
    if (end - at > LIMITS.header) {
      // Its beginning and its end: of the messages it names the nearest stand last.
      pieces.push(raw.subarray(kept, at + LIMITS.header / 2), FOLD);
      kept = end - LIMITS.header / 2;
    }
    at = end;
  }
  return pieces.length ? joined([...pieces, raw.subarray(kept)]) : raw;
}

/** A line end that goes on the header (RFC 5322 section 2.2.3). */
const FOLD = new Uint8Array([13, 10, 32]);

function joined(pieces: readonly Uint8Array[]): Uint8Array {
  const whole = new Uint8Array(pieces.reduce((sum, piece) => sum + piece.length, 0));
  let at = 0;
  for (const piece of pieces) {
    whole.set(piece, at);
    at += piece.length;
  }
  return whole;
}

/** Reads an address as it stands in a header line or in a forwarded text, `Name [mailto:address]` included. */
export function readAddress(text: string): Mailbox[] {
  const line = cut(text, LIMITS.line).replace(/\[(?:mailto:)?([^\s@[\]]{1,64}@[^\s@[\]]{1,255})\]/gi, '<$1>');
  return flatten(addressParser(line));
}

function flatten(addresses: readonly Address[]): Mailbox[] {
  return addresses
    .flatMap((entry) => entry.group ?? [entry as Mailbox])
    .slice(0, LIMITS.addresses)
    .map(({ name, address }) => ({
      name: mendText(cut(name, LIMITS.address)).trim(),
      address: bareAddress(address),
    }))
    .filter(({ address }) => address);
}

/** An address without the comments and folding white space RFC 5322 lets stand within it (sections 3.2.2 and 4.4). */
function bareAddress(address: string): string {
  // Nobody has an address this long: what is cut off a broken one is no loss.
  const whole = cut(address, LIMITS.address);
  // A source route names the servers on the way (RFC 5322 section 4.4).
  if (whole.startsWith('@') && whole.includes(':'))
    return bareAddress(whole.slice(whole.lastIndexOf(':') + 1));
  if (!whole.includes('(')) return whole.includes('"') ? whole.trim() : whole.replace(/\s+/g, '');
  let bare = '';
  let depth = 0;
  for (let at = 0; at < whole.length; at++) {
    const sign = whole[at] ?? '';
    if (sign === '\\' && depth) at++;
    else if (sign === '(') depth++;
    else if (sign === ')' && depth) depth--;
    else if (!depth) bare += sign;
  }
  return bare.replace(/\s+/g, '');
}

/**
 * No path parts, control characters or marks that turn the writing direction round ("fdp.exe" read as
 * "exe.pdf"; Unicode Technical Report 36, section 2.8) in a name that will be shown and offered for saving.
 */
function cleanFilename(name: string): string {
  const plain = mendText(cut(name, LIMITS.line)).replace(
    /[\u0000-\u001f\u007f-\u009f\u200e\u200f\u061c\u202a-\u202e\u2066-\u2069]/g,
    '',
  );
  return cut(
    plain.slice(Math.max(plain.lastIndexOf('/'), plain.lastIndexOf('\\')) + 1),
    LIMITS.filename,
  ).trim();
}

function defaultName(mimeType: string, index: number): string {
  if (mimeType === 'message/rfc822') return `message-${index + 1}.eml`;
  if (mimeType === 'message/delivery-status') return 'delivery-status.txt';
  if (mimeType === 'text/rfc822-headers') return 'headers.txt';
  return `enclosure-${index + 1}`;
}

function readDate(value: string | null): Date | null {
  if (!value) return null;
  // The comment in brackets names the zone once more.
  const told = (cut(value, LIMITS.date).split('(')[0] ?? '').trim();
  const date = new Date(told);
  if (!Number.isNaN(date.getTime())) return date;
  // A zone that nobody knows says nothing of where it was written (RFC 5322 section 4.3).
  const parts = /^(.{5,60}:\d\d)\s([A-Z][A-Z0-9]{0,6})$/i.exec(told);
  if (!parts) return null;
  const zoned = new Date(`${parts[1]} ${ZONES[parts[2]?.toUpperCase() ?? ''] ?? '+0000'}`);
  return Number.isNaN(zoned.getTime()) ? null : zoned;
}

/** Zones that mail programs name by letters beside those of RFC 5322 section 4.3 (common practice). */
const ZONES: Readonly<Record<string, string>> = {
  WET: '+0000',
  WEST: '+0100',
  BST: '+0100',
  CET: '+0100',
  MET: '+0100',
  MEZ: '+0100',
  CEST: '+0200',
  MEST: '+0200',
  MESZ: '+0200',
  EET: '+0200',
  EEST: '+0300',
  MSK: '+0300',
  JST: '+0900',
};

/**
 * What the message reports of the delivery of another: its status part, whatever that lies in, with the Message-ID of
 * the returned message or of its headers (RFC 6522, RFC 3464), or what a server says in words of its own.
 */
function readReport(
  header: (name: string) => string | null,
  message: Pick<ReadMessage, 'from' | 'subject' | 'text'>,
  enclosures: readonly Enclosure[],
): DeliveryReport | null {
  const status = enclosures.find((part) => part.mimeType === 'message/delivery-status');
  const returned = enclosures.find((part) => RETURNED.has(part.mimeType));
  const originalMessageId = returned ? returnedMessageId(returned.content) : null;
  const recipients = status ? readDeliveryStatus(new TextDecoder().decode(status.content)) : [];
  if (recipients.length || (status && /^multipart\/report/i.test(header('content-type') ?? '')))
    return { recipients, originalMessageId };
  return readBounce({
    from: message.from?.address ?? '',
    returnPath: header('return-path'),
    failed: header('x-failed-recipients'),
    subject: message.subject,
    text: message.text,
    originalMessageId,
  });
}

/** A message that came back, or its headers alone (RFC 6522 section 4, RFC 3798's name for them too). */
const RETURNED = new Set([
  'message/rfc822',
  'message/global',
  'text/rfc822-headers',
  'message/rfc822-headers',
]);

function returnedMessageId(content: Uint8Array): string | null {
  const text = new TextDecoder('latin1').decode(content.subarray(0, 64_000));
  const head = text.split(/\r?\n\r?\n/)[0]?.replace(/\r?\n[ \t]+/g, ' ') ?? '';
  return messageIds(/^message-id\s*:(.*)$/im.exec(head)?.[1])[0] ?? null;
}
