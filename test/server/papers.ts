import { PNG } from 'pngjs';
import type { DocNode } from '../../core/merge/document.ts';
import type { Printed } from '../../core/paperwork/print.ts';
import { letterPdf } from '../../server/reading/pdf.ts';

export const paragraph = (text: string): DocNode => ({
  type: 'paragraph',
  content: text ? [{ type: 'text', text }] : [],
});

/** A letter on some paper. */
export const printed = (body: readonly DocNode[], instead: Partial<Printed> = {}): Printed => ({
  paper: {
    name: 'Thistle & Daughters',
    postal: ['1 The Green', 'Thistleton', 'Q1 1AA'],
    reach: ['01632 960961'],
    logo: null,
    colour: '#1F5547',
    foot: ['Registered under 1234'],
    window: 'left',
    foldMarks: true,
  },
  madeAt: new Date('2026-05-03T09:00:00Z'),
  address: ['Agnes Garrowby', 'The Old Mill', 'Q2 2BB'],
  facts: [{ label: 'Date', value: '3 May 2026' }],
  subject: '',
  body: { type: 'doc', content: [...body] },
  signature: [],
  pictures: {},
  continued: 'To Agnes Garrowby, 3 May 2026',
  slip: null,
  ...instead,
});

/** A PDF with these words. */
export const pdfOf = (words: string): Promise<Buffer> => letterPdf(printed([paragraph(words)]));

/** A picture so large, of one colour. */
export function pngOf(width: number, height: number, shade = 120): Buffer {
  const png = new PNG({ width, height });
  png.data.fill(shade);
  return PNG.sync.write(png);
}
