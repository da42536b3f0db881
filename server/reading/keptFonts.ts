import { createHash } from 'node:crypto';
import { createRequire } from 'node:module';
import type { create } from 'fontkit';

/**
 * Lets the PDF library read each font once a thread and not once a document: reading them was half of what a letter
 * cost, and what comes out is the same, byte for byte. Imported before the library, which takes its font reader from
 * here then.
 */
const ofPdfmake = createRequire(createRequire(import.meta.url).resolve('pdfmake'));
const ofPdfkit = createRequire(ofPdfmake.resolve('pdfkit'));
const reader = ofPdfkit('fontkit') as { create: typeof create };
const kept = new Map<string, ReturnType<typeof create>>();

const readOnce: typeof create = (bytes, name) => {
  const key = `${createHash('sha256').update(bytes).digest('base64')} ${name ?? ''}`;
  const font = kept.get(key) ?? reader.create(bytes, name);
  kept.set(key, font);
  return font;
};

const loaded = ofPdfkit.cache[ofPdfkit.resolve('fontkit')];
if (loaded) loaded.exports = Object.create(reader, { create: { value: readOnce, enumerable: true } });
