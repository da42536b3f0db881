import { cut, LIMITS } from '../message/limits.ts';

/** One recipient's part of a delivery status report (RFC 3464 section 2.3). */
export interface ReportedRecipient {
  address: string;
  /** To whom it was sent at first, where a server handed it on. */
  original?: string;
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
    const original = fields.get('original-recipient');
    const final = fields.get('final-recipient') ?? original;
    const action = /^[a-z]+/.exec(fields.get('action')?.toLowerCase() ?? '')?.[0] ?? '';
    if (!final || !ACTIONS.has(action)) continue;
    if (recipients.length >= LIMITS.reported) break;
    const diagnostic = cut(afterType(fields.get('diagnostic-code') ?? ''), LIMITS.line);
    const address = cut(afterType(final), LIMITS.address);
    const first = cut(afterType(original ?? ''), LIMITS.address);
    recipients.push({
      address,
      ...(first && first !== address ? { original: first } : {}),
      action: action as ReportedRecipient['action'],
      status: statusIn(fields.get('status') ?? '') || statusIn(diagnostic),
      diagnostic,
    });
  }
  return recipients;
}

/** Drops the leading type of an `address-type; address` or `diagnostic-type; text` value. */
function afterType(value: string): string {
  const semicolon = value.indexOf(';');
  return (semicolon < 0 ? value : value.slice(semicolon + 1)).trim().replace(/^<|>$/g, '');
}

/** The first enhanced status code of a failure in words, or the nearest one to a reply code of SMTP; empty for none. */
export function statusIn(words: string): string {
  return /(?<![\d.])[245]\.\d{1,3}\.\d{1,3}(?![\d.])/.exec(words)?.[0] ?? '';
}

/** Codes that say no more than that it failed (RFC 3463 section 3.1: "other or undefined"). */
const VAGUE = /^5\.(?:\d+\.0|5\.\d+)$|^$/;
/** How servers say in words that there is nobody at an address (common practice). */
const NOBODY =
  /(?:user|recipient|address|mailbox|account|addressee)\b.{0,40}\b(?:unknown|not found|does ?n[o']t exist|do not exist|not exist|disabled|inactive|no longer|invalid|not known|not listed|deactivated|unavailable)|(?:no such|unknown|invalid|bad|inactive|disabled|nonexistent) (?:user|recipient|address|mailbox|account|local|domain|destination)|host (?:or domain )?(?:name )?(?:unknown|not found)|domain not found|does not have an? .{0,30}account|no mailbox here/i;
/** How they say that it is the message, the sender or the moment that they refuse. */
const REFUSED =
  /spam|block|black ?list|policy|reputation|content|virus|quota|full|over.?limit|too (?:large|big|long)|size|relay|denied|verif|grey|authenti|dkim|spf|dmarc|sender|temporar/i;

/**
 * Hard where the address is dead: nobody there, no such place, or a mailbox closed for good (RFC 3463 sections 3.2 and
 * 3.3). All else may go another time: a full mailbox, a message refused for what it says, who sent it or how large it is.
 * @param diagnostic what the server said, looked at where the code says nothing
 */
export function returnKind(status: string, diagnostic = ''): 'hard' | 'soft' {
  if (/^5\.1\.(?:1|2|3|4|6|10)$|^5\.2\.1$/.test(status))
    return REFUSED.test(diagnostic) && !NOBODY.test(diagnostic) ? 'soft' : 'hard';
  if (!VAGUE.test(status)) return 'soft';
  return NOBODY.test(diagnostic) && !REFUSED.test(diagnostic) ? 'hard' : 'soft';
}

/** Says in words why a message came back, from the status code's subject (RFC 3463 section 3). */
export function returnWords(status: string): string {
  if (/^\d\.1\.(?:[12346]|10)$/.test(status)) return 'the address does not exist';
  if (/^\d\.2\.2$/.test(status)) return 'the mailbox is full';
  if (/^\d\.2\.1$/.test(status)) return 'the mailbox is closed';
  if (/^\d\.3\.4$/.test(status) || /^\d\.2\.3$/.test(status)) return 'the message was too large';
  if (/^\d\.4\./.test(status)) return 'their server could not be reached';
  if (/^\d\.7\./.test(status)) return 'their server refused it by policy';
  return 'it could not be delivered';
}
