import { safeLink } from '../merge/html.ts';
import { PICTURE, type DocNode } from '../merge/document.ts';

/** A mailing's message as somebody with fresh eyes would look at it. */
export interface CheckedMessage {
  /** As one recipient reads it, facts filled in. */
  subject: string;
  text: string;
  body: DocNode;
  /** Subjects of the latest mailings, as they were written. */
  earlierSubjects: readonly string[];
  enclosures: number;
  /** Of one copy as it leaves, in bytes. */
  bytes: number;
  copies: number;
  /** Whether it is about something one can opt out of, and says how. */
  topic: boolean;
  optOut: boolean;
}

/** Of so many letters, so large a part in capitals is shouting. */
const SHORT = 6;
const SHOUTED = 0.7;
/** A copy of more bytes is heavy (common practice). */
const HEAVY = 2_000_000;
const SPEAKS_OF_ENCLOSURE =
  /\b(?:attached|enclosed|attachments?|enclosures?|(?:find|see) (?:the )?(?:attached|enclosed))\b/i;

/** What is odd in a message and can be meant all the same, in sentences. */
export function messageRemarks(message: CheckedMessage): string[] {
  const { subject, text, body, earlierSubjects, enclosures, bytes, copies, topic, optOut } = message;
  const letters = subject.replace(/[^\p{L}]/gu, '');
  const capitals = letters.replace(/[^\p{Lu}]/gu, '');
  const same = subject.trim().toLowerCase();
  const found: string[] = [];
  if (letters.length >= SHORT && capitals.length / letters.length > SHOUTED)
    found.push('The subject is in capitals, which reads as shouting and is often filtered.');
  if (/[!?]{2}/.test(subject)) found.push('The subject ends in several marks, which is often filtered.');
  if (same && earlierSubjects.some((each) => each.trim().toLowerCase() === same))
    found.push('The subject is the same as that of an earlier mailing.');
  if (!enclosures && SPEAKS_OF_ENCLOSURE.test(text))
    found.push('The words speak of an enclosure, and nothing is enclosed.');
  const blind = picturesWithout(body);
  if (blind)
    found.push(
      `${blind === 1 ? 'A picture does' : `${blind} pictures do`} not say in words what ${blind === 1 ? 'it shows' : 'they show'}: whoever does not see pictures reads nothing there.`,
    );
  if (bytes > HEAVY)
    found.push(
      `Each copy has ${megabytes(bytes)}, and all of them ${megabytes(bytes * copies)}: some mailboxes will turn it away, and all of it is kept here. A link weighs nothing.`,
    );
  if (topic && !optOut) found.push('It is about something one can opt out of, and does not say how.');
  return [...found, ...linkRemarks(body)];
}

/** How many pictures have no alternative text (WCAG 2.2, 1.1.1). */
function picturesWithout(node: DocNode): number {
  const own = node.type === PICTURE && !String(node.attrs?.alt ?? '').trim() ? 1 : 0;
  return (node.content ?? []).reduce((sum, child) => sum + picturesWithout(child), own);
}

const megabytes = (bytes: number) => `${(bytes / 1_000_000).toFixed(1)} MB`;

/** Links that lead nowhere, or elsewhere than their words say. */
function linkRemarks(node: DocNode): string[] {
  const href = node.marks?.find(({ type }) => type === 'link')?.attrs?.href;
  const own: string[] = [];
  if (href !== undefined) {
    const link = safeLink(String(href));
    const words = (node.text ?? '').trim();
    if (!link)
      own.push(`The link behind “${words}” is not whole: ${String(href).slice(0, 80) || 'it is empty'}.`);
    else {
      const said = hostOf(
        /^(?:https?:\/\/|www\.)\S+$/i.test(words) ? words.replace(/^www\./i, 'https://www.') : '',
      );
      const real = hostOf(link);
      if (said && real && said !== real)
        own.push(`The words say ${said}, and the link leads to ${real}: it will be taken for a trick.`);
    }
  }
  return [...own, ...(node.content ?? []).flatMap(linkRemarks)];
}

function hostOf(link: string): string {
  try {
    return new URL(link).hostname.replace(/^www\./, '');
  } catch {
    return '';
  }
}
