import type { Facts } from '../facts/catalogue.ts';
import { MERGE_FIELD, type DocNode } from './document.ts';

/** A merge field that had neither a value nor a fallback, and the words around it. */
export interface MissingValue {
  field: string;
  place: string;
}

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

/**
 * Renders one message for one recipient: subject, HTML for mail clients (a table, inline styles, no
 * scripts) and a plain text that reads well, each from the same tree and facts.
 */
export function renderMessage(
  subject: DocNode,
  body: DocNode,
  facts: Facts,
  footer: OptOutFooter | null = null,
): Rendered {
  const missing: MissingValue[] = [];
  const filled = fill(body, facts, missing, []);
  const line = inlineText(fill(subject, facts, missing, []).content ?? [])
    .replace(/[\r\n]+/g, ' ')
    .trim();
  const html = page(line, blocks(filled.content ?? []) + (footer ? footerHtml(footer) : ''));
  return { subject: line, html, text: plain(filled) + (footer ? footerText(footer) : ''), missing };
}

/** Replaces every merge field by its value, noting what is missing and where. */
function fill(node: DocNode, facts: Facts, missing: MissingValue[], siblings: readonly DocNode[]): DocNode {
  if (node.type === MERGE_FIELD) {
    const field = String(node.attrs?.field ?? '');
    const fallback = String(node.attrs?.fallback ?? '');
    const value = facts[field]?.trim() || fallback.trim();
    if (!value) missing.push({ field, place: around(siblings, node) });
    return { type: 'text', text: value, ...(node.marks ? { marks: node.marks } : {}) };
  }
  const content = node.content;
  return content ? { ...node, content: content.map((child) => fill(child, facts, missing, content)) } : node;
}

function around(siblings: readonly DocNode[], node: DocNode): string {
  const words = siblings.map((sibling) => (sibling === node ? '…' : (sibling.text ?? ''))).join('');
  return words.trim().slice(0, 60);
}

const FONT = "font-family:Georgia,'Times New Roman',serif;font-size:16px;line-height:1.5;color:#1F2B28";

const BLOCK_STYLES: Record<string, string> = {
  p: 'margin:0 0 14px 0',
  h2: 'margin:22px 0 10px 0;font-size:20px;line-height:1.3;font-weight:bold',
  h3: 'margin:18px 0 8px 0;font-size:17px;line-height:1.3;font-weight:bold',
  ul: 'margin:0 0 14px 0;padding:0 0 0 24px',
  ol: 'margin:0 0 14px 0;padding:0 0 0 24px',
  blockquote: 'margin:0 0 14px 0;padding:0 0 0 14px;border-left:3px solid #B9B09A',
};

function page(title: string, content: string): string {
  return (
    '<!DOCTYPE html><html lang="en"><head><meta charset="utf-8">' +
    `<meta name="viewport" content="width=device-width"><title>${escapeHtml(title)}</title></head>` +
    '<body style="margin:0;padding:0;background:#ffffff">' +
    '<table role="presentation" width="100%" cellpadding="0" cellspacing="0" border="0"><tr><td align="left" style="padding:20px">' +
    `<table role="presentation" width="600" cellpadding="0" cellspacing="0" border="0" style="max-width:600px"><tr><td style="${FONT}">` +
    `${content}</td></tr></table></td></tr></table></body></html>`
  );
}

function footerHtml({ words, link, lines }: OptOutFooter): string {
  return (
    '<p style="margin:28px 0 0 0;padding:12px 0 0 0;border-top:1px solid #B9B09A;font-size:13px;line-height:1.5;color:#55625D">' +
    `${lines.map(escapeHtml).join(', ')}<br>${escapeHtml(words)}, ` +
    `<a href="${escapeHtml(link)}" style="color:#1F5547">tell us here</a>.</p>`
  );
}

function footerText({ words, link, lines }: OptOutFooter): string {
  return `\n----------\n${lines.join(', ')}\n${words}, tell us here: ${link}\n`;
}

function blocks(nodes: readonly DocNode[]): string {
  return nodes.map(block).join('');
}

