import Papa from 'papaparse';

/** The mark that tells spreadsheets that a text is UTF-8. */
export const CSV_MARK = '\uFEFF';

/**
 * What a spreadsheet would carry out (OWASP, CSV injection): an apostrophe is put before it, which a list brought in
 * here loses again. So one that stands there by itself gets another.
 */
const FORMULA = /^'*[=+\-@\t\r].*$/s;

/** Rows as RFC 4180 has them, with nothing in them that a spreadsheet would carry out. A number stays one. */
export function csvLines(rows: (string | number)[][]): string {
  return `${Papa.unparse(rows, { escapeFormulae: FORMULA, newline: '\r\n' })}\r\n`;
}
