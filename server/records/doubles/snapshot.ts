import type { Knex } from 'knex';
import type { Transaction } from '../../foundation/database.ts';
import type { Rows } from '../../foundation/tables.ts';

type Table = keyof Rows;
type Row = Record<string, unknown>;

/** Rows of a table that may change: which, and what of them. */
export interface Watched {
  table: Table;
  /** Columns that name a row. */
  key: readonly string[];
  /** All that is kept of them, where that is not the whole row. */
  only?: readonly string[];
  /** Columns the database makes itself. */
  made?: readonly string[];
  find(query: Knex.QueryBuilder): Knex.QueryBuilder;
}

/** One row as it was and as it became; null where there was none, or is none. */
export interface RowChange {
  table: Table;
  before: Row | null;
  after: Row | null;
}

export type Snapshot = { watched: Watched; rows: Map<string, Row> }[];

/**
 * Rows as they are now, of all tables watched: parents before what hangs on them.
 * @param before an earlier look: what was found then is looked at again, though it may hang on nothing watched now
 */
export async function snapshot(
  trx: Transaction,
  all: readonly Watched[],
  before?: Snapshot,
): Promise<Snapshot> {
  const taken: Snapshot = [];
  for (const [at, watched] of all.entries()) {
    const columns = watched.only ? [...new Set([...watched.key, ...watched.only])] : ['*'];
    const [name = '', ...more] = watched.key;
    const known = more.length ? [] : [...(before?.[at]?.rows.keys() ?? [])];
    const found = watched.find(trx(watched.table) as Knex.QueryBuilder).orWhereIn(name, known);
    const rows = (await found.select(columns)) as Row[];
    taken.push({
      watched,
      rows: new Map(rows.map((row) => [keyOf(watched, row), plain(row, watched.made)])),
    });
  }
  return taken;
}

const keyOf = ({ key }: Watched, row: Row) => key.map((column) => String(row[column])).join(' ');

/** A row as JSON keeps it. */
function plain(row: Row, made: readonly string[] = []): Row {
  return Object.fromEntries(
    Object.entries(row).flatMap(([column, value]) =>
      made.includes(column) ? [] : [[column, value instanceof Date ? { date: value.toISOString() } : value]],
    ),
  );
}

const isDate = (value: unknown): value is { date: string } =>
  typeof value === 'object' && value !== null && 'date' in value;
const written = (row: Row): Row =>
  Object.fromEntries(
    Object.entries(row).map(([column, value]) => [column, isDate(value) ? new Date(value.date) : value]),
  );
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/** What became of the rows between two looks. */
export function changesBetween(before: Snapshot, after: Snapshot): RowChange[] {
  return before.flatMap(({ watched, rows }, at) => {
    const now = after[at]?.rows ?? new Map<string, Row>();
    const keys = [...new Set([...rows.keys(), ...now.keys()])];
    return keys.flatMap((key): RowChange[] => {
      const [was, is] = [rows.get(key) ?? null, now.get(key) ?? null];
      return same(was, is) ? [] : [{ table: watched.table, before: was, after: is }];
    });
  });
}

/**
 * Puts rows back as they were: what went comes again, what came goes, what changed changes back unless somebody has
 * changed it since.
 * @returns how many fields were left as somebody has made them since
 */
export async function putBack(
  trx: Transaction,
  all: readonly Watched[],
  changes: readonly RowChange[],
): Promise<number> {
  const watchedOf = new Map(all.map((watched) => [watched.table, watched]));
  const order = all.map(({ table }) => table);
  const sorted = [...changes].sort((a, b) => order.indexOf(a.table) - order.indexOf(b.table));
  let left = 0;
  // What came goes first, and what hangs on others before those: else both would bear one key for a moment.
  for (const { table, before, after } of [...sorted].reverse()) {
    const watched = watchedOf.get(table);
    if (watched && after && !before) await rowOf(trx, watched, after).delete();
  }
  for (const { table, before, after } of sorted) {
    const watched = watchedOf.get(table);
    if (!watched || !before) continue;
    if (!after) await insertBack(trx, watched, before);
    else left += await changeBack(trx, watched, before, after);
  }
  return left;
}

function rowOf(trx: Transaction, { table, key }: Watched, row: Row): Knex.QueryBuilder {
  return (trx(table) as Knex.QueryBuilder).where(
    written(Object.fromEntries(key.map((column) => [column, row[column]]))),
  );
}

/** One of which only some columns are watched went for another reason, and is not ours to make again. */
async function insertBack(trx: Transaction, watched: Watched, row: Row): Promise<void> {
  if (watched.only) return;
  await (trx(watched.table) as Knex.QueryBuilder).insert(written(row)).onConflict().ignore();
}

async function changeBack(trx: Transaction, watched: Watched, before: Row, after: Row): Promise<number> {
  const found = (await rowOf(trx, watched, after).forUpdate().first()) as Row | undefined;
  if (!found) return 0;
  const now = plain(found);
  const changed = Object.keys(before).filter((column) => !same(before[column], after[column]));
  const ours = changed.filter((column) => same(now[column], after[column]));
  if (ours.length)
    await rowOf(trx, watched, after).update(
      written(Object.fromEntries(ours.map((column) => [column, before[column]]))),
    );
  return changed.filter((column) => !ours.includes(column) && !same(now[column], before[column])).length;
}
