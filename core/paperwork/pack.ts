/** A piece that goes by post, as far as its order needs it. */
export interface Posted {
  pages: number;
  postcode: string;
  client: string;
}

/** Sheets of paper that so many pages take. */
export function sheetsOf(pages: number, duplex: boolean): number {
  return duplex ? Math.ceil(pages / 2) : pages;
}

/**
 * The pages of a piece with those of what goes with it: printed on both sides, each begins on a sheet of its own.
 * @param others of what goes with it
 */
export function pagesWith(pages: number, others: readonly number[], duplex: boolean): number {
  const whole = (count: number) => (duplex ? Math.ceil(count / 2) * 2 : count);
  return others.length ? [pages, ...others].reduce((sum, count) => sum + whole(count), 0) : pages;
}

/** So many sheets, folded twice, go into a DL envelope; so many, folded once, into C5 (common practice). */
const MOST_IN_DL = 5;
const MOST_IN_C5 = 10;

/** The envelope that so many sheets want. */
export function envelopeFor(sheets: number): 'DL' | 'C5' | 'C4' {
  if (sheets <= MOST_IN_DL) return 'DL';
  return sheets <= MOST_IN_C5 ? 'C5' : 'C4';
}

/** Envelope order: those of as many sheets lie together, and within them by postcode, as the post is sorted. */
export function inEnvelopeOrder<P extends Posted>(pieces: readonly P[], duplex: boolean): P[] {
  const key = ({ postcode }: Posted) => postcode.replace(/\s+/g, '').toUpperCase();
  return [...pieces].sort(
    (a, b) =>
      sheetsOf(a.pages, duplex) - sheetsOf(b.pages, duplex) ||
      key(a).localeCompare(key(b), 'en-GB', { numeric: true }) ||
      a.client.localeCompare(b.client, 'en-GB'),
  );
}

/** A piece of a pack, and which of what goes with many goes with it, by their places. */
export interface PackPart {
  pdf: Uint8Array;
  others: readonly number[];
}

/** What stands on the list that goes before a pack. */
export interface PackCover {
  /** `Print pack 12`. */
  heading: string;
  /** `Made on 3 May 2026 by Maren Okell`. */
  made: string;
  lines: readonly { place: number; client: string; what: string; postcode: string; pages: number }[];
}
