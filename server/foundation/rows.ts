import type { Knex } from 'knex';
import { escape, raw, type SqlValue } from 'mysql2';
import type { Rows } from './tables.ts';

/** Gathers rows under a key. */
export function groupBy<T, K>(rows: readonly T[], key: (row: T) => K): Map<K, T[]> {
  const groups = new Map<K, T[]>();
  for (const row of rows) {
    const group = groups.get(key(row));
    if (group) group.push(row);
    else groups.set(key(row), [row]);
  }
  return groups;
}

/** The hour of a message in UTC, in SQL: what is told by the firm's days is gathered by hours first. */
export const HOUR = "DATE_FORMAT(message.at, '%Y-%m-%dT%H:00:00Z')";

/** Letters, digits and blanks; wildcards of LIKE are taken as written. */
export function likePattern(words: string, anywhere = true): string {
  return `${anywhere ? '%' : ''}${words.replace(/[\\%_]/g, '\\$&')}%`;
}

/**
 * Inserts any number of rows, all with the columns of the first, some hundred at a time. They are written out by the
 * driver as one list for the sake of speed, since intake keeps a dozen rows for each message.
 * @param ignore rows whose key is there already are passed over
 * @param bound each value is handed to the driver by itself, so that large ones travel as the bytes they are
 * @returns of each row that was inserted the columns to be returned
 */
export async function insertAll(
  db: Knex,
  table: string,
  rows: readonly Record<string, unknown>[],
  { chunk = 500, ignore = false, bound = false, returning = [] as readonly string[] } = {},
): Promise<Record<string, unknown>[]> {
  const inserted: Record<string, unknown>[] = [];
  if (!rows[0]) return inserted;
  const columns = Object.keys(rows[0]);
  const into = `INSERT ${ignore ? 'IGNORE ' : ''}INTO ${table} (${columns.join(', ')}) VALUES `;
  const end = returning.length ? ` RETURNING ${returning.join(', ')}` : '';
  for (let at = 0; at < rows.length; at += chunk) {
    const lists = rows.slice(at, at + chunk).map((row) => columns.map((column) => row[column] ?? null));
    const row = `(${columns.map(() => '?').join(', ')})`;
    const [found] = (await (bound
      ? db.raw(into + lists.map(() => row).join(', ') + end, lists.flat() as Knex.RawBinding[])
      : db.raw(`${into}?${end}`, [writtenOut(lists)]))) as [Record<string, unknown>[]];
    if (returning.length) inserted.push(...found);
  }
  return inserted;
}

/** Rows, in order, in pieces of so much at most; what is larger by itself is a piece of its own. */
export function inPieces<T>(rows: readonly T[], sizeOf: (row: T) => number, most: number): T[][] {
  const pieces: T[][] = [];
  let size = Infinity;
  for (const row of rows) {
    const own = sizeOf(row);
    size += own;
    if (size <= most) pieces.at(-1)?.push(row);
    else {
      pieces.push([row]);
      size = own;
    }
  }
  return pieces;
}

/** Values as the driver writes them, times as the connection has them: in UTC. Knex does not look into it. */
function writtenOut(lists: unknown[][]): Knex.Value {
  return raw(escape(lists as SqlValue, false, 'Z')) as unknown as Knex.Value;
}

/** A column as `table.column`. */
type Column = { [Table in keyof Rows]: `${Table}.${keyof Rows[Table] & string}` }[keyof Rows];

type ValueOf<C extends string> = C extends `${infer Table}.${infer Name}`
  ? Table extends keyof Rows
    ? Name extends keyof Rows[Table]
      ? Rows[Table][Name]
      : never
    : never
  : never;

/**
 * What is wanted of a query, under the names it is wanted by: columns, with a question mark where a left join may
 * have found no row, or expressions whose type is said (`db.raw<number>(…)`).
 */
type Wanted = Record<string, Column | `${Column}?` | Knex.Raw>;

/** Any query: what Knex makes of the rows of several tables contradicts itself where two have a column of one name. */
type Query = Knex.QueryBuilder | Knex.QueryBuilder<never, unknown[]>;

/** A row of what was wanted. */
export type Selected<W extends Wanted> = {
  [Name in keyof W]: W[Name] extends Knex.Raw<infer Value>
    ? Value
    : W[Name] extends `${infer C}?`
      ? ValueOf<C> | null
      : W[Name] extends string
        ? ValueOf<W[Name]>
        : never;
};

function asSelected<W extends Wanted>(wanted: W): Record<string, string | Knex.Raw> {
  return Object.fromEntries(
    Object.entries(wanted).map(([name, what]) => [
      name,
      typeof what === 'string' ? what.replace('?', '') : what,
    ]),
  );
}

/** Rows of a query over several tables, typed by the columns asked for. */
export async function select<const W extends Wanted>(query: Query, wanted: W): Promise<Selected<W>[]> {
  return (await (query as Knex.QueryBuilder).select(asSelected(wanted))) as Selected<W>[];
}

/** The first row of a query over several tables; undefined when there is none. */
export async function selectFirst<const W extends Wanted>(
  query: Query,
  wanted: W,
): Promise<Selected<W> | undefined> {
  return (await (query as Knex.QueryBuilder).first(asSelected(wanted))) as Selected<W> | undefined;
}

/** How many rows a query finds. @param distinct how many different values of this column instead */
export async function countOf(query: Query, distinct?: Column): Promise<number> {
  const all = query as Knex.QueryBuilder;
  const counted = distinct ? all.countDistinct({ count: distinct }) : all.count({ count: '*' });
  return Number(((await counted.first()) as { count?: number } | undefined)?.count ?? 0);
}

/** The ids a query finds, by the column named. */
export async function idsOf(query: Knex.QueryBuilder, column: Column): Promise<number[]> {
  return (await query.pluck(column)) as number[];
}
