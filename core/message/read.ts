import { compile } from 'html-to-text';
import PostalMime, { addressParser, type Address, type Email } from 'postal-mime';
import type { Mailbox } from '../address/address.ts';
import { messageIds } from '../conversation/conversation.ts';
import { readDeliveryStatus, type DeliveryReport } from '../delivery/report.ts';

/** A part of a message that is not its text. */
export interface Enclosure {
  filename: string;
  mimeType: string;
  /** Without angle brackets; set for pictures the HTML shows in place. */
  contentId: string | null;
  inline: boolean;
  content: Uint8Array;
}

/** Why a message was made by a machine: RFC 3834 (replies), RFC 3464 (reports), RFC 2369/2919 (lists). */
export type Automatic = 'report' | 'reply' | 'notice' | 'list';

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
}

/**
 * Reads a raw message (RFC 5322, MIME). Never throws on broken input: what cannot be read is empty.
 * @param raw the bytes as they came
 */
export function readMessage(raw: Uint8Array): Promise<ReadMessage> {
  return read(raw, true);
}

async function read(raw: Uint8Array, withEnclosed: boolean): Promise<ReadMessage> {
  const email = await parse(raw);
  const headers = new Map<string, string>();
  for (const { key, value } of email.headers) if (!headers.has(key)) headers.set(key, value);
  const header = (name: string) => headers.get(name) ?? null;
  const enclosures = email.attachments.map((part, index) => ({
    filename: cleanFilename(part.filename) || defaultName(part.mimeType, index),
    mimeType: part.mimeType || 'application/octet-stream',
    contentId: part.contentId?.replace(/^<|>$/g, '') ?? null,
    inline: part.disposition === 'inline' || part.related === true,
    content: bytesOf(part.content),
  }));
  const report = await readReport(header('content-type') ?? '', enclosures);
  return {
    messageId: messageIds(header('message-id'))[0] ?? (header('message-id')?.trim() || null),
    inReplyTo: messageIds(header('in-reply-to')),
    references: messageIds(header('references')),
    date: readDate(header('date')),
    from: flatten(email.from ? [email.from] : [])[0] ?? null,
    replyTo: flatten(email.replyTo ?? []),
    to: flatten(email.to ?? []),
    cc: flatten(email.cc ?? []),
    bcc: flatten(email.bcc ?? []),
    subject: (email.subject ?? '').replace(/\s+/g, ' ').trim(),
    text: email.text ?? (email.html ? plainText(email.html) : ''),
    html: email.html ?? null,
    enclosures,
    automatic: automaticKind(header, report),
    report,
    enclosed: withEnclosed ? await readEnclosed(enclosures) : null,
    headers,
  };
}

function readEnclosed(enclosures: readonly Enclosure[]): Promise<ReadMessage | null> {
  const within =
    enclosures.find((part) => part.mimeType === 'message/rfc822') ??
    enclosures.find((part) => part.mimeType === 'text/rfc822-headers');
  return within ? read(within.content, false) : Promise.resolve(null);
}

async function parse(raw: Uint8Array): Promise<Email> {
  try {
    return await PostalMime.parse(raw, { forceRfc822Attachments: true, maxNestingDepth: 60 });
  } catch {
    return { headers: [], headerLines: [], attachments: [], text: new TextDecoder().decode(raw) };
  }
}

/** Put together once: working the selectors out takes longer than most conversions. */
const toText = compile({
  wordwrap: false,
  selectors: [
    { selector: 'img', format: 'skip' },
    { selector: 'a', options: { ignoreHref: true } },
    ...['h1', 'h2', 'h3', 'h4'].map((selector) => ({ selector, options: { uppercase: false } })),
    { selector: 'table', format: 'dataTable', options: { uppercaseHeaderCells: false } },
  ],
  limits: { maxInputLength: 2_000_000 },
});

/** The words of an HTML body, for reading, search and filing. */
export function plainText(html: string): string {
  return toText(html);
}

