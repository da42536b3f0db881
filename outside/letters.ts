import MailComposer from 'nodemailer/lib/mail-composer';
import { readMessage, type ReadMessage } from '../core/message/read.ts';
import { writtenPart } from '../core/message/written.ts';
import { pick } from './random.ts';
import type { Correspondent } from './settings.ts';

/** Composes a raw message; dates and Message-IDs are the caller's, so that everything is repeatable. */
export async function compose(mail: ConstructorParameters<typeof MailComposer>[0]): Promise<Buffer> {
  return new MailComposer({ newline: 'windows', ...mail }).compile().build();
}

const THOUGHTS = [
  'Thank you, that is clear. Please go ahead.',
  'Thanks for this. Could we talk it over on Thursday? The morning suits me better.',
  'Does this cover the strip along the brook as well, or only the upper ground?',
  'I shall have to ask my sister, who owns the other half. I will come back to you next week.',
  'Good to know. We had been wondering when to hear.',
  'Could you send me the form again? I cannot find the last one.',
  'Yes please, put us down for it.',
  'Not this year, I think, but do keep us in mind.',
  'We are in the middle of lambing. May I answer properly at the weekend?',
  'That date falls badly for us. Is there another?',
];

/** An answer as this correspondent would write it. */
export async function answer(
  who: Correspondent,
  received: ReadMessage,
  random: () => number,
  at: Date,
  text?: string,
): Promise<Buffer> {
  const from = who.behaviour === 'other-address' && who.otherAddress ? who.otherAddress : who.address;
  const threaded = who.behaviour !== 'no-references' && received.messageId;
  const to = received.replyTo[0] ?? received.from;
  const first = to?.name.split(' ')[0] ?? '';
  const quoted = writtenPart(received.text)
    .own.split('\n')
    .map((line) => `> ${line}`);
  const words = text ?? pick(random, THOUGHTS);
  const body = [
    `Dear ${first || 'all'},`,
    '',
    words,
    '',
    who.name || from,
    '',
    introduction(received),
    ...quoted,
  ];
  return compose({
    from: { name: who.name, address: from },
    to: to ? { name: to.name, address: to.address } : undefined,
    subject: /^re:/i.test(received.subject) ? received.subject : `Re: ${received.subject}`,
    text: body.join('\n'),
    date: at,
    messageId: newMessageId(from, random, at),
    ...(threaded
      ? {
          inReplyTo: `<${received.messageId}>`,
          references: [...received.references, received.messageId ?? ''].map((id) => `<${id}>`),
        }
      : {}),
  });
}

function introduction(received: ReadMessage): string {
  const when = received.date ? received.date.toUTCString().slice(0, 22) : 'an earlier day';
  return `On ${when}, ${received.from?.name || received.from?.address || 'you'} wrote:`;
}

/** An out-of-office answer (RFC 3834). */
export function outOfOffice(
  who: Correspondent,
  received: ReadMessage,
  random: () => number,
  at: Date,
): Promise<Buffer> {
  return compose({
    from: { name: who.name, address: who.address },
    to: received.from?.address,
    subject: `Out of office: ${received.subject}`,
    text: `I am away from my desk until Monday week and shall answer then.\n\n${who.name}\n`,
    date: at,
    messageId: newMessageId(who.address, random, at),
    headers: { 'Auto-Submitted': 'auto-replied' },
    ...(received.messageId
      ? { inReplyTo: `<${received.messageId}>`, references: `<${received.messageId}>` }
      : {}),
  });
}

/** A message a correspondent begins of their own accord. */
export function letter(
  who: Correspondent,
  to: string,
  subject: string,
  text: string,
  random: () => number,
  at: Date,
): Promise<Buffer> {
  return compose({
    from: { name: who.name, address: who.address },
    to,
    subject,
    text,
    date: at,
    messageId: newMessageId(who.address, random, at),
  });
}

export function newMessageId(address: string, random: () => number, at: Date): string {
  const part = () =>
    Math.floor(random() * 0xffffffff)
      .toString(16)
      .padStart(8, '0');
  return `<${part()}${part()}.${at.getTime().toString(36)}@${address.split('@')[1] ?? 'outside.example'}>`;
}

/** A delivery status report about one recipient (RFC 3464, within the multipart/report of RFC 6522). */
export async function deliveryReport(
  raw: Buffer,
  recipient: string,
  status: string,
  said: string,
  random: () => number,
  at: Date,
): Promise<Buffer> {
  const original = await readMessage(raw);
  const host = recipient.split('@')[1] ?? 'outside.example';
  const boundary = `report-${Math.floor(random() * 1e12).toString(36)}`;
  const end = raw.indexOf('\r\n\r\n');
  const head = raw.subarray(0, end < 0 ? raw.length : end).toString('latin1');
  const lines = [
    `From: Mail delivery <mailer-daemon@${host}>`,
    `To: ${original.from?.address ?? ''}`,
    'Subject: Undeliverable message returned to sender',
    `Date: ${at.toUTCString().replace('GMT', '+0000')}`,
    `Message-ID: ${newMessageId(`mailer-daemon@${host}`, random, at)}`,
    'Auto-Submitted: auto-replied',
    'MIME-Version: 1.0',
    `Content-Type: multipart/report; report-type=delivery-status; boundary="${boundary}"`,
    '',
    `--${boundary}`,
    'Content-Type: text/plain; charset=us-ascii',
    '',
    `Your message to ${recipient} could not be delivered.`,
    `The receiving server said: ${said}`,
    '',
    `--${boundary}`,
    'Content-Type: message/delivery-status',
    '',
    `Reporting-MTA: dns; mx.${host}`,
    `Arrival-Date: ${at.toUTCString().replace('GMT', '+0000')}`,
    '',
    `Final-Recipient: rfc822; ${recipient}`,
    'Action: failed',
    `Status: ${status}`,
    `Diagnostic-Code: smtp; ${said}`,
    '',
    `--${boundary}`,
    'Content-Type: text/rfc822-headers',
    '',
    head,
    '',
    `--${boundary}--`,
    '',
  ];
  return Buffer.from(lines.join('\r\n'), 'latin1');
}
