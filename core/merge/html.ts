import type { DocNode } from './document.ts';

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
    `<table role="presentation" width="600" cellpadding="0" cellspacing="0" border="0" style="max-width:600px"><tr><td style="${FONT}">` +
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
  const tag = (name: string, inner: string) =>
    `<${name} style="${BLOCK_STYLES[name] ?? ''}">${inner}</${name}>`;
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
    case 'horizontalRule':
      return '<hr style="border:0;border-top:1px solid #B9B09A;margin:18px 0">';
    default:
      return blocks(content, way);
  }
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