/** Reads an address as it stands in a header line or in a forwarded text, `Name [mailto:address]` included. */
export function readAddress(text: string): Mailbox[] {
  return flatten(addressParser(text.replace(/\[(?:mailto:)?([^\]\s]+@[^\]\s]+)\]/gi, '<$1>')));
}

function flatten(addresses: readonly Address[]): Mailbox[] {
  return addresses
    .flatMap((entry) => entry.group ?? [entry as Mailbox])
    .map(({ name, address }) => ({ name: name.trim(), address: bareAddress(address) }))
    .filter(({ address }) => address);
}

/** An address without the comments and folding white space RFC 5322 lets stand within it (sections 3.2.2 and 4.4). */
function bareAddress(address: string): string {
  let bare = address;
  for (let before = ''; before !== bare;) {
    before = bare;
    bare = bare.replace(/\((?:[^()\\]|\\.)*\)/g, '');
  }
  return bare === address ? address.trim() : bare.replace(/\s+/g, '');
}

function bytesOf(content: ArrayBuffer | Uint8Array | string): Uint8Array {
  if (typeof content === 'string') return new TextEncoder().encode(content);
  return content instanceof Uint8Array ? content : new Uint8Array(content);
}

/** No path parts or control characters in a name that will be offered for saving. */
function cleanFilename(name: string | null): string {
  return (name ?? '')
    .replace(/[\u0000-\u001f\u007f]/g, '')
    .replace(/^.*[/\\]/, '')
    .slice(0, 200)
    .trim();
}

function defaultName(mimeType: string, index: number): string {
  if (mimeType === 'message/rfc822') return `message-${index + 1}.eml`;
  if (mimeType === 'message/delivery-status') return 'delivery-status.txt';
  if (mimeType === 'text/rfc822-headers') return 'headers.txt';
  return `enclosure-${index + 1}`;
}

function readDate(value: string | null): Date | null {
  if (!value) return null;
  const date = new Date(value.replace(/\([^)]*\)/g, ' ').trim());
  return Number.isNaN(date.getTime()) ? null : date;
}

function automaticKind(
  header: (name: string) => string | null,
  report: DeliveryReport | null,
): Automatic | null {
  const type = (header('content-type') ?? '').toLowerCase();
  if (report || (type.startsWith('multipart/report') && type.includes('delivery-status'))) return 'report';
  const submitted = (header('auto-submitted') ?? 'no').toLowerCase().split(';')[0]?.trim() ?? 'no';
  if (submitted.startsWith('auto-replied')) return 'reply';
  if (header('list-id') || header('list-unsubscribe') || header('list-post')) return 'list';
  const precedence = (header('precedence') ?? '').toLowerCase().trim();
  if (precedence === 'auto_reply') return 'reply';
  if (submitted !== 'no') return header('in-reply-to') ? 'reply' : 'notice';
  if (precedence === 'bulk' || precedence === 'list' || precedence === 'junk') return 'list';
  return null;
}

/**
 * The report inside a `multipart/report; report-type=delivery-status` message: its status part and the
 * Message-ID of the returned message or of its headers (RFC 6522, RFC 3464).
 */
async function readReport(
  contentType: string,
  enclosures: readonly Enclosure[],
): Promise<DeliveryReport | null> {
  if (!/^multipart\/report/i.test(contentType)) return null;
  const status = enclosures.find((part) => part.mimeType === 'message/delivery-status');
  if (!status) return null;
  const returned = enclosures.find(
    (part) => part.mimeType === 'message/rfc822' || part.mimeType === 'text/rfc822-headers',
  );
  return {
    recipients: readDeliveryStatus(new TextDecoder().decode(status.content)),
    originalMessageId: returned ? returnedMessageId(returned.content) : null,
  };
}

function returnedMessageId(content: Uint8Array): string | null {
  const text = new TextDecoder('latin1').decode(content.subarray(0, 64_000));
  const head = text.split(/\r?\n\r?\n/)[0]?.replace(/\r?\n[ \t]+/g, ' ') ?? '';
  return messageIds(/^message-id\s*:(.*)$/im.exec(head)?.[1])[0] ?? null;
}
