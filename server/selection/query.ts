import type { Knex } from 'knex';
import { fieldKey } from '../../core/facts/catalogue.ts';
import { ROLE, type RelationKey, type SelectableKey } from '../../core/selection/catalogue.ts';
import {
  isGroup,
  isRelated,
  saidLines,
  type Criterion,
  type Line,
  type Selection,
  type Subject,
} from '../../core/selection/tree.ts';
import { countOf } from '../foundation/rows.ts';
import { FACTS, fieldSql, RELATIONS_SQL, type FactSql } from './facts.ts';
import { columnIs, exists, joined, not, sql, type Sql, type SqlAsking } from './sql.ts';

/** What a selection is run with: who asks and when, and the firm's own fields. */
export interface Running extends SqlAsking {
  fields: ReadonlyMap<string, FactSql>;
}

/** What is to be known to run selections. @param me whom `me` means */
export async function runningFor(db: Knex, asking: SqlAsking): Promise<Running> {
  const fields = await db('field').whereNull('gone_at').select('id', 'of', 'kind');
  return {
    ...asking,
    fields: new Map(fields.map(({ id, of, kind }) => [fieldKey(id), fieldSql(of, id, kind)])),
  };
}

/** A fact in SQL. @throws Error when there is none: selections are checked before they are run */
export function factSql({ fields }: Running, key: string): FactSql {
  const fact = fields.get(key) ?? FACTS[key as SelectableKey];
  if (!fact) throw new Error(`there is no fact ${key}`);
  return fact;
}

/** Makes SQL of lines; each related record has an alias of its own. */
class Writer {
  private aliases = 0;
  constructor(private readonly running: Running) {}

  /** @param at the alias of the record the line speaks of @param tie that of the tie it was reached by */
  line(line: Line, at: string, tie?: string): Sql {
    if (isGroup(line)) {
      const parts = line.of.map((each) => this.line(each, at, tie));
      if (line.match === 'none') return not(joined(parts, 'OR'));
      return joined(parts, line.match === 'all' ? 'AND' : 'OR');
    }
    if (!isRelated(line)) return this.criterion(line, at, tie);
    const relation = RELATIONS_SQL[line.through as RelationKey];
    const to = `r${++this.aliases}`;
    const own = `t${this.aliases}`;
    const inner = line.of.map((each) => this.line(each, to, own));
    const there = exists(relation.from(to, own), joined([sql(relation.on(at, to, own)), ...inner], 'AND'));
    return line.has ? there : not(there);
  }

  private criterion({ fact, test }: Criterion, at: string, tie?: string): Sql {
    if (fact === ROLE && tie) return columnIs(`${tie}.role`, 'text', test, this.running);
    return factSql(this.running, fact).is(at, test, this.running);
  }
}

/** Whether a record is not of past clients alone; a person of nobody is of no past client. */
const PRESENT: Record<Subject, string> = {
  client: "client.status <> 'past'",
  person: `((SELECT 1 FROM client_person y JOIN client k ON k.id = y.client_id WHERE y.person_id = person.id AND k.status <> 'past' LIMIT 1) IS NOT NULL
    OR (SELECT 1 FROM client_person y WHERE y.person_id = person.id LIMIT 1) IS NULL)`,
  file: "(SELECT k.status FROM client k WHERE k.id = file.client_id) <> 'past'",
};

const ids = (column: string, of: readonly number[]): Sql =>
  of.length ? sql(`${column} IN (${of.map(() => '?').join(', ')})`, ...of) : sql('FALSE');

/** The condition of what a selection takes. @param but a line that holds of all who are asked */
function taken({ subject, past, of, added, removed, only }: Selection, running: Running, but?: Line): Sql {
  const writer = new Writer(running);
  const lines = saidLines(of)
    .filter((line) => line !== but)
    .map((line) => writer.line(line, subject));
  const base = joined([...(past ? [] : [sql(PRESENT[subject])]), ...lines], 'AND');
  const withAdded = added.length ? joined([base, ids(`${subject}.id`, added)], 'OR') : base;
  return joined(
    [
      withAdded,
      ...(removed.length ? [not(ids(`${subject}.id`, removed))] : []),
      ...(only ? [ids(`${subject}.id`, only)] : []),
    ],
    'AND',
  );
}

/** What makes queries over the subject's table for those whom a selection takes. */
export interface Selected {
  query(): Knex.QueryBuilder;
  /** Whether they are so few that they are better counted on the way than again. */
  few: boolean;
}

