import { hash } from 'node:crypto';
import { deflateRawSync } from 'node:zlib';
import { NoTable, type Table } from '../../core/import/text.ts';
import { decodeText } from '../../core/message/charset.ts';
import { differences, sameMessage } from '../../core/message/compare.ts';
import { boundedHtml } from '../../core/message/html.ts';
import { cut, LIMITS } from '../../core/message/limits.ts';
import { endOfHead, readMessage, type Enclosure, type ReadMessage } from '../../core/message/read.ts';
import type { Invitation } from '../../core/timeline/invitation.ts';
import { NOTHING_WRITTEN, writtenPart, type Written } from '../../core/message/written.ts';
import type { MessageParts } from './build.ts';
import { jsonOf, NO_BYTES, packReading, type KeptReading } from './pack.ts';
import { BadTemplate } from '../../core/docx/instruction.ts';
import type { Matching, TemplateFields } from '../../core/docx/template.ts';
import type { Known } from '../../core/facts/catalogue.ts';
import type { Printed } from '../../core/paperwork/print.ts';
import type { LabelSheet } from '../../core/paperwork/labels.ts';
import type { PackCover, PackPart } from '../../core/paperwork/pack.ts';
import type { SheetTable } from './sheet.ts';

/** A source packed for keeping, with what was read of it. */
export interface PackedReading {
  hash: Uint8Array;
  size: number;
  packed: Uint8Array;
  reading: Uint8Array;
  /** The reading as JSON, which is handed over at less cost than an object of many parts. */
  kept: string;
  /** Its parts, as told by the name it shows. */
  written: Written;
}

/** What the threads do: everything with mail from outside whose cost a stranger controls, and what thousands need. */
export interface Tasks {
  /** Reads a source and packs it. */
  read(raw: Uint8Array): Promise<PackedReading>;
  /** The bytes of a message that we write, and those bytes packed. */
  build(parts: MessageParts): Promise<{ raw: Uint8Array; hash: Uint8Array; packed: Uint8Array }>;
  /** The page that shows a message in its frame. */
  page(raw: Uint8Array, pictures: boolean): Promise<string>;
  /** One enclosure with its bytes; null when there is none of that number. */
  enclosure(
    raw: Uint8Array,
    index: number,
  ): Promise<Pick<Enclosure, 'filename' | 'mimeType' | 'content'> | null>;
  /** The invitation in one enclosure; null when it is none. @param zone the firm's */
  invitation(raw: Uint8Array, index: number, zone: string): Promise<Invitation | null>;
  /** What a reader would find different between two messages. */
  differences(one: Uint8Array, two: Uint8Array): Promise<string[]>;
  /** Whether two messages that bear the same marks are copies of one. */
  sameMessage(one: Uint8Array, two: Uint8Array): Promise<boolean>;
  /** The table in a file that a colleague chose, or why there is none. */
  table(bytes: Uint8Array): Promise<{ table: Table; problem: null } | { table: null; problem: string }>;
  /** A letter on its paper as a PDF, how many pages it has, and whether it has letters that its fonts cannot draw. */
  letter(printed: Printed): Promise<{ pdf: Uint8Array; pages: number; boxes: boolean }>;
  /** How many pages a PDF has. */
  pages(pdf: Uint8Array): Promise<number>;
  /** Addresses on sheets of labels, as a PDF. */
  labels(addresses: readonly (readonly string[])[], sheet: LabelSheet, start: number): Promise<Uint8Array>;
  /** What goes by post as one PDF, in the order given. */
  pack(
    parts: readonly PackPart[],
    others: readonly Uint8Array[],
    cover: PackCover,
    duplex: boolean,
  ): Promise<{ pdf: Uint8Array; pages: number }>;
  /** The fields a word-processor template wants, or why it cannot be taken. */
  sheet(title: string, said: readonly string[], tables: readonly SheetTable[]): Promise<Uint8Array>;
  docxFields(bytes: Uint8Array): Promise<TemplateFields | { refused: string }>;
  /** A template filled in for each of some, or why it cannot be. */
  mergeDocx(
    bytes: Uint8Array,
    each: readonly Known[],
    matching: Matching,
  ): Promise<{ docx: Uint8Array; missing: string[] }[] | { refused: string }>;
  /** The words of a word-processor file (.docx, ECMA-376). */
  wordText(bytes: Uint8Array): Promise<string>;
  /** A text in its parts, told by names its writer may sign with. */
  part(text: string, names: readonly string[], address: string): Promise<Written>;
}

/** Quick rather than small; less working memory than usual is quicker to set up for each message. */
const PACKING = { level: 1, memLevel: 7 };

/** Headers that are looked at after reading. */
const HEADERS = ['date', 'list-id', 'delivered-to', 'x-original-to', 'envelope-to'];

/** A message without what is read again from its source when it is wanted: the HTML and the bytes of enclosures. */
function lean(read: ReadMessage, text: number = LIMITS.text): ReadMessage {
  return {
    ...read,
    headers: new Map(
      HEADERS.flatMap((name) => (read.headers.has(name) ? [[name, read.headers.get(name) ?? '']] : [])),
    ),
    text: cut(read.text, text),
    html: read.html === null ? null : '',
    enclosures: read.enclosures.map((part) => ({ ...part, content: NO_BYTES })),
    enclosed: read.enclosed && lean(read.enclosed, LIMITS.filing),
  };
}

