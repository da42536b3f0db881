/** What can be picked out. */
export const SUBJECTS = ['client', 'person', 'file'] as const;
export type Subject = (typeof SUBJECTS)[number];

export const UNITS = ['days', 'weeks', 'months', 'years'] as const;
export type Unit = (typeof UNITS)[number];

/** What a fact must be. Which of these fit a fact its kind says ({@link OPERATORS}). */
export type Test =
  | { op: 'contains' | 'lacks' | 'is' | 'begins with' | 'within'; text: string }
  | { op: 'at least' | 'at most'; value: number }
  | { op: 'between'; from: number; to: number }
  | { op: 'one of' | 'none of' | 'all of'; values: readonly (string | number)[] }
  /** Calendar days, both inclusive. */
  | { op: 'from' | 'until'; day: string }
  | { op: 'from until'; from: string; to: string }
  /** Counted from today: in the last two weeks, in the next three months, longer ago, further ahead. */
  | {
      op: 'in the last' | 'in the next' | 'longer ago than' | 'further ahead than';
      count: number;
      unit: Unit;
    }
  | { op: 'yes' | 'no' | 'empty' | 'filled' };
export type Operator = Test['op'];

/** One fact, and what it must be. */
export interface Criterion {
  /** Of the catalogue: `client.status`; `field:12` for one of the firm's own. */
  fact: string;
  test: Test;
}

/** How the lines of a group hold together. */
export const MATCHES = ['all', 'any', 'none'] as const;
export type Match = (typeof MATCHES)[number];

/** Lines that hold together. */
export interface Group {
  match: Match;
  of: Line[];
}

/** Something of theirs, or nothing, for which all of the lines hold: a file, a person, a fee note. */
export interface Related {
  /** Of the catalogue: `client.files`. */
  through: string;
  has: boolean;
  of: Line[];
}

export type Line = Criterion | Group | Related;

/** Raised when the form of the tree changes; a migration brings what was kept in an older form up to date. */
export const SELECTION_VERSION = 2;

/** A set of criteria over the records that can be kept and run again. */
export interface Selection {
  version: typeof SELECTION_VERSION;
  subject: Subject;
  /** Whether past clients, and what is theirs, come too. */
  past: boolean;
  /** All of these. */
  of: Line[];
  /** Put in by hand, whatever the lines say. */
  added: number[];
  /** Taken out by hand. */
  removed: number[];
  /** Of all these only those that were ticked, where some were. */
  only?: number[] | undefined;
}

/** A selection of the clients that satisfy every one of these lines. */
export function selectionOf(...of: Line[]): Selection {
  return { version: SELECTION_VERSION, subject: 'client', past: true, of, added: [], removed: [] };
}

/** Whether a line is a group of others. */
export function isGroup(line: Line): line is Group {
  return 'match' in line;
}

/** Whether a line asks for something related. */
export function isRelated(line: Line): line is Related {
  return 'through' in line;
}

/** Whether it has been said what the fact must be; until then the line is passed over. */
export function isSaid({ test }: Criterion): boolean {
  if ('values' in test) return test.values.length > 0;
  if ('text' in test) return test.text.trim() !== '';
  if ('day' in test) return test.day !== '';
  if (test.op === 'from until') return test.from !== '' && test.to !== '';
  return true;
}

/**
 * The lines that ask for something: those of which nothing has been said yet are passed over, and groups without
 * any. A related record without lines asks that there be one.
 */
export function saidLines(lines: readonly Line[]): Line[] {
  return lines.flatMap((line): Line[] => {
    if (isRelated(line)) return [{ ...line, of: saidLines(line.of) }];
    if (!isGroup(line)) return isSaid(line) ? [line] : [];
    const of = saidLines(line.of);
    return of.length ? [{ ...line, of }] : [];
  });
}
