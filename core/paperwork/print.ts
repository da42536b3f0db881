import type { Content, ContentText, TableCell, TDocumentDefinitions } from 'pdfmake/interfaces.js';
import { ARTICLE, isPictureHash, PICTURE, type DocNode } from '../merge/document.ts';
import { plain } from '../merge/plain.ts';
import { safeLink } from '../merge/html.ts';
import { alignOf, colourOf, sizeOf } from '../merge/looks.ts';
import { hasUndrawn, stretches, type Drawable } from './letters.ts';
import { mm, WINDOWS, type Paper } from './paper.ts';

/** A letter as it is to be printed: every fact is in its place already. */
export interface Printed {
  paper: Paper;
  /** When it was made: the same letter made at the same time has the same bytes. */
  madeAt: Date;
  /** Lines of the address, as the window shows them. */
  address: readonly string[];
  /** Beside the address: `Date`, `3 May 2026`. */
  facts: readonly { label: string; value: string }[];
  /** What it is about, in bold; empty for nothing. */
  subject: string;
  body: DocNode;
  /** Below it: blocks of text, with a picture of the signature perhaps. */
  signature: readonly DocNode[];
  /** Pictures by their hash, as data URLs; one that is not here is left out. */
  pictures: Readonly<Record<string, string>>;
  /** What stands at the head of further pages: `Quillhurst, to Hollin Estate, 3 May 2026`. */
  continued: string;
  /** Of a slip to be cut off, at the foot of the last page; null for none. */
  slip: DocNode | null;
}

/** Names under which the fonts of a page are known. */
export const FONTS = { words: 'Words', headings: 'Headings' } as const;

const INK = '#1F2B28';
const SOFT = '#55625D';
const LINE = '#B9B09A';
const SIZE = 10.5;
/** CSS pixels as points. */
const PIXEL = 0.75;
const LEFT = 25;
const RIGHT = 20;
const WIDE = mm(210 - LEFT - RIGHT);

/**
 * A letter on the firm's paper as the PDF library takes it: address in the window, facts beside it, words, signature;
 * further pages with a head of their own, each with its number where there are several.
 */
export function letterPages(letter: Printed, fonts: Drawable): TDocumentDefinitions {
  const printed = { ...letter, fonts };
  const { paper, subject, body, signature, continued, slip } = printed;
  const window = WINDOWS[paper.window];
  const top = 27;
  const content: Content[] = [
    ...firstPage(printed),
    // The words begin below the window.
    { text: '', margin: [0, mm(window.text - top) - SIZE, 0, 0] },
    ...(subject
      ? [{ text: drawn(clean(subject), fonts), bold: true, margin: [0, 0, 0, 10] } as Content]
      : []),
    ...blocks(body.content ?? [], printed),
    ...(signature.length
      ? [{ stack: blocks(signature, printed), unbreakable: true, margin: [0, 4, 0, 0] } as Content]
      : []),
    ...(slip ? [cutOff(slip, printed)] : []),
  ];
  return {
    pageSize: 'A4',
    pageMargins: [mm(LEFT), mm(top), mm(RIGHT), mm(paper.foot.length ? 30 : 22)],
    defaultStyle: { font: FONTS.words, fontSize: SIZE, lineHeight: 1.25, color: INK },
    info: {
      title: clean(subject) || clean(paper.name),
      author: clean(paper.name),
      creationDate: printed.madeAt,
    },
    content,
    header: (page) =>
      page === 1
        ? null
        : { text: clean(continued), color: SOFT, fontSize: 9, margin: [mm(LEFT), mm(12), mm(RIGHT), 0] },
    footer: (page, count) => foot(paper, page, count),
  };
}

