import { PDFDocument, type PDFEmbeddedPage } from 'pdf-lib';
import type { Content } from 'pdfmake/interfaces.js';
import { envelopeFor, sheetsOf, type PackCover, type PackPart } from '../../core/paperwork/pack.ts';
import { FONTS } from '../../core/paperwork/print.ts';
import { pagesPdf } from './pdf.ts';

/** The size of an A4 sheet in points. */
const A4: [number, number] = [595.28, 841.89];

/**
 * What goes by post as one PDF: the cover list, then each piece in the order given, with what goes with it. Printed on both sides, each begins
 * on a sheet of its own: behind an odd number of pages stands a blank one.
 * @returns its pages without those of the cover list
 */
export async function packPdf(
  parts: readonly PackPart[],
  others: readonly Uint8Array[],
  cover: PackCover,
  duplex: boolean,
): Promise<{ pdf: Uint8Array; pages: number }> {
  const pack = await PDFDocument.create();
  const first = await append(pack, await coverPdf(cover, duplex), duplex);
  const drawn = await Promise.all(others.map((pdf) => embed(pack, pdf)));
  for (const part of parts) {
    await append(pack, part.pdf, duplex);
    for (const place of part.others) draw(pack, drawn[place] ?? [], duplex);
  }
  const pdf = await pack.save({ useObjectStreams: true });
  return { pdf, pages: pack.getPageCount() - first };
}

/** The pages of what goes with many: kept once in the pack, however often they are drawn. */
async function embed(pack: PDFDocument, pdf: Uint8Array): Promise<PDFEmbeddedPage[]> {
  const source = await PDFDocument.load(pdf, { updateMetadata: false });
  return pack.embedPdf(source, source.getPageIndices());
}

/** Each on an A4 sheet, made smaller where it is larger. */
function draw(pack: PDFDocument, pages: readonly PDFEmbeddedPage[], duplex: boolean): void {
  for (const each of pages) {
    const [width, height] = A4;
    const scale = Math.min(1, width / each.width, height / each.height);
    const [wide, high] = [each.width * scale, each.height * scale];
    pack.addPage(A4).drawPage(each, { x: (width - wide) / 2, y: height - high, width: wide, height: high });
  }
  if (duplex && pages.length % 2 === 1) pack.addPage(A4);
}

/** @returns how many pages that were */
async function append(pack: PDFDocument, part: Uint8Array, duplex: boolean): Promise<number> {
  const source = await PDFDocument.load(part, { updateMetadata: false });
  const pages = await pack.copyPages(source, source.getPageIndices());
  for (const page of pages) pack.addPage(page);
  const blank = duplex && pages.length % 2 === 1;
  if (blank) pack.addPage(A4);
  return pages.length + Number(blank);
}

function coverPdf({ heading, made, lines }: PackCover, duplex: boolean): Promise<Buffer> {
  const sheets = lines.reduce((sum, { pages }) => sum + sheetsOf(pages, duplex), 0);
  const envelopes = (['DL', 'C5', 'C4'] as const).flatMap((size) => {
    const count = lines.filter(({ pages }) => envelopeFor(sheetsOf(pages, duplex)) === size).length;
    return count ? [`${count} in ${size}`] : [];
  });
  const head = ['', 'Client', 'What', 'Postcode', 'Pages', 'Posted'].map((text) => ({ text, bold: true }));
  const rows = lines.map(({ place, client, what, postcode, pages }): Content[] => [
    { text: String(place), alignment: 'right' },
    client,
    what,
    postcode,
    { text: String(pages), alignment: 'right' },
    { canvas: [{ type: 'rect', x: 8, y: 1, w: 9, h: 9, lineWidth: 0.6 }] },
  ]);
  return pagesPdf({
    pageSize: 'A4',
    pageMargins: [57, 57, 48, 48],
    defaultStyle: { font: FONTS.words, fontSize: 9.5, lineHeight: 1.15, color: '#1F2B28' },
    info: { title: heading, creationDate: new Date(0) },
    content: [
      { text: heading, font: FONTS.headings, fontSize: 20, margin: [0, 0, 0, 4] },
      {
        text: `${made}. ${lines.length} envelopes (${envelopes.join(', ')}), ${sheets} sheets.`,
        margin: [0, 0, 0, 12],
      },
      {
        table: {
          headerRows: 1,
          dontBreakRows: true,
          widths: [24, '*', '*', 62, 34, 38],
          body: [head, ...rows],
        },
        layout: 'lightHorizontalLines',
      },
    ],
    footer: (page, count) => ({
      text: `${heading}: page ${page} of ${count}`,
      alignment: 'right',
      fontSize: 8,
      margin: [0, 12, 48, 0],
    }),
  });
}
