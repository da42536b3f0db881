import type { Content } from 'pdfmake/interfaces.js';
import { FONTS } from '../../core/paperwork/print.ts';
import { pagesPdf } from './pdf.ts';

/** A table of figures as paper: its headings, and rows whose numbers stand at the right. */
export interface SheetTable {
  heading: string;
  columns: readonly string[];
  rows: readonly (readonly (string | number)[])[];
  /** Said where there are no rows. */
  none: string;
}

/** A sheet for whoever audits: tables one below the other, as a PDF. */
export function sheetPdf(
  title: string,
  said: readonly string[],
  tables: readonly SheetTable[],
): Promise<Buffer> {
  return pagesPdf({
    pageSize: 'A4',
    pageOrientation: 'landscape',
    pageMargins: [48, 48, 48, 48],
    defaultStyle: { font: FONTS.words, fontSize: 8.5, lineHeight: 1.15, color: '#1F2B28' },
    info: { title, creationDate: new Date(0) },
    content: [
      { text: title, font: FONTS.headings, fontSize: 20, margin: [0, 0, 0, 4] },
      ...said.map((text): Content => ({ text, margin: [0, 0, 0, 3] })),
      ...tables.flatMap(({ heading, columns, rows, none }): Content[] => [
        { text: heading, font: FONTS.headings, fontSize: 13, margin: [0, 12, 0, 4] },
        rows.length
          ? {
              table: {
                headerRows: 1,
                dontBreakRows: true,
                widths: columns.map((_, at) => (at < 2 ? '*' : 'auto')),
                body: [
                  columns.map((text) => ({ text, bold: true })),
                  ...rows.map((row) =>
                    row.map((cell) =>
                      typeof cell === 'number'
                        ? { text: cell.toLocaleString('en-GB'), alignment: 'right' as const }
                        : cell,
                    ),
                  ),
                ],
              },
              layout: 'lightHorizontalLines',
            }
          : { text: none },
      ]),
    ],
    footer: (page, count) => ({
      text: `${title}: page ${page} of ${count}`,
      alignment: 'right',
      fontSize: 8,
      margin: [0, 12, 48, 0],
    }),
  });
}
