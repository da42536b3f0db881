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

/** The bytes of a message as they leave (RFC 5322): line ends are CRLF, nothing is fetched from anywhere. */
export function buildMessage(parts: MessageParts): Promise<Buffer> {
  const { inReplyTo, references = [], boundary, messageId, headers, ...rest } = parts;
  return new MailComposer({
    ...rest,
    messageId: `<${messageId}>`,
    ...(inReplyTo ? { inReplyTo: `<${inReplyTo}>` } : {}),
    ...(references.length ? { references: references.map((id) => `<${id}>`) } : {}),
    ...(headers ? { headers: { ...headers } } : {}),
    ...(boundary ? { baseBoundary: boundary } : {}),
    newline: 'windows',
    disableFileAccess: true,
    disableUrlAccess: true,
  })
    .compile()
    .build();
}
