import { cut, LIMITS } from '../message/limits.ts';
import { statusIn, type DeliveryReport, type ReportedRecipient } from './report.ts';

/** Who says that a message could not be delivered, where it has no words of a standard for it (common practice). */
const SERVERS = /^(?:mailer-?daemon|mail-?daemon|mdaemon|postmaster)(?=@|$)/i;
/** How such a report begins its subject (common practice). */
const SUBJECT =
  /undeliver|un-?delivered|(?:delivery|mail|message|e-?mail)\b.{0,20}\b(?:status|failure|failed|fail|report|problem|error|notification|notice|system|not delivered)|non[- ]?delivery|returned (?:mail|to sender|message|e-?mail)|failure (?:notice|delivery)|(?:not|n['o]t) (?:be )?deliver|user unknown|unknown (?:user|recipient|address)|nicht zustellbar|unzustellbar|non remis|échec|no se (?:ha )?pudo|no entregado|mancata consegna|onbestelbaar|nie (?:można|dostarcz)|bounce|rejected|blocked/iu;
/** That it could not be delivered, as the text says it. */
const FAILURE =
  /deliver|permanent (?:fatal )?error|fatal error|does ?n[o']t exist|no such (?:user|address|mailbox|recipient|domain)|unknown (?:user|recipient|address|host)|(?:user|recipient|address|mailbox) (?:is )?(?:unknown|unavailable|disabled|inactive|full|not found)|quota|rejected|refused|returned|5\d\d[ -]/i;
/** Where the report ends and the message it returns begins. */
const RETURNED =
  /^(?:[-=_* ]{2,}.{0,60}(?:copy of the message|original message|returned message|message (?:header|text|follows|body)|headers?).{0,60}|(?:received|return-path|message-id): .*|.{0,40}(?:original message|message headers?|message text) (?:follows|is below|was).{0,20})$/i;
const ADDRESS = /[^\s<>()[\]:;,"'=]{1,64}@[a-z0-9.-]{1,190}\.[a-z][a-z0-9-]{1,30}/gi;
const MESSAGE_ID = /^[> \t]{0,20}message-id:[ \t]{0,20}(<[^<>\s]{1,998}>)/im;
/** A report is short; what follows is the message it returns. */
const LONGEST = 200;

/** What of a message may be a report in free words. */
export interface Told {
  from: string;
  returnPath: string | null;
  /** `X-Failed-Recipients`, which some servers add. */
  failed: string | null;
  subject: string;
  text: string;
  originalMessageId: string | null;
}

/**
 * Reads a report of non-delivery that keeps to no standard: a server says it, and names addresses. Its words are
 * never more than a hint: whoever uses it looks whether the message it names went to that address.
 * @returns null when it is none
 */
export function readBounce({
  from,
  returnPath,
  failed,
  subject,
  text,
  originalMessageId,
}: Told): DeliveryReport | null {
  const server = SERVERS.test(from) || returnPath?.trim() === '<>' || !from;
  if (!failed && !(server && SUBJECT.test(cut(subject, LIMITS.subject)))) return null;
  const lines = cut(text, LIMITS.text)
    .split('\n')
    .slice(0, LONGEST)
    .map((line) => cut(line, LIMITS.line));
  const end = lines.findIndex((line) => RETURNED.test(line.trim()));
  const words = end < 0 ? lines : lines.slice(0, end);
  if (!failed && !FAILURE.test(words.join('\n'))) return null;
  const recipients = failed ? namedIn([failed], words) : recipientsIn(words);
  if (!recipients.length) return null;
  return {
    recipients: recipients.map((recipient) =>
      recipient.status ? recipient : { ...recipient, status: statusIn(words.join('\n')) },
    ),
    originalMessageId:
      originalMessageId ?? MESSAGE_ID.exec(cut(text, LIMITS.text))?.[1]?.slice(1, -1) ?? null,
  };
}

/** Addresses in brackets or at the beginning of a line stand for recipients; where there are none, any. */
function recipientsIn(lines: readonly string[]): ReportedRecipient[] {
  const marked = lines.flatMap((line) =>
    [...line.matchAll(ADDRESS)]
      .filter(({ index }) => line[index - 1] === '<' || !/\S/.test(line.slice(0, index)))
      .map(([address]) => address),
  );
  return namedIn(marked.length ? marked : lines, lines);
}

function namedIn(sources: readonly string[], lines: readonly string[]): ReportedRecipient[] {
  const addresses = new Map<string, string>();
  for (const source of sources)
    for (const [found] of source.matchAll(ADDRESS)) {
      const address = cut(found.replace(/\.$/, ''), LIMITS.address);
      if (!SERVERS.test(address) && addresses.size < LIMITS.reported)
        addresses.set(address.toLowerCase(), address);
    }
  return [...addresses.values()].map((address) => {
    const at = lines.findIndex((line) => line.includes(address));
    // What is said of it stands on its line and the few below.
    const said = at < 0 ? [] : lines.slice(at, at + SAID);
    const next = said.findIndex((line, index) => index > 0 && /^\s*</.test(line) && !line.includes(address));
    const diagnostic = (next < 0 ? said : said.slice(0, next)).join(' ').replace(/\s+/g, ' ').trim();
    return {
      address,
      action: 'failed',
      status: statusIn(diagnostic),
      diagnostic: cut(diagnostic, LIMITS.line),
    };
  });
}

/** So many lines say why one address failed. */
const SAID = 6;
