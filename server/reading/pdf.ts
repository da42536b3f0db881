import './keptFonts.ts';
import { createRequire } from 'node:module';
import { openSync, type Font } from 'fontkit';
import pdfmake from 'pdfmake';
import type { Drawable } from '../../core/paperwork/letters.ts';
import type { TDocumentDefinitions } from 'pdfmake/interfaces.js';
import { FONTS, letterPages, type Printed } from '../../core/paperwork/print.ts';

const require = createRequire(import.meta.url);
/** Whole fonts: a client's name may want letters that a page's own subset of them has not. */
const font = (family: string, file: string, weight: string) =>
  require.resolve(`@expo-google-fonts/${family}/${weight}/${file}_${weight}.ttf`);
const words = (weight: string) => font('atkinson-hyperlegible-next', 'AtkinsonHyperlegibleNext', weight);
const headings = (weight: string) => font('literata', 'Literata', weight);

let ready = false;
/** Nothing is fetched from anywhere, and no file is read but the fonts. */
function prepare(): void {
  if (ready) return;
  ready = true;
  const all = {
    [FONTS.words]: {
      normal: words('400Regular'),
      bold: words('700Bold'),
      italics: words('400Regular_Italic'),
      bolditalics: words('700Bold_Italic'),
    },
    [FONTS.headings]: {
      normal: headings('600SemiBold'),
      bold: headings('700Bold'),
      italics: headings('600SemiBold_Italic'),
      bolditalics: headings('700Bold_Italic'),
    },
  };
  const files = new Set(Object.values(all).flatMap((family) => Object.values(family)));
  pdfmake.setUrlAccessPolicy(() => false);
  pdfmake.setLocalAccessPolicy((path: string) => files.has(path));
  pdfmake.addFonts(all);
}

let known: Drawable | null = null;
/** Which characters the fonts have. */
export function drawable(): Drawable {
  const has = (file: string) => {
    const font = openSync(file) as Font;
    return (code: number) => font.hasGlyphForCodePoint(code);
  };
  known ??= { words: has(words('400Regular')), headings: has(headings('600SemiBold')) };
  return known;
}

/** The bytes of a letter as a PDF, all its fonts within it. @throws when a picture in it is none */
export async function letterPdf(printed: Printed): Promise<Buffer> {
  return pagesPdf(letterPages(printed, drawable()));
}

/** The bytes of any pages as a PDF. */
export async function pagesPdf(definition: TDocumentDefinitions): Promise<Buffer> {
  prepare();
  return Buffer.from(await pdfmake.createPdf(definition).getBuffer());
}

/** How many pages a PDF of ours has. */
export function pagesIn(pdf: Buffer): number {
  return pdf.toString('latin1').match(/\/Type \/Page\b(?!s)/g)?.length ?? 0;
}
