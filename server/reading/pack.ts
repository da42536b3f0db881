import { deflateRawSync, inflateRaw } from 'node:zlib';
import { promisify } from 'node:util';
import type { ReadMessage } from '../../core/message/read.ts';
import type { Written } from '../../core/message/written.ts';

/** What is kept beside a source of what was read of it, so that screens and filing need not read it again. */
export interface KeptReading {
  /** Without HTML (empty where there is some) and without the bytes of enclosures. */
  read: ReadMessage;
  /** Its parts, as told by the name it shows. */
  written: Written;
  remotePictures: boolean;
  /** Enclosures, by number, that the HTML shows where they belong. */
  inPlace: number[];
  /** Its text goes on beyond what is kept of it. */
  shortened: boolean;
  /** SHA-256 of everything below the headers, hexadecimal: copies of one message mostly have the same. */
  bodyKey: string;
}

/** Raised whenever reading finds something it did not before: what was kept by an older one is read again. */
const VERSION = 1;

const unpack = promisify(inflateRaw);

/** A reading as the database keeps it. */
export function packReading(kept: KeptReading): Buffer {
  const json = JSON.stringify({ version: VERSION, kept }, (_key, value: unknown) =>
    value instanceof Map ? { entries: [...value] } : value instanceof Uint8Array ? undefined : value,
  );
  return deflateRawSync(json, { level: 1, memLevel: 7 });
}

/** @returns null for one kept by an older version of the reading */
export async function unpackReading(packed: Buffer): Promise<KeptReading | null> {
  const { version, kept } = JSON.parse((await unpack(packed)).toString()) as {
    version: number;
    kept: KeptReading;
  };
  if (version !== VERSION) return null;
  return { ...kept, read: revived(kept.read) };
}

/** Dates, maps and bytes, which JSON does not know. */
function revived(read: ReadMessage): ReadMessage {
  return {
    ...read,
    date: read.date && new Date(read.date),
    headers: new Map((read.headers as unknown as { entries: [string, string][] }).entries),
    enclosures: read.enclosures.map((part) => ({ ...part, content: new Uint8Array() })),
    enclosed: read.enclosed && revived(read.enclosed),
  };
}
