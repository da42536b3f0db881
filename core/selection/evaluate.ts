import { collated } from '../office/collated.ts';
import { OPERATORS, type SelectableFact } from './catalogue.ts';
import { dayRange, isDayTest, liesWithin } from './days.ts';
import { districtPattern } from './postcode.ts';
import { isGroup, isRelated, saidLines, type Line, type Selection, type Test } from './tree.ts';

/**
 * What a record has for a fact: text; several texts, choices or numbers; a number; a day as `2026-11-26` (points of
 * time are told by their day in the firm's zone); yes or no; null for nothing.
 */
export type Value = string | number | boolean | null | readonly (string | number)[];

/** A record as a selection sees it. */
export interface SelectableRecord {
  id: number;
  /** Whether it is of a past client. */
  past: boolean;
  valueOf(fact: string): Value;
  /** What hangs on it. @param through a relation of the catalogue */
  related(through: string): readonly Pick<SelectableRecord, 'valueOf' | 'related'>[];
}

/** Who asks, and when. */
export interface Asking {
  /** In the firm's zone, as `2026-11-26`. */
  today: string;
  /** Whom `me` means. */
  me: number;
}

/** The value that stands for whoever asks. */
export const ME = 'me';

/** Whether a value is as the test asks. What is not there satisfies no test but `empty`, `lacks`, `none of` and `no`. */
export function passes(value: Value, test: Test, { today, me }: Asking): boolean {
  const several = Array.isArray(value) ? value : null;
  if (test.op === 'empty' || test.op === 'filled') {
    const empty = value === null || value === '' || several?.length === 0;
    return empty === (test.op === 'empty');
  }
  if (test.op === 'yes' || test.op === 'no') return (value === true) === (test.op === 'yes');
  if ('values' in test) {
    const own = new Set<Value>(several ?? [value]);
    const wanted = test.values.map((each) => (each === ME ? me : each));
    if (test.op === 'all of') return wanted.every((each) => own.has(each));
    return wanted.some((each) => own.has(each)) === (test.op === 'one of');
  }
  if ('text' in test) {
    const texts = (several ?? [value ?? '']).map((each) => collated(String(each)));
    return hasText(texts, test.op, collated(test.text), test.text);
  }
  if (isDayTest(test)) return typeof value === 'string' && liesWithin(value, dayRange(test, today));
  if (typeof value !== 'number') return false;
  if (test.op === 'between') return value >= test.from && value <= test.to;
  if (!('value' in test)) return false;
  return test.op === 'at least' ? value >= test.value : value <= test.value;
}

function hasText(texts: readonly string[], op: Test['op'], wanted: string, typed: string): boolean {
  if (op === 'is') return texts.includes(wanted);
  if (op === 'begins with') return texts.some((text) => text.startsWith(wanted));
  if (op === 'within') {
    const pattern = districtPattern(typed);
    return pattern !== null && texts.some((text) => new RegExp(pattern, 'i').test(text));
  }
  return texts.some((text) => text.includes(wanted)) === (op === 'contains');
}

type Asked = Pick<SelectableRecord, 'valueOf' | 'related'>;

/** Whether one line holds for a record. The line must have been said ({@link saidLines}). */
export function satisfies(line: Line, record: Asked, asking: Asking): boolean {
  if (isRelated(line))
    return (
      record
        .related(line.through)
        .some((other) => line.of.every((each) => satisfies(each, other, asking))) === line.has
    );
  if (!isGroup(line)) return passes(record.valueOf(line.fact), line.test, asking);
  if (line.match === 'all') return line.of.every((each) => satisfies(each, record, asking));
  return line.of.some((each) => satisfies(each, record, asking)) === (line.match === 'any');
}

/** Whether a selection takes a record. */
export function selects(selection: Selection, record: SelectableRecord, asking: Asking): boolean {
  if (selection.only && !selection.only.includes(record.id)) return false;
  if (selection.removed.includes(record.id)) return false;
  if (selection.added.includes(record.id)) return true;
  if (record.past && !selection.past) return false;
  return saidLines(selection.of).every((line) => satisfies(line, record, asking));
}

/** Whether a test fits a fact. */
export function fits({ kind }: Pick<SelectableFact, 'kind'>, { op }: Test): boolean {
  return OPERATORS[kind].includes(op);
}
