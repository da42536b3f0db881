import { isPictureHash, PICTURE, type DocNode } from './document.ts';
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

/** A whole message: a table within a table, with inline styles and no script, as mail programs want it. */
export function page(title: string, content: string): string {
  return (
    '<!DOCTYPE html><html lang="en"><head><meta charset="utf-8">' +
    `<meta name="viewport" content="width=device-width"><title>${escapeHtml(title)}</title></head>` +
    '<body style="margin:0;padding:0;background:#ffffff">' +
    '<table role="presentation" width="100%" cellpadding="0" cellspacing="0" border="0"><tr><td align="left" style="padding:20px">' +
    `<table role="presentation" width="600" cellpadding="0" cellspacing="0" border="0" style="width:100%;max-width:600px"><tr><td style="${FONT}">` +
    `${content}</td></tr></table></td></tr></table></body></html>`
  );
}

/** Where a link leads in the message. */
export type LinkWay = (href: string, words: string) => string;

/** Blocks of a text as HTML. @param way where each link leads, when not where it says */
export function blocks(nodes: readonly DocNode[], way: LinkWay = (href) => href): string {
  return nodes.map((node) => block(node, way)).join('');
}

function block(node: DocNode, way: LinkWay): string {
  const content = node.content ?? [];
  const align = alignOf(node);
  const tag = (name: string, inner: string) =>
    `<${name} style="${BLOCK_STYLES[name] ?? ''}${align ? `;text-align:${align}` : ''}">${inner}</${name}>`;
  switch (node.type) {
    case 'paragraph':
      return tag('p', inlines(content, way) || '&nbsp;');
    case 'heading':
      return tag(Number(node.attrs?.level ?? 2) > 2 ? 'h3' : 'h2', inlines(content, way));
    case 'bulletList':
      return tag('ul', blocks(content, way));
    case 'orderedList':
      return tag('ol', blocks(content, way));
    case 'listItem':
      return `<li style="margin:0 0 4px 0">${content.map((child) => (child.type === 'paragraph' ? inlines(child.content ?? [], way) : block(child, way))).join('<br>')}</li>`;
    case 'blockquote':
      return tag('blockquote', blocks(content, way));
    case 'table':
      return table(node, way);
    case PICTURE:
      return picture(node);
    case 'horizontalRule':
      return '<hr style="border:0;border-top:1px solid #B9B09A;margin:18px 0">';
    default:
      return blocks(content, way);
  }
}

/** Columns without a width of their own share what is left. */
function table(node: DocNode, way: LinkWay): string {
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
    const inner = blocks(each.content ?? [], way).replaceAll(
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

function picture({ attrs }: DocNode): string {
  const hash = String(attrs?.hash ?? '');
  if (!isPictureHash(hash)) return '';
  const width = Math.round(Number(attrs?.width ?? 0));
  const size = width > 0 && width <= 2000 ? ` width="${width}"` : '';
  return `<p style="${BLOCK_STYLES.p}"><img src="cid:${pictureId(hash)}" alt="${escapeHtml(String(attrs?.alt ?? ''))}"${size} style="display:block;max-width:100%;height:auto;border:0"></p>`;
}

function inlines(nodes: readonly DocNode[], way: LinkWay): string {
  return nodes
    .map((node) => {
      if (node.type === 'hardBreak') return '<br>';
      return (node.marks ?? []).reduce(
        (html, mark) => marked(html, mark, node.text ?? '', way),
        escapeHtml(node.text ?? ''),
      );
    })
    .join('');
}

function marked(
  html: string,
  mark: { type: string; attrs?: Record<string, unknown> },
  words: string,
  way: LinkWay,
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
      return href ? `<a href="${escapeHtml(way(href, words))}" style="color:#1F5547">${html}</a>` : html;
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
