import { PICTURE, type DocNode } from './document.ts';
import { safeLink } from './html.ts';

/** A text as plain text that reads well. */
export function plain(doc: DocNode): string {
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
    case 'table':
      return `${plainTable(content, indent)}\n`;
    case PICTURE:
      return node.attrs?.alt ? `${indent}[${String(node.attrs.alt)}]\n\n` : '';
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

/** No column is padded wider. */
const WIDEST = 40;

/** A table in columns that stand below each other. */
function plainTable(rows: readonly DocNode[], indent: string): string {
  const cells = rows.map((row) =>
    (row.content ?? []).map((cell) =>
      plainBlocks(cell.content ?? [], '')
        .split('\n')
        .map((line) => line.trim())
        .filter(Boolean)
        .join(', '),
    ),
  );
  const widths: number[] = [];
  for (const row of cells)
    row.forEach((cell, at) => (widths[at] = Math.max(widths[at] ?? 0, Math.min(cell.length, WIDEST))));
  return cells
    .map(
      (row) =>
        `${indent}${row
          .map((cell, at) => cell.padEnd(widths[at] ?? 0))
          .join('  ')
          .trimEnd()}\n`,
    )
    .join('');
}

function plainItem(item: DocNode, mark: string, indent: string): string {
  const inner = plainBlocks(item.content ?? [], `${indent}${' '.repeat(mark.length)}`)
    .replace(/\n{2,}/g, '\n')
    .trim();
  return `${indent}${mark}${inner}\n`;
}

/** Text of inline nodes; a link's address follows its words unless they are the same. */
export function inlineText(nodes: readonly DocNode[]): string {
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
