import { createHash } from 'node:crypto';
import MailComposer from 'nodemailer/lib/mail-composer';

/** A message that we write, as its parts. */
export interface MessageParts {
  from: { name: string; address: string };
  to: { name: string; address: string }[];
  cc?: { name: string; address: string }[];
  subject: string;
  text: string;
  /** Left out where it goes as plain text alone. */
  html?: string;
  replyTo?: { name: string; address: string };
  attachments?: { filename: string; contentType: string; content: Buffer; cid?: string }[];
  /** What its Date header says. */
  date: Date;
  /** Message-IDs without angle brackets. */
  messageId: string;
  inReplyTo?: string;
  references?: readonly string[];
  headers?: Readonly<Record<string, string>>;
  /** The same parts give the same bytes, with this; left out: a boundary of chance. */
  boundary?: string;
}

type Attachment = NonNullable<MessageParts['attachments']>[number];

/** What many messages carry alike is encoded once: so many of them, each of so many bytes at most. */
const MOST_ENCODED = 24;
const MOST_BYTES = 2 * 1024 * 1024;
const CRLF = Buffer.from('\r\n');
const encoded = new Map<string, Promise<Buffer | null>>();

/** An attachment as the part of a message that it is, headers and all (RFC 2045); null where it comes to none of its own. */
async function partOf(attachment: Attachment): Promise<Buffer | null> {
  const whole = new MailComposer({ ...AS_LEFT, html: ' ', attachments: [attachment] }).compile();
  const part = whole.childNodes.find((node) => node.filename === attachment.filename);
  if (!part) return null;
  const built = await part.build();
  // The line end before the next boundary is put there by what it becomes a part of.
  return built.subarray(-2).equals(CRLF) ? built.subarray(0, -2) : built;
}

/** An attachment encoded, at once where it was before: those that were not asked for longest are forgotten. */
async function once(attachment: Attachment) {
  const { filename, contentType, cid, content } = attachment;
  // A message within a message is not encoded: it stands there as it came, to its last line end.
  const asItIs = contentType.toLowerCase().startsWith('message/') || !content.length;
  if (asItIs || content.length > MOST_BYTES) return attachment;
  const hash = createHash('sha256').update(content).digest('hex');
  const key = [hash, filename, contentType, cid ?? ''].join('\n');
  // What cannot be encoded by itself is left to the message, which says so.
  const part = encoded.get(key) ?? partOf(attachment).catch(() => null);
  encoded.delete(key);
  encoded.set(key, part);
  for (const oldest of encoded.keys()) {
    if (encoded.size <= MOST_ENCODED) break;
    encoded.delete(oldest);
  }
  const raw = await part;
  return raw ? { filename, contentType, ...(cid ? { cid } : {}), raw } : attachment;
}

/** Line ends are CRLF, nothing is fetched from anywhere. */
const AS_LEFT = { newline: 'windows', disableFileAccess: true, disableUrlAccess: true } as const;

/** The bytes of a message as they leave (RFC 5322): line ends are CRLF, nothing is fetched from anywhere. */
export async function buildMessage(parts: MessageParts): Promise<Buffer> {
  const { inReplyTo, references = [], boundary, messageId, headers, attachments = [], ...rest } = parts;
  return new MailComposer({
    ...rest,
    attachments: await Promise.all(attachments.map(once)),
    messageId: `<${messageId}>`,
    ...(inReplyTo ? { inReplyTo: `<${inReplyTo}>` } : {}),
    ...(references.length ? { references: references.map((id) => `<${id}>`) } : {}),
    ...(headers ? { headers: { ...headers } } : {}),
    ...(boundary ? { baseBoundary: boundary } : {}),
    ...AS_LEFT,
  })
    .compile()
    .build();
}
