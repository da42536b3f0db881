import Papa from 'papaparse';
import { areCards, readCards } from './cards.ts';
import { decodeList, NoTable, type Table } from './text.ts';

const MOST_ROWS = 200_000;
const MOST_COLUMNS = 300;
/** An apostrophe before what a spreadsheet would else take for a formula: it says so, and is no part of the cell. */
const NO_FORMULA = /^'(?='*[=+\-@\t\r])/;
/** No cell is kept longer. */
const LONGEST = 20_000;

/**
 * Reads a table of comma-separated values (RFC 4180), whatever parts them, or business cards as one: the first line that is not empty bears the
 * headings. Lines that are empty are passed over.
 * @throws NoTable with a sentence that says why it cannot be read
 */
export function readTable(bytes: Uint8Array): Table {
  const { text, encoding } = decodeList(bytes);
  if (areCards(text)) return readCards(text, encoding);
  const { data, meta, errors } = Papa.parse<string[]>(text, { skipEmptyLines: 'greedy' });
  const unclosed = errors.find(({ code }) => code === 'MissingQuotes');
  if (unclosed)
    throw new NoTable(
      `A quotation mark is opened and never closed, from line ${(unclosed.row ?? 0) + 1} on.`,
    );
  const [first, ...others] = data;
  if (!first || !others.length) throw new NoTable('There is no row below the headings in this file.');
  if (first.length > MOST_COLUMNS) throw new NoTable(`More than ${MOST_COLUMNS} columns: is this a table?`);
  if (others.length > MOST_ROWS)
    throw new NoTable(`More than ${MOST_ROWS.toLocaleString('en-GB')} rows. Bring it in in parts.`);
  const width = first.length;
  const cell = (value: string | undefined) => (value ?? '').slice(0, LONGEST).replace(NO_FORMULA, '');
  return {
    header: first.map((heading) => heading.trim().slice(0, 200)),
    rows: others.map((row) => Array.from({ length: width }, (_, at) => cell(row[at]))),
    encoding,
    delimiter: meta.delimiter,
  };
}
