import { addressKey, type Mailbox } from '../address/address.ts';
import { namedMessages } from '../conversation/conversation.ts';
import { isForward, subjectKey } from '../conversation/subject.ts';
import { readAddress, type ReadMessage } from '../message/read.ts';
import { inlineMessage, writtenPart, type Written } from '../message/written.ts';
import { cut, LIMITS } from '../message/limits.ts';
import type { FilingRegister } from './register.ts';
import { listId } from './rules.ts';
import type { FilingMessage, OriginalMessage } from './types.ts';

/**
 * Prepares a message as read for filing: its parts, and the message inside it when it is a forward.
 * @param register tells by what names the writer may sign
 * @param beforehand its parts as told by the name the message shows, if they have been worked out
 */
export function filingMessage(
  register: FilingRegister,
  message: ReadMessage,
  beforehand?: Written,
): FilingMessage {
  const names = namesOf(register, message.from);
  const asShown = names.every((name) => name === message.from?.name);
  const { own, signature, footer, quoted } =
    beforehand && asShown
      ? beforehand
      : writtenPart(cut(message.text, LIMITS.filing), names, message.from?.address);
  return {
    from: message.from,
    recipients: [...message.to, ...message.cc, ...message.bcc].slice(0, MOST_PEOPLE),
    subject: message.subject,
    own: cut(own, LIMITS.filing),
    signature: cut(signature, LIMITS.line),
    footer: cut(footer, LIMITS.filing),
    quoted: cut(quoted, LIMITS.filing),
    enclosureNames: message.enclosures.slice(0, MOST_ENCLOSURES).map((part) => part.filename),
    named: namedMessages(message),
    automatic: isLetter(register, message) ? null : message.automatic,
    list: message.headers.get('list-id') ?? '',
    returned: message.report?.originalMessageId ?? null,
    undelivered: message.report?.recipients.slice(0, MOST_PEOPLE).map((each) => each.address) ?? [],
    original: originalOf(register, message, quoted),
    isReply: message.inReplyTo.length > 0 || message.references.length > 0,
    at: message.date?.getTime() ?? 0,
    forFiling: copiedTo(register.filingAddress, message),
    // What only some bear is named for all, so that all are of one shape: the engine then compiles for that one.
    unreadable: message.problem ?? undefined,
    sender: undefined,
    usuallyConfirmed: undefined,
    past: undefined,
  };
}

/**
 * Whether what bears the mark of a list is a letter to us all the same: somebody of the records wrote it to an address
 * of ours, or it came through one of our own addresses that is kept as a list and by no other.
 */
function isLetter(register: FilingRegister, message: ReadMessage): boolean {
  if (message.automatic !== 'list') return false;
  const toUs = [...message.to, ...message.cc].some(({ address }) => register.isOurs(address));
  if (toUs && message.from && register.peopleAt(message.from.address).length) return true;
  const id = listId(message.headers.get('list-id') ?? '');
  const leave = message.headers.get('list-unsubscribe') ?? '';
  return isOwnList(register, id) && (!leave || leave.toLowerCase().includes(id.slice(id.indexOf('.') + 1)));
}

/** RFC 2919: the name of a list and the domain that keeps it, parted by a dot. */
function isOwnList(register: FilingRegister, id: string): boolean {
  const labels = cut(id, LIMITS.address).split('.');
  return labels.some(
    (_, at) => at > 0 && register.isOurs(`${labels.slice(0, at).join('.')}@${labels.slice(at).join('.')}`),
  );
}

/** So many people and enclosures of one message are weighed. */
const MOST_PEOPLE = 200;
const MOST_ENCLOSURES = 100;

/** Headers in which servers note whom a hidden copy was for (RFC 9228 Delivered-To; common practice). */
const DELIVERED = ['delivered-to', 'x-original-to', 'envelope-to'];

function copiedTo(address: string, message: ReadMessage): boolean {
  if (!address) return false;
  const shown = [...message.to, ...message.cc, ...message.bcc].map((each) => each.address);
  const hidden = DELIVERED.map((name) => (message.headers.get(name) ?? '').replace(/[<>\s]/g, ''));
  return [...shown, ...hidden].some((each) => each.toLowerCase() === address);
}

/** The message that this one forwards or returns: enclosed as message/rfc822, or standing in its text. */
function originalOf(register: FilingRegister, message: ReadMessage, quoted: string): OriginalMessage | null {
  if (message.enclosed) return asOriginal(register, message.enclosed);
  const inline = inlineMessage(cut(quoted, LIMITS.filing));
  if (!inline) return null;
  const from = readAddress(inline.from)[0] ?? null;
  const { own, signature } = writtenPart(inline.text, namesOf(register, from), from?.address);
  return {
    enclosed: false,
    messageId: null,
    from,
    recipients: readAddress(inline.to).slice(0, MOST_PEOPLE),
    subject: cut(inline.subject, LIMITS.subject),
    own: cut(own, LIMITS.filing),
    signature: cut(signature, LIMITS.line),
    named: [],
  };
}

/** The names somebody may sign with: as shown, and as the records have them. */
function namesOf(register: FilingRegister, mailbox: Mailbox | null): string[] {
  if (!mailbox) return [];
  const names = register.peopleAt(mailbox.address).map((person) => person.name);
  return mailbox.name ? [mailbox.name, ...names] : names;
}

function asOriginal(register: FilingRegister, read: ReadMessage): OriginalMessage {
  const { own, signature } = writtenPart(
    cut(read.text, LIMITS.filing),
    namesOf(register, read.from),
    read.from?.address,
  );
  return {
    enclosed: true,
    messageId: read.messageId,
    from: read.from,
    recipients: [...read.to, ...read.cc].slice(0, MOST_PEOPLE),
    subject: read.subject,
    own: cut(own, LIMITS.filing),
    signature: cut(signature, LIMITS.line),
    named: namedMessages(read),
  };
}

/** Whether the message hands another on: by its subject, or because it encloses one. */
export function forwards(message: FilingMessage): boolean {
  return message.original !== null && (message.original.enclosed || isForward(message.subject));
}

/** The outside addresses of a message, sorted: the people a conversation is with. */
export function outsideAddresses(message: FilingMessage, isOurs: (address: string) => boolean): string[] {
  const addresses = [...(message.from ? [message.from] : []), ...message.recipients].map(
    (mailbox) => mailbox.address,
  );
  return [...new Set(addresses.filter((address) => address && !isOurs(address)))].sort();
}

/**
 * Under these a message is found by its subject and the people it is with, one key for each outside
 * address: what a reply still shows when its threading was lost. For a forward or a returned message,
 * the people of the original count as well.
 */
export function subjectKeys(message: FilingMessage, isOurs: (address: string) => boolean): string[] {
  const subject = subjectKey(message.subject);
  // Who sends a report is the same for reports on all the world's mail.
  const report = message.automatic === 'report';
  const people = new Set(report ? [] : outsideAddresses(message, isOurs).map(addressKey));
  for (const { address } of message.original
    ? [...(message.original.from ? [message.original.from] : []), ...message.original.recipients]
    : [])
    if (address && !isOurs(address)) people.add(addressKey(address));
  for (const address of message.undelivered) if (!isOurs(address)) people.add(addressKey(address));
  const subjects = new Set([subject, message.original ? subjectKey(message.original.subject) : '']);
  return [...subjects].filter(Boolean).flatMap((each) => [...people].sort().map((who) => `${each}\n${who}`));
}
