import {
  getCountryCallingCode,
  isSupportedCountry,
  parsePhoneNumberFromString,
  type CountryCode,
} from 'libphonenumber-js/min';

/** A telephone number as it is compared, and as it is read by somebody in the office's own country. */
export interface PhoneNumber {
  /** E.164 (`+441632960961`); digits as typed where it is no number of any country. */
  key: string;
  shown: string;
  valid: boolean;
}

/** The longest number there is has fifteen digits (E.164, section 6); people add signs and an extension. */
const LONGEST = 40;

/**
 * Reads a telephone number as people type it.
 * @param country whose national way of writing it may be in: the client's, else the office's (ISO 3166-1)
 * @param home the office's own: numbers of others are shown with their country's code
 */
export function readPhone(typed: string, country: string, home = country): PhoneNumber {
  const text = typed.trim().slice(0, LONGEST);
  const region = (code: string) => (isSupportedCountry(code) ? (code as CountryCode) : undefined);
  const found = parsePhoneNumberFromString(text, region(country));
  if (!found?.isPossible()) return { key: text.replace(/[^\d+]/g, '') || text, shown: text, valid: false };
  const abroad = found.countryCallingCode !== parseCode(home);
  return {
    key: found.number,
    shown: abroad ? found.formatInternational() : found.formatNational(),
    valid: true,
  };
}

function parseCode(country: string): string | null {
  return isSupportedCountry(country) ? getCountryCallingCode(country) : null;
}