function block(node: DocNode): string {
  const content = node.content ?? [];
  const tag = (name: string, inner: string) =>
    `<${name} style="${BLOCK_STYLES[name] ?? ''}">${inner}</${name}>`;
  switch (node.type) {
    case 'paragraph':
      return tag('p', inlines(content) || '&nbsp;');
    case 'heading':
      return tag(Number(node.attrs?.level ?? 2) > 2 ? 'h3' : 'h2', inlines(content));
    case 'bulletList':
      return tag('ul', blocks(content));
    case 'orderedList':
      return tag('ol', blocks(content));
    case 'listItem':
      return `<li style="margin:0 0 4px 0">${content.map((child) => (child.type === 'paragraph' ? inlines(child.content ?? []) : block(child))).join('<br>')}</li>`;
    case 'blockquote':
      return tag('blockquote', blocks(content));
    case 'horizontalRule':
      return '<hr style="border:0;border-top:1px solid #B9B09A;margin:18px 0">';
    default:
      return blocks(content);
  }
}

function inlines(nodes: readonly DocNode[]): string {
  return nodes
    .map((node) => {
      if (node.type === 'hardBreak') return '<br>';
      return (node.marks ?? []).reduce((html, mark) => marked(html, mark), escapeHtml(node.text ?? ''));
    })
    .join('');
}

function marked(html: string, mark: { type: string; attrs?: Record<string, unknown> }): string {
  switch (mark.type) {
    case 'bold':
      return `<strong>${html}</strong>`;
    case 'italic':
      return `<em>${html}</em>`;
    case 'underline':
      return `<u>${html}</u>`;
    case 'link': {
      const href = safeLink(String(mark.attrs?.href ?? ''));
      return href ? `<a href="${escapeHtml(href)}" style="color:#1F5547">${html}</a>` : html;
    }
    default:
      return html;
  }
}

/** Only addresses a reader expects behind a link: web pages, mail, telephone. */
export function safeLink(href: string): string | null {
  return /^(?:https?:\/\/|mailto:|tel:)[^\s"<>]+$/i.test(href.trim()) ? href.trim() : null;
}

function plain(doc: DocNode): string {
  return `${plainBlocks(doc.content ?? [], '').trim()}\n`;
}

function plainBlocks(nodes: readonly DocNode[], indent: string): string {
  return nodes.map((node, index) => plainBlock(node, index, indent)).join('');
}

function plainBlock(node: DocNode, index: number, indent: string): string {
  const content = node.content ?? [];
  switch (node.type) {
    case 'paragraph':
      return `${indent}${inlineText(content).replaceAll('\n', `\n${indent}`)}\n\n`;
    case 'heading': {
      const words = inlineText(content);
      return `${words}\n${'-'.repeat(Math.min(words.length, 60))}\n\n`;
    }
    case 'bulletList':
      return `${content.map((item) => plainItem(item, '- ', indent)).join('')}\n`;
    case 'orderedList':
      return `${content.map((item, at) => plainItem(item, `${at + 1}. `, indent)).join('')}\n`;
    case 'horizontalRule':
      return '----------\n\n';
    case 'blockquote':
      return plainBlocks(content, `${indent}  `);
    default:
      return content.length
        ? plainBlocks(content, indent)
        : plainBlock({ type: 'paragraph', content: [node] }, index, indent);
  }
}

function plainItem(item: DocNode, mark: string, indent: string): string {
  const inner = plainBlocks(item.content ?? [], `${indent}${' '.repeat(mark.length)}`)
    .replace(/\n{2,}/g, '\n')
    .trim();
  return `${indent}${mark}${inner}\n`;
}

/** Text of inline nodes; a link's address follows its words unless they are the same. */
function inlineText(nodes: readonly DocNode[]): string {
  return nodes
    .map((node) => {
      if (node.type === 'hardBreak') return '\n';
      if (node.content) return inlineText(node.content);
      const text = node.text ?? '';
      const href = safeLink(String(node.marks?.find((mark) => mark.type === 'link')?.attrs?.href ?? ''));
      return href && href.replace(/^mailto:/, '') !== text.trim() ? `${text} (${href})` : text;
    })
    .join('');
}

/** Text as HTML shows it. */
export function escapeHtml(text: string): string {
  return text
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');
}
