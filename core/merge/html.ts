import { ARTICLE, isPictureHash, PICTURE, type DocNode } from './document.ts';
import type { Frame } from './frame.ts';
import { alignOf, colourOf, sizeOf } from './looks.ts';

const FONT = "font-family:Georgia,'Times New Roman',serif;font-size:16px;line-height:1.5;color:#1F2B28";

const BLOCK_STYLES: Record<string, string> = {
  p: 'margin:0 0 14px 0',
  h2: 'margin:22px 0 10px 0;font-size:20px;line-height:1.3;font-weight:bold',
  h3: 'margin:18px 0 8px 0;font-size:17px;line-height:1.3;font-weight:bold',
  ul: 'margin:0 0 14px 0;padding:0 0 0 24px',
  ol: 'margin:0 0 14px 0;padding:0 0 0 24px',
  blockquote: 'margin:0 0 14px 0;padding:0 0 0 14px;border-left:3px solid #B9B09A',
};

/** Beyond this no message is wide, in pixels. */
const WIDE = 600;

/**
 * A whole message: a table within a table, with inline styles and no script, as mail programs want it.
 * @param foot what stands below it; within the frame, where there is one
 */
export function page(title: string, content: string, foot = '', frame: Frame | null = null): string {
  const table = (rows: string, look = '') =>
    `<table role="presentation" width="${WIDE}" cellpadding="0" cellspacing="0" border="0" style="width:100%;max-width:${WIDE}px${look}">${rows}</table>`;
  const cell = (inner: string, look = '') => `<tr><td style="${look}${FONT}">${inner}</td></tr>`;
  const inner = frame
    ? table(
        cell(headOf(frame), 'padding:20px 24px 16px 24px;') +
          cell(content, 'padding:8px 24px 12px 24px;') +
          cell(`${linesHtml(frame.footer)}${foot}`, 'padding:0 24px 20px 24px;'),
        `;background:#ffffff;border-top:6px solid ${frame.colour}`,
      )
    : table(cell(content + foot));
  return (
    '<!DOCTYPE html><html lang="en"><head><meta charset="utf-8">' +
    `<meta name="viewport" content="width=device-width"><title>${escapeHtml(title)}</title></head>` +
    `<body style="margin:0;padding:0;background:${frame ? '#F4F1EA' : '#ffffff'}">` +
    `<table role="presentation" width="100%" cellpadding="0" cellspacing="0" border="0"><tr><td align="${frame ? 'center' : 'left'}" style="padding:${frame ? '16px 8px' : '20px'}">` +
    `${inner}</td></tr></table></body></html>`
  );
}

/** The firm's logo, or its name where it has none. */
function headOf({ logo, name, colour }: Frame): string {
  return logo
    ? image(logo.hash, name, Math.min(logo.width, WIDE - 48))
    : `<span style="font-size:22px;line-height:1.3;font-weight:bold;color:${colour}">${escapeHtml(name)}</span>`;
}

/** Small lines below a message. */
function linesHtml(lines: readonly string[]): string {
  const own = lines.map((line) => line.trim()).filter(Boolean);
  return own.length
    ? `<p style="margin:12px 0 0 0;padding:12px 0 0 0;border-top:1px solid #B9B09A;font-size:13px;line-height:1.5;color:#55625D">${own.map(escapeHtml).join('<br>')}</p>`
    : '';
}

/** Where a link leads in the message. */
export type LinkWay = (href: string, words: string) => string;

/** How blocks become HTML. */
export interface Manner {
  /** Where each link leads, when not where it says. */
  way: LinkWay;
  /** The colour of links, and of headings where there is a frame. */
  ink: string;
  framed: boolean;
}

const PLAIN: Manner = { way: (href) => href, ink: '#1F5547', framed: false };

/** How blocks become HTML within a frame, or without one. */
export function mannerOf(way: LinkWay | null, frame: Frame | null): Manner {
  return { way: way ?? PLAIN.way, ink: frame?.colour ?? PLAIN.ink, framed: frame !== null };
}

/** Blocks of a text as HTML. */
export function blocks(nodes: readonly DocNode[], manner: Manner = PLAIN): string {
  return nodes.map((node) => block(node, manner)).join('');
}

function block(node: DocNode, manner: Manner): string {
  const content = node.content ?? [];
  const align = alignOf(node);
  const tag = (name: string, inner: string, look = '') =>
    `<${name} style="${BLOCK_STYLES[name] ?? ''}${look}${align ? `;text-align:${align}` : ''}">${inner}</${name}>`;
  switch (node.type) {
    case 'paragraph':
      return tag('p', inlines(content, manner) || '&nbsp;');
    case 'heading': {
      const name = Number(node.attrs?.level ?? 2) > 2 ? 'h3' : 'h2';
      return tag(name, inlines(content, manner), manner.framed ? `;color:${manner.ink}` : '');
    }
    case 'bulletList':
      return tag('ul', blocks(content, manner));
    case 'orderedList':
      return tag('ol', blocks(content, manner));
    case 'listItem':
      return `<li style="margin:0 0 4px 0">${content.map((child) => (child.type === 'paragraph' ? inlines(child.content ?? [], manner) : block(child, manner))).join('<br>')}</li>`;
    case 'blockquote':
      return tag('blockquote', blocks(content, manner));
    case 'table':
      return table(node, manner);
    case ARTICLE:
      return article(node, manner);
    case PICTURE:
      return picture(node);
    case 'horizontalRule':
      return '<hr style="border:0;border-top:1px solid #B9B09A;margin:18px 0">';
    default:
      return blocks(content, manner);
  }
}

