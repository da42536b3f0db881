import { getCountries, isSupportedCountry } from 'libphonenumber-js/min';

/** The countries there are, by their two letters (ISO 3166-1), as far as they have telephone numbers of their own. */
export const COUNTRIES: readonly string[] = getCountries();

/** Whether two letters are a country's. */
export function isCountry(code: string): boolean {
  return isSupportedCountry(code);
}
