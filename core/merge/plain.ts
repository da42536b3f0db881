import { ARTICLE, PASSAGE, PICTURE, REPEATED, type DocNode } from './document.ts';
import { safeLink } from './html.ts';

/** A text as plain text that reads well. */
export function plain(doc: DocNode): string {
  return `${plainBlocks(doc.content ?? [], '').trim()}\n`;
}

/** A text without its looks, as somebody would begin to write it as plain text: lines alone, its facts and passages kept. */
export function withoutLooks(doc: DocNode): DocNode {
  return { type: 'doc', content: bare(doc.content ?? [], '') };
}

function bare(nodes: readonly DocNode[], before: string): DocNode[] {
  return nodes.flatMap((node, at): DocNode[] => {
    const content = node.content ?? [];
    switch (node.type) {
      case 'paragraph':
      case 'heading':
        return [line(before, content)];
      case 'bulletList':
        return content.flatMap((item) => bare(item.content ?? [], '- '));
      case 'orderedList':
        return content.flatMap((item, index) => bare(item.content ?? [], `${index + 1}. `));
      case 'table':
        return content.map((row) =>
          repeatedLine(
            row,
            line(
              before,
              (row.content ?? []).flatMap((cell, index) => [
                ...(index ? [{ type: 'text', text: '  ' }] : []),
                ...(cell.content ?? []).flatMap((block) => block.content ?? []),
              ]),
            ),
          ),
        );
      case 'horizontalRule':
        return [line('----------', [])];
      case PICTURE:
        return node.attrs?.alt ? [line(`[${String(node.attrs.alt)}]`, [])] : [];
      case ARTICLE:
        return [...(at ? [line('----------', [])] : []), ...bare(content, before)];
      case PASSAGE:
      case REPEATED:
        return [{ ...node, content: bare(content, before) }];
      default:
        return bare(content, at ? '' : before);
    }
  });
}

/** A row that stands once for each of something is a line that does. */
function repeatedLine(row: DocNode, own: DocNode): DocNode {
  return row.attrs?.of ? { type: REPEATED, attrs: { of: row.attrs.of }, content: [own] } : own;
}

/** A line of words and facts; where a link leads stands behind its words. */
function line(before: string, nodes: readonly DocNode[]): DocNode {
  const content = nodes.flatMap((node): DocNode[] => {
    if (node.type !== 'text') return [{ type: node.type, ...(node.attrs ? { attrs: node.attrs } : {}) }];
    const text = inlineText([node]);
    return text ? [{ type: 'text', text }] : [];
  });
  const all = before ? [{ type: 'text', text: before }, ...content] : content;
  return all.length ? { type: 'paragraph', content: all } : { type: 'paragraph' };
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
    case ARTICLE:
      return `${index ? '----------\n\n' : ''}${plainBlocks(content, indent)}`;
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
