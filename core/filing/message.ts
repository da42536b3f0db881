import type { ReadMessage } from '../message/read.ts';
import { writtenPart, type Written } from '../message/written.ts';
import { namedMessages } from '../conversation/conversation.ts';
import type { FilingMessage } from './types.ts';

/** Prepares a message as read for filing. */
export function filingMessage(
  message: ReadMessage,
  written: Written = writtenPart(message.text),
): FilingMessage {
  return {
    from: message.from,
    recipients: [...message.to, ...message.cc, ...message.bcc],
    subject: message.subject,
    own: written.own,
    quoted: written.quoted,
    named: namedMessages(message),
    automatic: message.automatic,
    returned: message.report?.originalMessageId ?? null,
    undelivered: message.report?.recipients.map((recipient) => recipient.address) ?? [],
  };
}

/** The outside addresses of a message, sorted: the people a conversation is with. */
export function outsideAddresses(message: FilingMessage, isOurs: (address: string) => boolean): string[] {
  const addresses = [...(message.from ? [message.from] : []), ...message.recipients].map(
    (mailbox) => mailbox.address,
  );
  return [...new Set(addresses.filter((address) => address && !isOurs(address)))].sort();
}