/** What stands at fixed places of the first page. */
function firstPage({ paper, address, facts, pictures, fonts }: Printed & Within): Content[] {
  const window = WINDOWS[paper.window];
  const at = (left: number, y: number) => ({ absolutePosition: { x: mm(left), y: mm(y) } });
  const logo = paper.logo && pictures[paper.logo.hash];
  const beside = paper.window === 'right' ? LEFT : 125;
  const sender = [paper.name, ...paper.postal].map(clean).join(', ');
  const besideAddress = [
    ...paper.reach.map((line): ContentText => ({ text: clean(line), fontSize: 9, color: SOFT })),
    ...facts.map(({ label, value }, index): ContentText => ({
      text: [
        { text: `${clean(label)}  `, color: SOFT, fontSize: 9 },
        { text: clean(value), fontSize: 9.5 },
      ],
      margin: [0, index ? 0 : 6, 0, 0],
    })),
  ];
  const box = (width: number, content: Content[]) => ({
    layout: 'noBorders',
    table: { widths: [mm(width)], body: [[{ stack: content }]] },
  });
  return [
    logo
      ? { image: logo, width: mm(paper.logo?.width ?? 40), ...at(LEFT, 10) }
      : { text: clean(paper.name), font: FONTS.headings, fontSize: 17, color: paper.colour, ...at(LEFT, 12) },
    { canvas: [rule(WIDE, paper.colour, 0.8)], ...at(LEFT, 24) },
    {
      text: fitted(sender, 80),
      fontSize: 6.5,
      color: SOFT,
      ...at(window.left + 5, window.top + 1.5),
    },
    {
      ...box(
        window.width - 7,
        address.map((line): ContentText => ({ text: drawn(clean(line), fonts), lineHeight: 1.1 })),
      ),
      ...at(window.left + 5, window.top + 8),
    },
    { ...box(210 - beside - RIGHT, besideAddress), ...at(beside, window.top) },
    ...(paper.foldMarks
      ? window.folds.map((y): Content => ({ canvas: [rule(mm(4), LINE, 0.4)], ...at(4, y) }))
      : []),
  ];
}

function rule(length: number, colour: string, width: number) {
  return { type: 'line' as const, x1: 0, y1: 0, x2: length, y2: 0, lineWidth: width, lineColor: colour };
}

function foot(paper: Paper, page: number, count: number): Content {
  const lines = page === 1 ? paper.foot.map(clean) : [];
  return {
    margin: [mm(LEFT), 8, mm(RIGHT), 0],
    stack: [
      ...(lines.length ? [{ canvas: [rule(WIDE, LINE, 0.4)], margin: [0, 0, 0, 4] } as Content] : []),
      ...lines.map((text): ContentText => ({ text, fontSize: 7.5, color: SOFT })),
      ...(count > 1
        ? [{ text: `Page ${page} of ${count}`, fontSize: 8, color: SOFT, alignment: 'right' } as ContentText]
        : []),
    ],
  };
}

/** A slip below a dashed line, kept on one page. */
function cutOff(slip: DocNode, printed: Within): Content {
  const dashed = { ...rule(WIDE, SOFT, 0.5), dash: { length: 4, space: 3 } };
  return {
    unbreakable: true,
    margin: [0, 26, 0, 0],
    stack: [{ canvas: [dashed], margin: [0, 0, 0, 12] }, ...blocks(slip.content ?? [], printed)],
  };
}

/** What a block is drawn with. */
interface Within extends Pick<Printed, 'pictures'> {
  fonts: Drawable;
}
const BELOW: [number, number, number, number] = [0, 0, 0, 8];

function blocks(nodes: readonly DocNode[], within: Within): Content[] {
  return nodes.flatMap((node) => block(node, within));
}

