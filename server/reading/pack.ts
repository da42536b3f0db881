import { deflateRawSync, inflateRaw } from 'node:zlib';
import { promisify } from 'node:util';
import type { ReadMessage } from '../../core/message/read.ts';

/** What is kept beside a source of what was read of it, so that screens and filing need not read it again. */
export interface KeptReading {
  /** Without HTML (empty where there is some) and without the bytes of enclosures. */
  read: ReadMessage;
  remotePictures: boolean;
  /** Enclosures, by number, that the HTML shows where they belong. */
  inPlace: number[];
  /** Its text goes on beyond what is kept of it. */
  shortened: boolean;
  /** SHA-256 of everything below the headers, hexadecimal: copies of one message mostly have the same. */
  bodyKey: string;
  /** SHA-256 of the content of each enclosure, hexadecimal; missing in what older versions kept. */
  hashes?: readonly string[];
}

/** In the place of an enclosure's bytes. */
export const NO_BYTES = new Uint8Array();

/** Raised whenever reading finds something it did not before: what was kept by an older one is read again. */
const VERSION = 2;

const unpack = promisify(inflateRaw);

/** A message as JSON can hold it. */
function plain(read: ReadMessage): object {
  return {
    ...read,
    headers: [...read.headers],
    enclosures: read.enclosures.map(({ content: _, ...rest }) => rest),
    enclosed: read.enclosed && plain(read.enclosed),
  };
}

/** Shorter ones, in bytes, are kept as they are: packing them costs more than it saves. */
const SHORT = 4000;
const PLAIN = Buffer.from([0]);
const DEFLATED = Buffer.from([1]);

/** A reading as JSON: as which it is kept, and handed from thread to thread. */
export function jsonOf(kept: KeptReading): string {
  return JSON.stringify({ version: VERSION, kept: { ...kept, read: plain(kept.read) } });
}

/** What {@link jsonOf} wrote. @returns null for what an older version of the reading wrote */
export function readingIn(json: string): KeptReading | null {
  const { version, kept } = JSON.parse(json) as { version: number; kept: KeptReading };
  return version === VERSION ? { ...kept, read: revived(kept.read) } : null;
}

/** A reading as the database keeps it: a byte that says how, then its JSON. */
export function packReading(text: string): Buffer {
  const json = Buffer.from(text);
  return json.length < SHORT
    ? Buffer.concat([PLAIN, json])
    : Buffer.concat([DEFLATED, deflateRawSync(json, { level: 1, memLevel: 7 })]);
}

/** @returns null for one kept by an older version of the reading */
export async function unpackReading(packed: Buffer): Promise<KeptReading | null> {
  const rest = packed.subarray(1);
  return readingIn((packed[0] === 0 ? rest : await unpack(rest)).toString());
}

/** Dates, maps and bytes, which JSON does not know. */
function revived(read: ReadMessage): ReadMessage {
  return {
    ...read,
    date: read.date && new Date(read.date),
    headers: new Map(read.headers),
    enclosures: read.enclosures.map((part) => ({ ...part, content: NO_BYTES })),
    enclosed: read.enclosed && revived(read.enclosed),
  };
}
