/**
 * First names that want a look, as a regular expression that this language and the database read alike: none, figures
 * and signs of addresses, an initial alone, a title in the place of a name, small or capital letters throughout.
 */
export const ODD_FIRST_NAME = [
  '^\\s*$',
  '[0-9@_/<>{}\\[\\]?!*#&+]',
  '^.\\.?$',
  '^(Mr|Mrs|Ms|Miss|Dr|Prof|Sir|Lady|Lord|Rev|The|Herr|Frau|Family|Office|Info|Accounts|Unknown|Test|None|Tbc|X+)\\.?$',
  '^[a-z]',
  '^[A-Z][A-Z]+$',
].join('|');

/** Whether a first name wants a look. */
export function isOddFirstName(name: string): boolean {
  return new RegExp(ODD_FIRST_NAME).test(name);
}

/** Email addresses that cannot be one, in the same manner. */
export const BROKEN_ADDRESS = '^[^@]*$|@.*@|@[^.]*$|\\s|\\.\\.|@\\.|\\.$|@-';

/**
 * How the postcode looks that stands in an address of each country, read in capitals; of others nothing is said
 * (Universal Postal Union, "Addressing systems", country pages; from memory).
 */
export const POSTCODES: Readonly<Record<string, string>> = {
  GB: '\\b([A-Z]{1,2}[0-9][A-Z0-9]?|GIR) ?[0-9][A-Z]{2}\\b',
  IE: '\\b([AC-FHKNPRTV-Y][0-9]{2}|D6W) ?[0-9AC-FHKNPRTV-Y]{4}\\b',
  DE: '\\b[0-9]{5}\\b',
  FR: '\\b[0-9]{5}\\b',
  IT: '\\b[0-9]{5}\\b',
  ES: '\\b[0-5][0-9]{4}\\b',
  US: '\\b[0-9]{5}(-[0-9]{4})?\\b',
  CA: '\\b[A-Z][0-9][A-Z] ?[0-9][A-Z][0-9]\\b',
  AT: '\\b[1-9][0-9]{3}\\b',
  CH: '\\b[1-9][0-9]{3}\\b',
  BE: '\\b[1-9][0-9]{3}\\b',
  DK: '\\b[0-9]{4}\\b',
  NO: '\\b[0-9]{4}\\b',
  AU: '\\b[0-9]{4}\\b',
  NL: '\\b[1-9][0-9]{3} ?[A-Z]{2}\\b',
  SE: '\\b[0-9]{3} ?[0-9]{2}\\b',
  PL: '\\b[0-9]{2}-[0-9]{3}\\b',
  PT: '\\b[0-9]{4}-[0-9]{3}\\b',
};
