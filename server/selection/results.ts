import type { Knex } from 'knex';
import type { Selection, Subject } from '../../core/selection/tree.ts';
import { countOf } from '../foundation/rows.ts';
import { factSql, selected, type Running } from './query.ts';

/** What stands in one column of one record. */
export type Cell = string | number | null;

export interface ResultRow {
  id: number;
  /** Whose page tells more of it; null for a person of nobody. */
  clientId: number | null;
  cells: Cell[];
}

/** How rows are ordered: by a fact of the catalogue. */
export interface Order {
  by: string;
  order: 'asc' | 'desc';
}

/** What a record of each subject is called by. */
const NAMES: Record<Subject, string> = {
  client: 'client.name',
  person: 'person.last_name',
  file: 'file.number',
};
const CLIENT_OF: Record<Subject, string> = {
  client: 'client.id',
  person: '(SELECT MIN(y.client_id) FROM client_person y WHERE y.person_id = person.id)',
  file: 'file.client_id',
};

/** A query over a subject's table in the order of what a fact shows, then of names. */
export function ordered(
  query: Knex.QueryBuilder,
  subject: Subject,
  running: Running,
  { by, order }: Order,
): Knex.QueryBuilder {
  const shown = factSql(running, by).shown?.(subject);
  if (shown && shown !== NAMES[subject]) void query.orderByRaw(`${shown} ${order}`);
  return query
    .orderByRaw(`${NAMES[subject]} ${shown === NAMES[subject] ? order : 'asc'}`)
    .orderBy(`${subject}.id`);
}

/** What the columns show of records, in the order of their ids. @param columns facts of the subject that are shown */
export async function readCells(
  db: Knex,
  subject: Subject,
  ids: readonly number[],
  columns: readonly string[],
  running: Running,
): Promise<ResultRow[]> {
  if (!ids.length) return [];
  const shown = columns.map((key, at) => {
    const expression = factSql(running, key).shown?.(subject) ?? 'NULL';
    return db.raw(`${expression} AS c${at}`);
  });
  const rows = (await db(subject)
    .whereIn(`${subject}.id`, ids)
    .select(`${subject}.id`, db.raw(`${CLIENT_OF[subject]} AS clientId`), ...shown)) as Record<
    string,
    unknown
  >[];
  const byId = new Map(rows.map((row) => [Number(row.id), row]));
  return ids.flatMap((id) => {
    const row = byId.get(id);
    if (!row) return [];
    return [
      {
        id,
        clientId: row.clientId === null ? null : Number(row.clientId),
        cells: columns.map((_, at) => asCell(row[`c${at}`])),
      },
    ];
  });
}

function asCell(value: unknown): Cell {
  if (value === null || value === undefined) return null;
  if (value instanceof Date) return value.toISOString();
  return typeof value === 'number' ? value : String(value);
}

/** One page of what a selection takes, and how many that are in all. */
export async function resultPage(
  db: Knex,
  selection: Selection,
  columns: readonly string[],
  order: Order,
  { offset, limit }: { offset: number; limit: number },
  running: Running,
): Promise<{ rows: ResultRow[]; total: number }> {
  const { subject } = selection;
  const { query, few } = await selected(db, selection, running);
  const id = `${subject}.id`;
  const page = ordered(query(), subject, running, order).limit(limit).offset(offset);
  const [found, counted] = await Promise.all([
    page.select({ id }, ...(few ? [db.raw('COUNT(*) OVER () AS total')] : [])) as Promise<
      { id: number; total?: number }[]
    >,
    few ? null : countOf(query()),
  ]);
  // Beyond the last page there is no row that tells.
  const total = counted ?? found[0]?.total ?? (offset ? await countOf(query()) : 0);
  const ids = found.map((row) => row.id);
  return { rows: await readCells(db, subject, ids, columns, running), total: Number(total) };
}
