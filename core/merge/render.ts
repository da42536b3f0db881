import type { Known } from '../facts/catalogue.ts';
import type { DocNode } from './document.ts';
import { fill, type MissingValue } from './fill.ts';
import type { Frame } from './frame.ts';
import { blocks, escapeHtml, mannerOf, page } from './html.ts';
import { countedLinks, type Counting } from './links.ts';
import { inlineText, plain } from './plain.ts';

export interface Rendered {
  subject: string;
  html: string;
  text: string;
  missing: MissingValue[];
}

/** What stands below a mailing: how to have no more of its kind, and from whom it is. */
export interface OptOutFooter {
  /** `If you would rather have no more mail about orchard days` */
  words: string;
  link: string;
  /** The firm's name and postal address. */
  lines: readonly string[];
}

/** What else a message has, where it has it. */
export interface Around {
  footer?: OptOutFooter | null;
  counting?: Counting | null;
  frame?: Frame | null;
  /** The text whose links are counted, where one copy says something else. */
  links?: DocNode | undefined;
  /** The plain text, where another was written than is made of the body. */
  plain?: DocNode | null | undefined;
}

/**
 * Renders one message for one recipient: subject, HTML for mail clients (a table, inline styles, no
 * scripts) and a plain text that reads well, each from the same tree and facts.
 */
export function renderMessage(
  subject: DocNode,
  body: DocNode,
  known: Known,
  { footer = null, counting = null, frame = null, links = body, plain: byHand = null }: Around = {},
): Rendered {
  const { doc: filled, missing } = fill(body, known);
  const first = fill(subject, known);
  const other = byHand ? fill(byHand, known) : null;
  const line = inlineText(first.doc.content ?? [])
    .replace(/[\r\n]+/g, ' ')
    .trim();
  const manner = mannerOf(counting ? countedLinks(links, counting) : null, frame);
  const foot = (footer ? footerHtml(footer, manner.ink) : '') + (counting ? markHtml(counting) : '');
  return {
    subject: line,
    html: page(line, blocks(filled.content ?? [], manner), foot, frame),
    text: plain(other?.doc ?? filled) + frameText(frame) + (footer ? footerText(footer) : ''),
    missing: [...missing, ...first.missing, ...(other?.missing ?? [])],
  };
}

function footerHtml({ words, link, lines }: OptOutFooter, ink: string): string {
  return (
    '<p style="margin:28px 0 0 0;padding:12px 0 0 0;border-top:1px solid #B9B09A;font-size:13px;line-height:1.5;color:#55625D">' +
    `${lines.map(escapeHtml).join(', ')}<br>${escapeHtml(words)}, ` +
    `<a href="${escapeHtml(link)}" style="color:${ink}">tell us here</a>.</p>`
  );
}

function markHtml({ mark }: Counting): string {
  return `<img src="${escapeHtml(mark)}" width="1" height="1" alt="" style="display:block;border:0">`;
}

function frameText(frame: Frame | null): string {
  const lines = (frame?.footer ?? []).map((line) => line.trim()).filter(Boolean);
  return lines.length ? `\n----------\n${lines.join('\n')}\n` : '';
}

function footerText({ words, link, lines }: OptOutFooter): string {
  return `\n----------\n${lines.join(', ')}\n${words}, tell us here: ${link}\n`;
}