/** So wide a picture is that stands beside the words of its article. */
const BESIDE = 180;

/**
 * An article: under a line, its picture above its words or beside them. Beside them are two boxes in a row that a
 * narrow screen, such as a telephone's, puts below each other.
 */
function article(node: DocNode, manner: Manner): string {
  const content = node.content ?? [];
  const [first, ...rest] = content;
  const beside = node.attrs?.beside === true && first?.type === PICTURE && rest.length > 0;
  const box = (most: number, inner: string) =>
    `<div style="display:inline-block;vertical-align:top;width:100%;max-width:${most}px">${inner}</div>`;
  const inner = beside
    ? box(BESIDE + 20, picture(first, BESIDE)) + box(WIDE - 48 - BESIDE - 20, blocks(rest, manner))
    : blocks(content, manner);
  return `<div style="margin:0 0 8px 0;padding:16px 0 0 0;border-top:1px solid #B9B09A">${inner.replace(/(<h[23] style=")margin:\d+px/g, '$1margin:0')}</div>`;
}

/** Columns without a width of their own share what is left. */
function table(node: DocNode, manner: Manner): string {
  const lines = node.attrs?.lines === false ? '' : ';border:1px solid #B9B09A';
  const cell = (each: DocNode) => {
    const name = each.type === 'tableHeader' ? 'th' : 'td';
    const spans = ['colspan', 'rowspan']
      .map((span) => [span, Number(each.attrs?.[span] ?? 1)] as const)
      .filter(([, count]) => Number.isInteger(count) && count > 1 && count < 100)
      .map(([span, count]) => ` ${span}="${count}"`)
      .join('');
    const widths = Array.isArray(each.attrs?.colwidth) ? each.attrs.colwidth.map(Number) : [];
    const width =
      widths.length && widths.every((one) => one > 0) ? widths.reduce((sum, one) => sum + one, 0) : 0;
    const inner = blocks(each.content ?? [], manner).replaceAll(
      `<p style="${BLOCK_STYLES.p}`,
      '<p style="margin:0',
    );
    const style = `padding:6px 8px;vertical-align:top;text-align:left${name === 'th' ? ';font-weight:bold' : ''}${lines}`;
    return `<${name}${spans}${width ? ` width="${Math.round(width)}"` : ''} style="${style}">${inner}</${name}>`;
  };
  const rows = (node.content ?? []).map((row) => `<tr>${(row.content ?? []).map(cell).join('')}</tr>`);
  return `<table cellpadding="0" cellspacing="0" border="0" width="100%" style="border-collapse:collapse;margin:0 0 14px 0">${rows.join('')}</table>`;
}

/** How a message names a picture that travels with it (RFC 2392). */
export function pictureId(hash: string): string {
  return `${hash.slice(0, 32)}@picture`;
}

/** @param most in pixels, where no more room is */
function picture({ attrs }: DocNode, most = 2000): string {
  const hash = String(attrs?.hash ?? '');
  if (!isPictureHash(hash)) return '';
  const said = Math.round(Number(attrs?.width ?? 0));
  const width = said > 0 && said <= 2000 ? Math.min(said, most) : 0;
  return `<p style="${BLOCK_STYLES.p}">${image(hash, String(attrs?.alt ?? ''), width)}</p>`;
}

/** A picture that travels with the message. @param width in pixels; as it is when nought */
export function image(hash: string, alt: string, width: number): string {
  return `<img src="cid:${pictureId(hash)}" alt="${escapeHtml(alt)}"${width ? ` width="${width}"` : ''} style="display:block;max-width:100%;height:auto;border:0">`;
}

function inlines(nodes: readonly DocNode[], manner: Manner): string {
  return nodes
    .map((node) => {
      if (node.type === 'hardBreak') return '<br>';
      return (node.marks ?? []).reduce(
        (html, mark) => marked(html, mark, node.text ?? '', manner),
        escapeHtml(node.text ?? ''),
      );
    })
    .join('');
}

function marked(
  html: string,
  mark: { type: string; attrs?: Record<string, unknown> },
  words: string,
  { way, ink }: Manner,
): string {
  switch (mark.type) {
    case 'bold':
      return `<strong>${html}</strong>`;
    case 'italic':
      return `<em>${html}</em>`;
    case 'underline':
      return `<u>${html}</u>`;
    case 'strike':
      return `<s>${html}</s>`;
    case 'highlight':
      return `<span style="background-color:${colourOf(mark.attrs?.color) ?? '#F3E3B0'}">${html}</span>`;
    case 'textStyle': {
      const colour = colourOf(mark.attrs?.color);
      const size = sizeOf(mark.attrs?.fontSize);
      const style = [colour && `color:${colour}`, size && `font-size:${size}`].filter(Boolean).join(';');
      return style ? `<span style="${style}">${html}</span>` : html;
    }
    case 'link': {
      const href = safeLink(String(mark.attrs?.href ?? ''));
      return href ? `<a href="${escapeHtml(way(href, words))}" style="color:${ink}">${html}</a>` : html;
    }
    default:
      return html;
  }
}

/** Only addresses a reader expects behind a link: web pages, mail, telephone. */
export function safeLink(href: string): string | null {
  return /^(?:https?:\/\/|mailto:|tel:)[^\s"<>]+$/i.test(href.trim()) ? href.trim() : null;
}

/** Text as HTML shows it. */
export function escapeHtml(text: string): string {
  return text
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');
}
