import { fold } from '../filing/words.ts';

/** What one field of a client must be. A choice with nothing chosen means anyone. */
export type Criterion =
  | { field: 'status'; values: ClientStatus[] }
  | { field: 'adviser'; values: number[] }
  | { field: 'service'; values: string[] }
  | { field: 'interest'; interestId: number; has: boolean }
  | { field: 'number'; fieldId: number; test: 'at least' | 'at most'; value: number }
  | { field: 'email'; has: boolean }
  /** Words within name, place, a person's name or address; or the beginning of a file number. */
  | { field: 'words'; text: string };

export type ClientStatus = 'active' | 'past' | 'prospect';
export type Field = Criterion['field'];
export type CriterionOf<F extends Field> = Extract<Criterion, { field: F }>;

/** How the lines of a group hold together. */
export type Match = 'all' | 'any' | 'none';

/** Lines that hold together; a group without any restricts nothing. */
export interface Group {
  match: Match;
  of: Line[];
}

export type Line = Criterion | Group;

/** Raised when the form of the tree changes; what was kept in an older form is brought up to date when it is read. */
export const SELECTION_VERSION = 1;

/** A set of criteria over the records that can be kept and run again. */
export interface Selection {
  version: typeof SELECTION_VERSION;
  root: Group;
}

/** A selection of what satisfies every one of these lines. */
export function selectionOf(...of: Line[]): Selection {
  return { version: SELECTION_VERSION, root: { match: 'all', of } };
}

/** Whether a line is a group of others rather than a criterion. */
export function isGroup(line: Line): line is Group {
  return 'match' in line;
}

/** What a selection may ask of one client. */
export interface SelectableClient {
  status: ClientStatus;
  adviserId: number | null;
  service: string | null;
  interestIds: readonly number[];
  /** Number fields by field id; a missing value satisfies no test. */
  numbers: ReadonlyMap<number, number>;
  hasEmail: boolean;
  /** Name, place, people and their addresses. */
  words: readonly string[];
  fileNumbers: readonly string[];
}

/** Whether a client is as each field's criterion asks: a field without its test does not compile. */
const TESTS: { [F in Field]: (criterion: CriterionOf<F>, client: SelectableClient) => boolean } = {
  status: ({ values }, { status }) => !values.length || values.includes(status),
  adviser: ({ values }, { adviserId }) =>
    !values.length || (adviserId !== null && values.includes(adviserId)),
  service: ({ values }, { service }) => !values.length || (service !== null && values.includes(service)),
  interest: ({ interestId, has }, { interestIds }) => interestIds.includes(interestId) === has,
  number: ({ fieldId, test, value }, { numbers }) => {
    const own = numbers.get(fieldId);
    return own !== undefined && (test === 'at least' ? own >= value : own <= value);
  },
  email: ({ has }, { hasEmail }) => hasEmail === has,
  words: ({ text }, { words, fileNumbers }) => {
    const wanted = fold(text.trim());
    return (
      !wanted ||
      words.some((each) => fold(each).includes(wanted)) ||
      fileNumbers.some((number) => fold(number).startsWith(wanted))
    );
  },
};

/** Whether the client satisfies one line: a criterion, or a group of them. */
export function satisfies(line: Line, client: SelectableClient): boolean {
  if (!isGroup(line)) {
    // The test is the field's own; that they belong together is more than the compiler follows.
    const test = TESTS[line.field] as (criterion: Criterion, client: SelectableClient) => boolean;
    return test(line, client);
  }
  if (!line.of.length) return true;
  if (line.match === 'all') return line.of.every((each) => satisfies(each, client));
  return line.of.some((each) => satisfies(each, client)) === (line.match === 'any');
}

/** Whether a selection takes a client. */
export function selects({ root }: Selection, client: SelectableClient): boolean {
  return satisfies(root, client);
}