/** Where fewer than one in so many are left by one line, they are gathered from its index and asked the rest. */
const WORTH = 3;

/**
 * Those whom a selection takes. The line that leaves fewest, as the database reckons,
 * is asked first, from its index, in the order of ids; the other lines of each in turn. Left to itself MariaDB gathers
 * whole sets for every line.
 */
export async function selected(db: Knex, selection: Selection, running: Running): Promise<Selected> {
  const { subject, added } = selection;
  const { of, first } = await inOrder(db, selection, running);
  const where = taken({ ...selection, of }, running, first?.line);
  const bindings = where.with as Knex.RawBinding[];
  if (!first) return { query: () => db(subject).whereRaw(where.sql, bindings), few: false };
  const put = added.length ? ids('id', added) : null;
  const union = put ? ` UNION SELECT id FROM ${subject} WHERE ${put.sql}` : '';
  // A limit keeps their order: without one the database forgets it.
  const among = db.raw(`(${first.among.sql}${union} ORDER BY id LIMIT 18446744073709551615) found`, [
    ...first.among.with,
    ...(put?.with ?? []),
  ] as Knex.RawBinding[]);
  return {
    few: true,
    query: () =>
      db
        .from(among as unknown as string)
        .joinRaw(`STRAIGHT_JOIN ${subject} ON ${subject}.id = found.id`)
        .whereRaw(where.sql, bindings),
  };
}

/** Which of some records a selection takes: they are few, so that each is asked its lines in turn. */
export async function takenAmong(
  db: Knex,
  selection: Selection,
  running: Running,
  some: readonly number[],
): Promise<Set<number>> {
  if (!some.length) return new Set();
  const { subject } = selection;
  const where = taken(selection, running);
  const found: number[] = await db(subject as 'client')
    .whereIn(`${subject}.id`, [...some])
    .whereRaw(where.sql, where.with as Knex.RawBinding[])
    .pluck(`${subject}.id`);
  return new Set(found);
}

/** A line that an index answers, and how many the database reckons it leaves. */
interface Indexed {
  line: Line;
  among: Sql;
  rows: number;
}

/**
 * The lines in the order in which they are best asked of each record: columns of its own, then what an index answers,
 * the narrowest first, then what hangs on it. And the narrowest of all, where that leaves few.
 */
async function inOrder(
  db: Knex,
  { subject, of }: Selection,
  running: Running,
): Promise<{ of: Line[]; first: Indexed | null }> {
  const said = saidLines(of);
  const indexed = said.flatMap((line) => {
    const among = 'fact' in line ? factSql(running, line.fact).among?.(line.test, running) : null;
    return among ? [{ line, among }] : [];
  });
  if (!indexed.length) return { of: said, first: null };
  const [everybody, ...rows] = await Promise.all([
    reckoned(db, sql(`SELECT id FROM ${subject}`)),
    ...indexed.map(({ among }) => reckoned(db, among)),
  ]);
  const sized = indexed.map((each, at): Indexed => ({ ...each, rows: rows[at] ?? Infinity }));
  sized.sort((a, b) => a.rows - b.rows);
  const others = said.filter((line) => !sized.some((each) => each.line === line));
  const [first] = sized;
  return {
    of: [
      ...others.filter((line) => 'fact' in line),
      ...sized.map(({ line }) => line),
      ...others.filter((line) => !('fact' in line)),
    ],
    first: first && first.rows * WORTH < everybody ? first : null,
  };
}

/** How many rows the database reckons to look at for a query, by its statistics. */
async function reckoned(db: Knex, { sql: text, with: values }: Sql): Promise<number> {
  const [plan] = (await db.raw(`EXPLAIN ${text}`, values as Knex.RawBinding[])) as [
    { rows: number | null }[],
  ];
  return Math.max(...plan.map(({ rows }) => Number(rows ?? 0)));
}

/** How many are left after each line, and how many each line of a group holds for. */
export interface Column {
  /** Before the first line, past clients left out unless they come. */
  base: number;
  /** Those left out because they are past. */
  past: number;
  lines: LineCount[];
  /** Put in by hand who were not there yet; taken out by hand who were. */
  added: number;
  removed: number;
  /** Not among those that were ticked. */
  unticked: number;
  total: number;
}
export interface LineCount {
  /** Left after it; null for a line that asks for nothing yet. */
  left: number | null;
  /** Of a group: for how many of those carried into it each of its lines holds; null as before. */
  inner: (number | null)[];
}

