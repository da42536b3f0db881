/**
 * What the postcodes of a district begin with, as a regular expression over a postcode in capitals without blanks:
 * letters alone are an area (`QX`), letters and a figure a district (`QX4`), a district, a blank and a figure a sector
 * (`QX4 2`); figures alone the beginning of a code of figures. The make of British postcodes: BS 7666-2, outward code
 * of two to four signs, inward code of a figure and two letters.
 * @returns null where nothing was said that a postcode could begin with
 */
export function districtPattern(typed: string): string | null {
  const words = typed.slice(0, 12).toUpperCase().trim().split(/\s+/);
  const code = words.join('');
  if (!/^[A-Z0-9]+$/.test(code)) return null;
  if (/^[A-Z]+$/.test(code)) return `^${code}[0-9]`;
  if (/^[0-9]+$/.test(code) || words.length > 1) return `^${code}`;
  return `^${code}([0-9][A-Z]{2})?$`;
}
