import { randomUUID } from 'node:crypto';
import type { MailingDraft } from '../../contract/index.ts';
import { toJson } from '../foundation/json.ts';
import { MAILING, TEXT_MAILING } from './mailings.ts';
import { isLogged, senderDomain, type Recipient } from './recipients.ts';

/** The row of `dispatch` that one recipient's copy is, with its Message-ID and facts fixed. @param at when it is to leave */
export function copyFor(
  mailingId: number,
  { fileChoice, channel }: Pick<MailingDraft, 'fileChoice' | 'channel'>,
  recipient: Recipient,
  at: Date,
) {
  return {
    kind: channel === 'text' && recipient.staffId === null ? TEXT_MAILING : MAILING,
    mailing_id: mailingId,
    ...(recipient.staffId === null
      ? { client_id: recipient.clientId, person_id: recipient.personId, staff_id: null }
      : { client_id: null, person_id: null, staff_id: recipient.staffId }),
    mailbox_id: recipient.mailboxId,
    file_id: isLogged(fileChoice) ? (recipient.file?.id ?? null) : null,
    to_name: recipient.name,
    to_address: recipient.email,
    message_id: `${randomUUID()}@${senderDomain(recipient)}`,
    facts: toJson('dispatch.facts', recipient.known),
    next_at: at,
  };
}
