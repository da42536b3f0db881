import type { Content, TDocumentDefinitions } from 'pdfmake/interfaces.js';
import { stretches, type Drawable } from './letters.ts';
import { mm, SHEETS } from './paper.ts';
import { FONTS } from './print.ts';

/** How labels stand on an A4 sheet; all in millimetres. */
export interface LabelSheet {
  columns: number;
  rows: number;
  /** Of one label. */
  width: number;
  height: number;
  /** From the edge of the sheet to the first label. */
  left: number;
  top: number;
  /** From the beginning of one label to that of the next. */
  across: number;
  down: number;
}

/** Sheets as many are sold, by what they measure (common practice; margins from memory). */
export const LABEL_SHEETS: readonly (LabelSheet & { words: string })[] = [
  {
    words: '21, of 63.5 by 38.1 mm',
    columns: 3,
    rows: 7,
    width: 63.5,
    height: 38.1,
    left: 7.2,
    top: 15.1,
    across: 66,
    down: 38.1,
  },
  {
    words: '24, of 70 by 36 mm',
    columns: 3,
    rows: 8,
    width: 70,
    height: 36,
    left: 0,
    top: 4.5,
    across: 70,
    down: 36,
  },
  {
    words: '14, of 99.1 by 38.1 mm',
    columns: 2,
    rows: 7,
    width: 99.1,
    height: 38.1,
    left: 4.6,
    top: 15.1,
    across: 101.6,
    down: 38.1,
  },
  {
    words: '16, of 105 by 37 mm',
    columns: 2,
    rows: 8,
    width: 105,
    height: 37,
    left: 0,
    top: 0.5,
    across: 105,
    down: 37,
  },
  {
    words: '8, of 99.1 by 67.7 mm',
    columns: 2,
    rows: 4,
    width: 99.1,
    height: 67.7,
    left: 4.6,
    top: 13.1,
    across: 101.6,
    down: 67.7,
  },
];

/** What is wrong with the measures of a sheet, in words; null when its labels lie on it beside each other. */
export function wrongWith(sheet: LabelSheet): string | null {
  const { columns, rows, width, height, left, top, across, down } = sheet;
  // Half a millimetre is what printers are out by anyhow.
  const slack = 0.5;
  if (columns > 1 && across < width - slack) return 'The labels would lie on each other across.';
  if (rows > 1 && down < height - slack) return 'The labels would lie on each other down.';
  if (left + (columns - 1) * across + width > SHEETS.A4.width + slack)
    return 'They are wider than an A4 sheet.';
  if (top + (rows - 1) * down + height > SHEETS.A4.height + slack) return 'They are higher than an A4 sheet.';
  return null;
}

/** Where the label of a place stands, from 0 on: on which sheet, and its corner in millimetres. */
export function placeOf(place: number, sheet: LabelSheet): { page: number; x: number; y: number } {
  const each = sheet.columns * sheet.rows;
  const on = place % each;
  return {
    page: Math.floor(place / each),
    x: sheet.left + (on % sheet.columns) * sheet.across,
    y: sheet.top + Math.floor(on / sheet.columns) * sheet.down,
  };
}

/** Room around what stands on a label, in millimetres. */
const EDGE = 4;
const SIZE = 10;
const LINE = 1.15;

/**
 * Addresses on sheets of labels, as the PDF library takes them.
 * @param start the first label that is still on the sheet, from 1 on
 */
export function labelPages(
  addresses: readonly (readonly string[])[],
  sheet: LabelSheet,
  start: number,
  fonts: Drawable,
): TDocumentDefinitions {
  let page = 0;
  const content = addresses.flatMap((lines, index): Content[] => {
    const place = placeOf(index + start - 1, sheet);
    const turned = place.page > page;
    page = place.page;
    const size = Math.min(SIZE, mm(sheet.height - 2 * EDGE) / (Math.max(1, lines.length) * LINE * 1.2));
    return [
      ...(turned ? [{ text: '', pageBreak: 'before' } as Content] : []),
      {
        absolutePosition: { x: mm(place.x + EDGE), y: mm(place.y + EDGE) },
        layout: 'noBorders',
        table: {
          widths: [mm(sheet.width - 2 * EDGE)],
          body: [
            [
              {
                stack: lines.map((line) => ({
                  text: stretches(line, fonts).map(({ text, elsewhere }) => ({
                    text,
                    ...(elsewhere ? { font: FONTS.headings } : {}),
                  })),
                  fontSize: size,
                  lineHeight: LINE,
                })),
              },
            ],
          ],
        },
      },
    ];
  });
  return {
    pageSize: 'A4',
    pageMargins: [0, 0, 0, 0],
    defaultStyle: { font: FONTS.words, fontSize: SIZE, color: '#000000' },
    info: { title: 'Labels', creationDate: new Date(0) },
    content: content.length ? content : [{ text: '' }],
  };
}