/** The whole column of an account: one query tells how far each record gets, one for each group its own lines. */
export async function columnOf(db: Knex, selection: Selection, running: Running): Promise<Column> {
  const { subject, past, of, added, removed, only } = selection;
  const whole = { ...selection, only: undefined };
  const writer = new Writer(running);
  const said = of.map((line) => saidLines([line])[0] ?? null);
  const written = said.map((line) => (line ? writer.line(line, subject) : null));
  const asked = written.flatMap((part) => part ?? []);
  const taking = async (one: Selection) => countOf((await selected(db, one, running)).query());
  const [steps, inner, all, everybody, byHand, ticked] = await Promise.all([
    passedCounts(db, selection, asked),
    Promise.all(of.map((line, at) => innerCounts(db, selection, running, line, written.slice(0, at)))),
    added.length || removed.length ? taking(whole) : null,
    past ? null : countOf(db(subject)),
    added.length && removed.length ? taking({ ...whole, removed: [] }) : null,
    only ? taking(selection) : null,
  ]);
  const [base = 0] = steps;
  let passed = 0;
  const lines = written.map((part, at) => ({
    left: part ? (steps[++passed] ?? 0) : null,
    inner: inner[at] ?? [],
  }));
  const last = steps.at(-1) ?? 0;
  const left = all ?? last;
  const withAdded = byHand ?? (added.length ? left : last);
  return {
    base,
    past: (everybody ?? base) - base,
    lines,
    added: withAdded - last,
    removed: withAdded - left,
    unticked: left - (ticked ?? left),
    total: ticked ?? left,
  };
}

/**
 * How many there are, and how many are left after each part: one pass over the records, by two hands, for the lines are
 * asked in the order in which they stand.
 */
async function passedCounts(
  db: Knex,
  { subject, past }: Pick<Selection, 'subject' | 'past'>,
  parts: readonly Sql[],
): Promise<number[]> {
  const base = () => {
    const all = db(subject);
    return past ? all : all.whereRaw(PRESENT[subject]);
  };
  if (!parts.length) return [await countOf(base())];
  const stop = parts.map((part, at) => `WHEN NOT ${part.sql} THEN ${at}`).join(' ');
  const got = db.raw(
    `CASE ${stop} ELSE ${parts.length} END`,
    parts.flatMap((part) => part.with) as Knex.RawBinding[],
  );
  const middle = (await db(subject).max({ id: 'id' }).first()) as { id: number | null } | undefined;
  const half = Math.floor((middle?.id ?? 0) / 2);
  const passed = (some: Knex.QueryBuilder) =>
    db.from(some.select({ got }).as('far')).groupBy('got').select('got').count({ count: '*' }) as Promise<
      { got: number; count: number }[]
    >;
  const halves = await Promise.all([
    passed(base().where(`${subject}.id`, '<=', half)),
    passed(base().where(`${subject}.id`, '>', half)),
  ]);
  const rows = halves.flat();
  return Array.from({ length: parts.length + 1 }, (_, at) =>
    rows.reduce((sum, row) => (Number(row.got) >= at ? sum + Number(row.count) : sum), 0),
  );
}

/** For how many of those carried into a group each of its lines holds. */
async function innerCounts(
  db: Knex,
  { subject, past }: Selection,
  running: Running,
  line: Line,
  before: readonly (Sql | null)[],
): Promise<(number | null)[]> {
  if (!isGroup(line) || !line.of.length) return [];
  const writer = new Writer(running);
  const parts = line.of.map((each) => {
    const [said] = saidLines([each]);
    return said ? writer.line(said, subject) : null;
  });
  const carried = joined(
    before.flatMap((part) => part ?? []),
    'AND',
  );
  const query = db(subject).whereRaw(carried.sql, carried.with as Knex.RawBinding[]);
  if (!past) void query.whereRaw(PRESENT[subject]);
  const sums = parts.map((part, at) =>
    db.raw(`COALESCE(SUM(${part?.sql ?? 'FALSE'}), 0) AS n${at}`, (part?.with ?? []) as Knex.RawBinding[]),
  );
  const row = (await query.first(sums)) as Record<string, number>;
  return parts.map((part, at) => (part ? Number(row[`n${at}`]) : null));
}
