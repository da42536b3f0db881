import type { Knex } from 'knex';
import type { MailingDraft } from '../../contract/index.ts';
import type { Mailbox } from '../../core/address/address.ts';
import type { Known } from '../../core/facts/catalogue.ts';
import type { DocNode } from '../../core/merge/document.ts';
import type { Frame } from '../../core/merge/frame.ts';
import { frameOf, readFirm } from '../foundation/firm.ts';
import type { RawRow } from '../foundation/sources.ts';
import type { Counting } from '../../core/merge/links.ts';
import type { MessageParts } from '../reading/build.ts';
import { buildBeside } from '../reading/pool.ts';
import { picturesFor } from '../writing/pictures.ts';
import { enclosuresFor } from './enclosures.ts';
import { listSenders } from './senders.ts';
import type { ReadersPage } from '../writing/ownPage.ts';
import type { OptOutWay } from './optOut.ts';
import type { MissingValue } from '../../core/merge/fill.ts';
import { renderMessage } from '../../core/merge/render.ts';
import { htmlWithPage, tellingOfPage, withPage } from '../../core/collection/link.ts';

/** Who a message is from and to, and what fixes it beforehand. */
export interface Envelope {
  from: { name: string; address: string };
  to: { name: string; address: string };
  /** Without angle brackets. */
  messageId: string;
  date: Date;
  /** How to opt out; null where nothing is said of it. */
  optOut: OptOutWay | null;
  /** Where answers go, when not to whom it is from. */
  answers?: Mailbox | undefined;
  /** What goes with it: its pictures, and what is enclosed. */
  attachments?: readonly Attachment[];
  /** How it tells that it was opened; null where it does not. */
  counting: Counting | null;
  /** The plain text, where another was written than is made of the body. */
  plain?: DocNode | null | undefined;
  /** What stands around it; null for nothing. */
  frame: Frame | null;
  /** The text whose links are counted, where this copy says something else. */
  links?: DocNode | undefined;
  /** What stands in the text for the reader's own page, and its address; null where nobody has one. */
  page?: ReadersPage | null;
  /** What would be enclosed lies on that page, and the text leads there. */
  laidOut?: boolean;
}

type Attachment = NonNullable<MessageParts['attachments']>[number];

/** What every copy of a mailing carries, and where answers to it go. */
export async function carriedBy(
  db: Knex,
  id: number,
  { body, answersId, framed, laidOut }: Pick<MailingDraft, 'body' | 'answersId' | 'framed' | 'laidOut'>,
): Promise<Pick<Envelope, 'answers' | 'attachments' | 'frame'>> {
  const frame = framed ? frameOf(await readFirm(db)) : null;
  const [pictures, enclosures, senders] = await Promise.all([
    picturesFor(db, body, frame),
    laidOut ? [] : enclosuresFor(db, id),
    answersId === null ? [] : listSenders(db),
  ]);
  const answers = senders.find((each) => each.id === answersId);
  return {
    frame,
    attachments: [...pictures, ...enclosures],
    ...(answers ? { answers: { name: answers.name, address: answers.address } } : {}),
  };
}

export interface Composed {
  raw: Buffer;
  packed: RawRow;
  subject: string;
  html: string;
  text: string;
  missing: MissingValue[];
}

/**
 * Composes the very bytes of one recipient's message: plain text and HTML, Message-ID and date as given.
 * The same arguments give the same bytes but for the boundary of the parts.
 */
export async function composeMessage(
  subject: DocNode,
  body: DocNode,
  known: Known,
  envelope: Envelope,
): Promise<Composed> {
  const { optOut, counting, plain, frame, links, page, laidOut } = envelope;
  const told = (doc: DocNode) => (laidOut ? tellingOfPage(doc) : doc);
  const footer = optOut?.footer ?? null;
  const made = renderMessage(subject, told(body), known, {
    ...{ footer, counting, frame, links },
    plain: plain ? told(plain) : plain,
  });
  const rendered = page
    ? {
        ...made,
        text: withPage(made.text, page.mark, page.address),
        html: htmlWithPage(made.html, page.mark, page.address),
      }
    : made;
  const built = await buildBeside({
    from: envelope.from,
    to: [envelope.to],
    subject: rendered.subject,
    text: rendered.text,
    html: rendered.html,
    date: envelope.date,
    ...(envelope.answers ? { replyTo: envelope.answers } : {}),
    attachments: [...(envelope.attachments ?? [])],
    messageId: envelope.messageId,
    ...(envelope.optOut ? { headers: envelope.optOut.headers } : {}),
    boundary: envelope.messageId.replace(/[^\w]/g, '').slice(0, 40),
  });
  return { ...built, ...rendered };
}
