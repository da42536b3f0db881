import { getCountries, isSupportedCountry } from 'libphonenumber-js/min';

/** The countries there are, by their two letters (ISO 3166-1), as far as they have telephone numbers of their own. */
export const COUNTRIES: readonly string[] = getCountries();

/** Whether two letters are a country's. */
export function isCountry(code: string): boolean {
  return isSupportedCountry(code);
}

const NAMES = new Intl.DisplayNames('en-GB', { type: 'region' });

/** What a country is called in English; the letters themselves where it is none. */
export function countryName(code: string): string {
  return isCountry(code) ? (NAMES.of(code) ?? code) : code;
}

/** Other words for countries in addresses (common practice). */
const ALSO: Readonly<Record<string, string>> = {
  uk: 'GB',
  'great britain': 'GB',
  england: 'GB',
  scotland: 'GB',
  wales: 'GB',
  'northern ireland': 'GB',
  usa: 'US',
  'united states of america': 'US',
  eire: 'IE',
  deutschland: 'DE',
  schweiz: 'CH',
  österreich: 'AT',
  holland: 'NL',
  'the netherlands': 'NL',
};
const CODES = new Map(
  COUNTRIES.flatMap((code) => [code, countryName(code)].map((each) => [each.toLowerCase(), code] as const)),
);

/** The two letters of a country by its name in English or by themselves; null where it is none. */
export function countryCode(name: string): string | null {
  const folded = name.trim().toLowerCase().replaceAll('.', '');
  return CODES.get(folded) ?? ALSO[folded] ?? null;
}
