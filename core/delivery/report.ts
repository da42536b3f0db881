import { cut, LIMITS } from '../message/limits.ts';

/** One recipient's part of a delivery status report (RFC 3464 section 2.3). */
export interface ReportedRecipient {
  address: string;
  action: 'failed' | 'delayed' | 'delivered' | 'relayed' | 'expanded';
  /** Enhanced status code of RFC 3463, such as `5.1.1`. */
  status: string;
  diagnostic: string;
}

export interface DeliveryReport {
  recipients: ReportedRecipient[];
  /** Message-ID of the message the report is about, when its headers came back with it. */
  originalMessageId: string | null;
}

const ACTIONS = new Set(['failed', 'delayed', 'delivered', 'relayed', 'expanded']);

/**
 * Reads the body of a `message/delivery-status` part: groups of header fields parted by empty lines,
 * the first about the message, the others one a recipient.
 */
export function readDeliveryStatus(body: string): ReportedRecipient[] {
  const groups = cut(body, LIMITS.header)
    .replace(/\r\n?/g, '\n')
    .split(/\n[ \t]*\n/);
  const recipients: ReportedRecipient[] = [];
  for (const group of groups) {
    const fields = new Map<string, string>();
    for (const line of group.replace(/\n[ \t]+/g, ' ').split('\n')) {
      const colon = line.indexOf(':');
      if (colon > 0) fields.set(line.slice(0, colon).trim().toLowerCase(), line.slice(colon + 1).trim());
    }
    const final = fields.get('final-recipient') ?? fields.get('original-recipient');
    const action = fields.get('action')?.toLowerCase() ?? '';
    if (!final || !ACTIONS.has(action)) continue;
    if (recipients.length >= LIMITS.reported) break;
    recipients.push({
      address: cut(afterType(final), LIMITS.address),
      action: action as ReportedRecipient['action'],
      status: /\d\.\d{1,3}\.\d{1,3}/.exec(fields.get('status') ?? '')?.[0] ?? '',
      diagnostic: cut(afterType(fields.get('diagnostic-code') ?? ''), LIMITS.line),
    });
  }
  return recipients;
}

/** Drops the leading type of an `address-type; address` or `diagnostic-type; text` value. */
function afterType(value: string): string {
  const semicolon = value.indexOf(';');
  return (semicolon < 0 ? value : value.slice(semicolon + 1)).trim().replace(/^<|>$/g, '');
}

/** Hard when trying again cannot help (class 5 of RFC 3463), save for a full mailbox (x.2.2), which empties. */
export function returnKind(status: string): 'hard' | 'soft' {
  return status.startsWith('5') && !/^\d\.2\.2$/.test(status) ? 'hard' : 'soft';
}

/** Says in words why a message came back, from the status code's subject (RFC 3463 section 3). */
export function returnWords(status: string): string {
  if (/^\d\.1\.[1236]$/.test(status)) return 'the address does not exist';
  if (/^\d\.2\.2$/.test(status)) return 'the mailbox is full';
  if (/^\d\.2\.1$/.test(status)) return 'the mailbox is closed';
  if (/^\d\.3\.4$/.test(status) || /^\d\.2\.3$/.test(status)) return 'the message was too large';
  if (/^\d\.4\./.test(status)) return 'their server could not be reached';
  if (/^\d\.7\./.test(status)) return 'their server refused it by policy';
  return 'it could not be delivered';
}
