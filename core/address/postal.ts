import { countryName } from './country.ts';

/** A postal address in its parts, as calendars, cards and forms keep it. */
export interface AddressParts {
  /** Street and number, house, box: lines of their own. */
  street: readonly string[];
  town: string;
  /** State, province or county. */
  region: string;
  code: string;
}

type Order = (parts: Omit<AddressParts, 'street'>) => string[];
const line = (...words: string[]) => words.filter(Boolean).join(' ');

const CODE_FIRST: Order = ({ code, town }) => [line(code, town)];
const TOWN_REGION_CODE: Order = ({ town, region, code }) => [line(town, region, code)];

/**
 * What stands below the street in each country, in the order of its post (Universal Postal Union, "Addressing systems",
 * country pages; from memory). A region that a country does not write is left out.
 */
const ORDERS: Readonly<Record<string, Order>> = {
  GB: ({ town, code }) => [town, code],
  IE: ({ town, region, code }) => [town, region, code],
  US: TOWN_REGION_CODE,
  CA: TOWN_REGION_CODE,
  AU: TOWN_REGION_CODE,
  DE: CODE_FIRST,
  AT: CODE_FIRST,
  CH: CODE_FIRST,
  FR: CODE_FIRST,
  BE: CODE_FIRST,
  DK: CODE_FIRST,
  NO: CODE_FIRST,
  SE: CODE_FIRST,
  PL: CODE_FIRST,
  PT: CODE_FIRST,
  NL: ({ code, town }) => [[code, town].filter(Boolean).join('  ')],
  IT: ({ code, town, region }) => [line(code, town, region)],
  ES: ({ code, town, region }) => [line(code, town), region],
};

/**
 * The lines of an address in the order of its country, without empty ones.
 * @param country two letters (ISO 3166-1); of one whose order is not known each part is a line
 */
export function postalLines(parts: AddressParts, country: string): string[] {
  const below = ORDERS[country] ?? (({ town, region, code }) => [town, region, code]);
  return [...parts.street, ...below(parts)].map((each) => each.trim()).filter(Boolean);
}

/**
 * The lines as they stand on an envelope: abroad with the country in capitals at the foot, in the sender's language
 * (Universal Postal Union, S42; from memory).
 * @param country two letters; empty for the office's own @param home the office's own
 */
export function printedAddress(lines: readonly string[], country: string, home: string): string[] {
  const written = lines.map((each) => each.trim()).filter(Boolean);
  const abroad = country && country !== home ? countryName(country).toUpperCase() : '';
  if (!written.length || !abroad || written.at(-1)?.toUpperCase() === abroad) return written;
  return [...written, abroad];
}