/** What is kept of a message that has been read. */
export function keptOf(raw: Uint8Array, read: ReadMessage): KeptReading {
  const pictures = new Set(
    read.html === null
      ? []
      : Array.from(
          cut(read.html ?? '', LIMITS.html).matchAll(/cid:([^"'<>\s)]{1,500})/gi),
          (match) => match[1],
        ),
  );
  return {
    read: lean(read),
    remotePictures: read.html !== null && boundedHtml(read.html).remotePictures,
    inPlace: read.enclosures.flatMap(({ contentId }, index) =>
      contentId !== null && pictures.has(contentId) ? [index] : [],
    ),
    shortened: read.text.length > LIMITS.text,
    bodyKey: hash('sha256', raw.subarray(endOfHead(raw))),
    hashes: read.enclosures.map(({ content }) => hash('sha256', content)),
  };
}

/** What cannot be taken is told in words, across threads. */
async function refusing<T>(work: () => Promise<T>): Promise<T | { refused: string }> {
  try {
    return await work();
  } catch (error) {
    if (!(error instanceof BadTemplate)) throw error;
    return { refused: error.message };
  }
}

/** What mail is read with is here from the start, so that a thread is soon up; the rest comes when it is first wanted. */
export const tasks: Tasks = {
  async read(raw) {
    const read = await readMessage(raw);
    const kept = jsonOf(keptOf(raw, read));
    return {
      hash: hash('sha256', raw, 'buffer'),
      size: raw.length,
      packed: deflateRawSync(raw, PACKING),
      reading: packReading(kept),
      kept,
      written:
        read.problem === null
          ? writtenPart(read.text, read.from?.name ? [read.from.name] : [], read.from?.address)
          : NOTHING_WRITTEN,
    };
  },
  async build(parts) {
    const { buildMessage } = await import('./build.ts');
    const raw = await buildMessage(parts);
    return { raw, hash: hash('sha256', raw, 'buffer'), packed: deflateRawSync(raw, PACKING) };
  },
  async page(raw, pictures) {
    const { framePage, plainAsHtml, safeHtml } = await import('../security/html.ts');
    const { html, text, enclosures } = await readMessage(raw);
    return framePage(html === null ? plainAsHtml(text) : safeHtml(html, enclosures, pictures));
  },
  async enclosure(raw, index) {
    const { enclosures } = await readMessage(raw);
    const part = enclosures[index];
    return part ? { filename: part.filename, mimeType: part.mimeType, content: part.content } : null;
  },
  async invitation(raw, index, zone) {
    const { enclosures } = await readMessage(raw);
    const part = enclosures[index];
    if (!part) return null;
    const { readInvitation } = await import('../../core/timeline/invitation.ts');
    return readInvitation(decodeText(part.content), zone);
  },
  async differences(one, two) {
    return differences(await readMessage(one), await readMessage(two));
  },
  async sameMessage(one, two) {
    return sameMessage(await readMessage(one), await readMessage(two));
  },
  async table(bytes) {
    const { readTable } = await import('../../core/import/table.ts');
    try {
      return { table: readTable(bytes), problem: null };
    } catch (error) {
      if (!(error instanceof NoTable)) throw error;
      return { table: null, problem: error.message };
    }
  },
  async wordText(bytes) {
    const { refuseZipBomb } = await import('./zip.ts');
    await refuseZipBomb(bytes);
    const { default: mammoth } = await import('mammoth');
    return (await mammoth.extractRawText({ buffer: Buffer.from(bytes) })).value;
  },
  docxFields: (bytes) => refusing(async () => (await import('./docx.ts')).fieldsOfDocx(bytes)),
  mergeDocx: (bytes, each, matching) =>
    refusing(async () => (await import('./docx.ts')).mergeDocx(bytes, each, matching)),
  async letter(printed) {
    const { drawable, letterPdf, pagesIn } = await import('./pdf.ts');
    const { undrawn } = await import('../../core/paperwork/print.ts');
    const pdf = await letterPdf(printed);
    return { pdf, pages: pagesIn(pdf), boxes: undrawn(printed, drawable()) };
  },
  async pages(pdf) {
    const { PDFDocument } = await import('pdf-lib');
    return (await PDFDocument.load(pdf, { updateMetadata: false })).getPageCount();
  },
  async labels(addresses, sheet, start) {
    const { drawable, pagesPdf } = await import('./pdf.ts');
    const { labelPages } = await import('../../core/paperwork/labels.ts');
    return pagesPdf(labelPages(addresses, sheet, start, drawable()));
  },
  async pack(parts, others, cover, duplex) {
    const { packPdf } = await import('./printPack.ts');
    return packPdf(parts, others, cover, duplex);
  },
  async sheet(title, said, tables) {
    const { sheetPdf } = await import('./sheet.ts');
    return sheetPdf(title, said, tables);
  },
  async part(text, names, address) {
    return writtenPart(text, names, address);
  },
};
