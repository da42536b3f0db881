import JSZip from 'jszip';
import { BadTemplate } from '../../core/docx/instruction.ts';
import { Template, type Matching, type TemplateFields } from '../../core/docx/template.ts';
import type { Known } from '../../core/facts/catalogue.ts';
import { refuseZipBomb } from './zip.ts';

/** No part of a document that a person wrote is longer, in letters. */
const MOST_XML = 12_000_000;
const MAIN = 'application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml';
const WORDS = 'application/vnd.openxmlformats-officedocument.wordprocessingml.';
/** Parts in which fields are filled in, by the ends of their types. */
const FILLED = ['document.main+xml', 'header+xml', 'footer+xml', 'footnotes+xml', 'endnotes+xml'];
/** What a document may point to outside itself: links that a reader follows; what a merge by hand left is taken out. */
const LINK = /\/hyperlink$/;
const LEFT_OVER = /\/(?:attachedTemplate|mailMergeSource|mailMergeHeaderSource|mailMergeRecipientData)$/;
/** What runs, or brings another document along. */
const ACTIVE =
  /\/(?:vbaProject|wordVbaData|oleObject|package|control|activeXControl[^/]*|aFChunk|subDocument|frame|attachedToolbars|keyMapCustomizations)$/i;

/** A document taken apart: the archive, and the XML of the parts that are filled in. */
export interface OpenedDocx {
  zip: JSZip;
  parts: Map<string, string>;
}

/**
 * Opens a word-processor document (.docx, ECMA-376) from anybody.
 * @throws BadTemplate in words: no such document, broken, too large, with macros, or with parts of other documents
 */
export async function openDocx(bytes: Uint8Array): Promise<OpenedDocx> {
  await refuseZipBomb(bytes).catch((error: Error) => {
    throw new BadTemplate(`It is no word-processor document (.docx) that can be opened. ${error.message}`);
  });
  const zip = await JSZip.loadAsync(bytes).catch(() => {
    throw new BadTemplate('It is damaged: it cannot be opened.');
  });
  const types = await read(zip, '[Content_Types].xml');
  if (types === null) throw new BadTemplate('It is no word-processor document (.docx).');
  if (/macroEnabled|vbaProject/i.test(types))
    throw new BadTemplate('It has macros, which are not taken. Save it as a document without them (.docx).');
  if (!types.includes(MAIN))
    throw new BadTemplate(
      'It is no word-processor document (.docx). Save it as one with your word processor.',
    );
  await lookOutside(zip);
  const parts = new Map<string, string>();
  for (const [, tag = ''] of types.matchAll(/<(?:\w+:)?Override\b([^>]{0,2000})>/g)) {
    const name = /PartName="\/?([^"]+)"/.exec(tag)?.[1] ?? '';
    const type = /ContentType="([^"]+)"/.exec(tag)?.[1] ?? '';
    if (!FILLED.some((end) => type === WORDS + end)) continue;
    const xml = await read(zip, name);
    if (xml !== null) parts.set(name, xml);
  }
  if (!parts.size) throw new BadTemplate('It has no words in it.');
  return { zip, parts };
}

/** Pointers out of a document are looked at, and what a merge by hand left behind is cut. @throws BadTemplate */
async function lookOutside(zip: JSZip): Promise<void> {
  for (const name of Object.keys(zip.files).filter((each) => each.endsWith('.rels'))) {
    const xml = (await read(zip, name)) ?? '';
    let cut = false;
    const kept = xml.replace(/<(?:\w+:)?Relationship\b[^>]{0,8000}>/g, (tag) => {
      const type = /\bType="([^"]*)"/.exec(tag)?.[1] ?? '';
      if (ACTIVE.test(type))
        throw new BadTemplate(
          'It brings something along that runs or is another document (macros, controls, embedded objects). Take that out, and save it anew.',
        );
      if (LEFT_OVER.test(type)) {
        cut = true;
        return '';
      }
      if (/\bTargetMode="External"/i.test(tag) && !LINK.test(type))
        throw new BadTemplate(
          'Part of it lies elsewhere (a linked picture, say). Put it into the document, and save it anew.',
        );
      return tag;
    });
    if (cut) zip.file(name, kept);
  }
  for (const name of ['word/settings.xml', 'word/settings2.xml']) {
    const xml = await read(zip, name);
    if (xml === null) continue;
    const kept = xml
      .replace(/<w:attachedTemplate\b[^>]*\/>/g, '')
      .replace(/<w:mailMerge\b(?:[^<]|<(?!\/w:mailMerge>))*<\/w:mailMerge>/g, '');
    if (kept !== xml) zip.file(name, kept);
  }
}

async function read(zip: JSZip, name: string): Promise<string | null> {
  const bytes = await zip.file(name)?.async('uint8array');
  if (!bytes) return null;
  if (bytes.length > MOST_XML) throw new BadTemplate('It is far longer than a letter.');
  const [first, second] = bytes;
  const encoding =
    first === 0xff && second === 0xfe ? 'utf-16le' : first === 0xfe && second === 0xff ? 'utf-16be' : 'utf-8';
  return new TextDecoder(encoding).decode(bytes);
}

/** The fields a template wants. @throws BadTemplate */
export async function fieldsOfDocx(bytes: Uint8Array): Promise<TemplateFields> {
  const { parts } = await openDocx(bytes);
  return new Template(parts).read();
}

/** A template filled in for each of some. @throws BadTemplate */
export async function mergeDocx(
  bytes: Uint8Array,
  each: readonly Known[],
  matching: Matching,
): Promise<{ docx: Uint8Array; missing: string[] }[]> {
  const { zip, parts } = await openDocx(bytes);
  const template = new Template(parts);
  const made = [];
  for (const known of each) {
    const merged = template.merge(known, matching);
    for (const [name, xml] of merged.parts) zip.file(name, xml, { date: MADE });
    const docx = await zip.generateAsync({
      type: 'uint8array',
      compression: 'DEFLATE',
      compressionOptions: { level: 4 },
    });
    made.push({ docx, missing: merged.missing });
  }
  return made;
}

/** Making one twice gives the same bytes. */
const MADE = new Date('2000-01-01T00:00:00Z');
