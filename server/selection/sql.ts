import { DateTime } from 'luxon';
import { ME, type Asking } from '../../core/selection/evaluate.ts';
import { dayRange, isDayTest } from '../../core/selection/days.ts';
import { districtPattern } from '../../core/selection/postcode.ts';
import type { SelectKind } from '../../core/selection/catalogue.ts';
import type { Operator, Test } from '../../core/selection/tree.ts';
import { likePattern } from '../foundation/rows.ts';

/** A piece of SQL with what is put in the places of its question marks. */
export interface Sql {
  sql: string;
  with: readonly (string | number | Date)[];
}

/** Who asks, when, and in which zone the firm's days begin. */
export interface SqlAsking extends Asking {
  zone: string;
}

export const sql = (text: string, ...values: readonly (string | number | Date)[]): Sql => ({
  sql: text,
  with: values,
});
const YES = sql('TRUE');
const NO = sql('FALSE');

/** Several that must hold together, or one of which must. */
export function joined(parts: readonly Sql[], by: 'AND' | 'OR'): Sql {
  if (!parts.length) return by === 'AND' ? YES : NO;
  if (parts.length === 1 && parts[0]) return parts[0];
  return {
    sql: `(${parts.map((part) => part.sql).join(` ${by} `)})`,
    with: parts.flatMap((part) => part.with),
  };
}

/** The contrary. What is turned round must be true or false, never unknown. */
export const not = (part: Sql): Sql => ({ sql: `NOT ${part.sql}`, with: part.with });

/**
 * Whether there is a row. Not by EXISTS: MariaDB makes a join of that, gathers the whole table for it, and was five
 * times slower over the records of a large firm (docs/ARCHITECTURE.md, `npm run bench -- selection`).
 * @param from tables and how they hang together @param where what must hold of it
 */
export const exists = (from: string, where: Sql): Sql => ({
  sql: `(SELECT 1 FROM ${from} WHERE ${where.sql} LIMIT 1) IS NOT NULL`,
  with: where.with,
});

const oneOf = (expression: string, values: readonly (string | number)[]): Sql =>
  sql(`${expression} IN (${values.map(() => '?').join(', ')})`, ...values);

/** The values a test names; `me` is whoever asks. */
export function valuesOf(
  test: Extract<Test, { values: unknown }>,
  { me }: Asking,
): readonly (string | number)[] {
  return test.values.map((value) => (value === ME ? me : value));
}

/** Tests that hold where there is nothing, each with the one it is the contrary of. */
const CONTRARY: Partial<Record<Operator, Operator>> = {
  lacks: 'contains',
  'none of': 'one of',
  no: 'yes',
  empty: 'filled',
};

/** The test of which this one is the contrary; null where it is none. */
export function contraryOf(test: Test): Test | null {
  const op = CONTRARY[test.op];
  return op ? ({ ...test, op } as Test) : null;
}

/**
 * Whether a column is as the test asks, where there is something: for tests that {@link contraryOf} says nothing of.
 * Unknown where there is nothing.
 */
export function present(expression: string, kind: SelectKind, test: Test, asking: SqlAsking): Sql {
  if (test.op === 'yes') return sql(`${expression} = 1`);
  if (test.op === 'filled')
    return kind === 'text' ? sql(`${expression} <> ''`) : sql(`${expression} IS NOT NULL`);
  if ('values' in test) return oneOf(expression, valuesOf(test, asking));
  if ('text' in test) return textual(expression, test);
  if (isDayTest(test)) {
    const { from, to } = dayRange(test, asking.today);
    return within(expression, kind === 'time', from, to, asking.zone);
  }
  if (test.op === 'between') return sql(`${expression} BETWEEN ? AND ?`, test.from, test.to);
  if ('value' in test) return sql(`${expression} ${test.op === 'at least' ? '>=' : '<='} ?`, test.value);
  throw new Error(`${test.op} is a contrary`);
}

function textual(expression: string, { op, text }: Extract<Test, { text: string }>): Sql {
  const wanted = text.trim();
  if (op === 'is') return sql(`${expression} = ?`, wanted);
  if (op === 'within') {
    const pattern = districtPattern(wanted);
    return pattern === null ? NO : sql(`${expression} REGEXP ?`, pattern);
  }
  return sql(`${expression} LIKE ?`, likePattern(wanted, op === 'contains'));
}

/** Points of time lie within days as those begin and end in the firm's zone. */
function within(
  expression: string,
  time: boolean,
  from: string | null,
  to: string | null,
  zone: string,
): Sql {
  const start = (day: string, later = 0) =>
    DateTime.fromISO(day, { zone }).plus({ days: later }).startOf('day').toJSDate();
  const parts: Sql[] = [];
  if (from !== null) parts.push(sql(`${expression} >= ?`, time ? start(from) : from));
  if (to !== null) parts.push(time ? sql(`${expression} < ?`, start(to, 1)) : sql(`${expression} <= ?`, to));
  return joined(parts, 'AND');
}

/** Whether a column that may be empty is as the test asks: true or false, never unknown. */
export function columnIs(expression: string, kind: SelectKind, test: Test, asking: SqlAsking): Sql {
  const contrary = contraryOf(test);
  if (contrary) return not(columnIs(expression, kind, contrary, asking));
  const there = present(expression, kind, test, asking);
  return { sql: `(${there.sql}) IS TRUE`, with: there.with };
}