function block(node: DocNode, within: Within): Content[] {
  const content = node.content ?? [];
  const align = alignOf(node);
  const look = align ? { alignment: align as 'center' | 'right' } : {};
  switch (node.type) {
    case 'paragraph':
      return [{ text: inlines(content, within), margin: BELOW, ...look }];
    case 'heading': {
      const level = Number(node.attrs?.level ?? 2);
      const size = level > 2 ? 12 : 15;
      return [
        {
          text: inlines(content, within),
          font: FONTS.headings,
          fontSize: size,
          margin: [0, 6, 0, 5],
          ...look,
        },
      ];
    }
    case 'bulletList':
      return [{ ul: content.map((item) => listItem(item, within)), margin: BELOW }];
    case 'orderedList':
      return [{ ol: content.map((item) => listItem(item, within)), margin: BELOW }];
    case 'blockquote':
      return [{ stack: blocks(content, within), margin: [18, 0, 0, 0] }];
    case 'table':
      return table(node, within);
    case PICTURE:
      return picture(node, within);
    case 'horizontalRule':
      return [{ canvas: [rule(WIDE, LINE, 0.6)], margin: [0, 6, 0, 12] }];
    case ARTICLE:
      return [{ canvas: [rule(WIDE, LINE, 0.6)], margin: [0, 4, 0, 10] }, ...blocks(content, within)];
    default:
      return blocks(content, within);
  }
}

function listItem(item: DocNode, within: Within): Content {
  const inner = blocks(item.content ?? [], within);
  return { stack: inner.map((each) => (isText(each) ? { ...each, margin: [0, 0, 0, 2] } : each)) };
}

const isText = (content: Content): content is ContentText =>
  typeof content === 'object' && content !== null && 'text' in content;

/** In points: as wide as is said, and no wider than the page. */
function picture({ attrs }: DocNode, { pictures }: Within): Content[] {
  const hash = String(attrs?.hash ?? '');
  const image = isPictureHash(hash) ? pictures[hash] : undefined;
  if (!image) return [];
  const said = Number(attrs?.width ?? 0) * PIXEL;
  return [
    said > 0
      ? { image, width: Math.min(said, WIDE), margin: BELOW }
      : { image, fit: [WIDE, mm(120)], margin: BELOW },
  ];
}

/** No table is laid out with more columns. */
const MOST_COLUMNS = 24;

function table(node: DocNode, within: Within): Content[] {
  const { rows, columns } = grid(node.content ?? [], within);
  if (!rows.length || !columns) return [];
  const widths = columnWidths(node.content ?? [], columns);
  const lines = node.attrs?.lines !== false;
  const heads = (node.content ?? []).findIndex((row) => row.content?.[0]?.type !== 'tableHeader');
  return [
    {
      table: { widths, body: rows, headerRows: Math.max(0, Math.min(heads, 2)), dontBreakRows: true },
      layout: {
        hLineWidth: (at) => (lines ? (at <= heads || at === rows.length ? 0.8 : 0.4) : 0),
        vLineWidth: () => 0,
        hLineColor: () => LINE,
        paddingLeft: () => 3,
        paddingRight: () => 3,
        paddingTop: () => 3,
        paddingBottom: () => 2,
      },
      margin: [0, 0, 0, 10],
    },
  ];
}

/** The cells of a table, with an empty one wherever another spans. */
function grid(source: readonly DocNode[], within: Within): { rows: TableCell[][]; columns: number } {
  const rows: TableCell[][] = source.map(() => []);
  const span = (cell: DocNode, name: 'colspan' | 'rowspan', most: number) =>
    Math.max(1, Math.min(most, Math.trunc(Number(cell.attrs?.[name] ?? 1)) || 1));
  source.forEach((row, y) => {
    let x = 0;
    for (const cell of row.content ?? []) {
      while (rows[y]?.[x]) x++;
      if (x >= MOST_COLUMNS) break;
      const colSpan = span(cell, 'colspan', MOST_COLUMNS - x);
      const rowSpan = span(cell, 'rowspan', source.length - y);
      for (let down = 0; down < rowSpan; down++)
        for (let along = 0; along < colSpan; along++) (rows[y + down] as TableCell[])[x + along] = {};
      const head = cell.type === 'tableHeader';
      const inner = blocks(cell.content ?? [], within).map((each) =>
        isText(each) ? { ...each, margin: [0, 0, 0, 0] as [number, number, number, number] } : each,
      );
      (rows[y] as TableCell[])[x] = {
        stack: inner,
        ...(head ? { bold: true } : {}),
        ...(colSpan > 1 ? { colSpan } : {}),
        ...(rowSpan > 1 ? { rowSpan } : {}),
      };
      x += colSpan;
    }
  });
  const columns = Math.max(0, ...rows.map((row) => row.length));
  return { columns, rows: rows.map((row) => Array.from({ length: columns }, (_, x) => row[x] ?? {})) };
}

/** In points where the writer said so, made to fit the page; the others share what is left. */
function columnWidths(source: readonly DocNode[], columns: number): (number | '*')[] {
  const said = (source[0]?.content ?? []).flatMap((cell): number[] => {
    const count = Math.max(1, Number(cell.attrs?.colspan ?? 1) || 1);
    const widths = Array.isArray(cell.attrs?.colwidth) ? cell.attrs.colwidth.map(Number) : [];
    return Array.from({ length: Math.min(count, MOST_COLUMNS) }, (_, at) =>
      Number.isFinite(widths[at]) && (widths[at] ?? 0) > 0 ? (widths[at] ?? 0) * PIXEL : 0,
    );
  });
  const room = WIDE - columns * 7;
  const fixed = said.reduce((sum, width) => sum + width, 0);
  const shrink = fixed > room ? room / fixed : 1;
  return Array.from({ length: columns }, (_, at) => {
    const width = said[at] ?? 0;
    return width > 0 ? width * shrink : '*';
  });
}

function inlines(nodes: readonly DocNode[], { fonts }: Within): ContentText['text'] {
  const parts = nodes.flatMap((node): ContentText[] => {
    if (node.type === 'hardBreak') return [{ text: '\n' }];
    const look: Partial<ContentText> = {};
    for (const mark of node.marks ?? []) Object.assign(look, looks(mark));
    return drawn(clean(node.text ?? ''), fonts).map((part) => ({ ...part, ...look }));
  });
  // An empty line is as high as any other.
  return parts.length ? parts : ' ';
}

/** A text in the fonts that have its letters. */
function drawn(text: string, fonts: Drawable): { text: string; font?: string }[] {
  return stretches(text, fonts).map(({ text: part, elsewhere }) => ({
    text: part,
    ...(elsewhere ? { font: FONTS.headings } : {}),
  }));
}

function looks(mark: { type: string; attrs?: Record<string, unknown> }): Partial<ContentText> {
  switch (mark.type) {
    case 'bold':
      return { bold: true };
    case 'italic':
      return { italics: true };
    case 'underline':
      return { decoration: 'underline' };
    case 'strike':
      return { decoration: 'lineThrough' };
    case 'highlight':
      return { background: colourOf(mark.attrs?.color) ?? '#F3E3B0' };
    case 'textStyle': {
      const colour = colourOf(mark.attrs?.color);
      const size = sizeOf(mark.attrs?.fontSize);
      return {
        ...(colour ? { color: colour } : {}),
        ...(size ? { fontSize: Number.parseFloat(size) * PIXEL } : {}),
      };
    }
    case 'link': {
      const link = safeLink(String(mark.attrs?.href ?? ''));
      return link ? { link, color: '#1F5547' } : {};
    }
    default:
      return {};
  }
}

/** A text without what no font can draw: control characters, and halves of surrogate pairs. */
function clean(text: string): string {
  return text
    .replace(/\t/g, '    ')
    .replace(/[\u0000-\u0009\u000b-\u001f\u007f\ufffe\uffff]/g, '')
    .replace(/[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g, '\ufffd');
}

const fitted = (text: string, most: number) => (text.length > most ? `${text.slice(0, most - 1)}…` : text);

/** Whether a letter has something that would be printed as an empty box. */
export function undrawn({ address, subject, body, signature }: Printed, fonts: Drawable): boolean {
  const words = [body, ...signature].map((each) => plain({ type: 'doc', content: [each] }));
  return hasUndrawn(clean([...address, subject, ...words].join('\n')), fonts);
}
