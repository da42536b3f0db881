import type { Knex } from 'knex';
import type { z } from 'zod';
import {
  ImportOutcome,
  type ImportChoice,
  type ImportLine,
  type ImportRows,
  type ImportRowsQuery,
  type ImportState,
  type ImportView,
  type RecordSubject,
} from '../../../contract/index.ts';
import { guessColumns, maySeveral, type Target } from '../../../core/import/columns.ts';
import { noteAudit } from '../../foundation/audit.ts';
import { noteChange } from '../../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../../foundation/database.ts';
import { fromJson, toJson } from '../../foundation/json.ts';
import { notFound, Refusal } from '../../foundation/refusal.ts';
import { countOf, insertAll, select } from '../../foundation/rows.ts';
import { CouldNotBeRead, pool } from '../../reading/pool.ts';
import { fieldDefinitions } from '../definitions.ts';

const SAMPLE = 5;
const GUESSED_BY = 200;
const LISTED = 20;
/** Lists that had the same headings are looked for among so many. */
const REMEMBERED = 200;
const DELIMITERS: Record<string, string> = {
  ',': 'comma',
  ';': 'semicolon',
  '\t': 'tab',
  '|': 'upright stroke',
  card: 'card',
};

/** Takes a list in, and guesses what its columns hold, or remembers it. @throws Refusal when it is no table */
export async function takeList(
  db: Database,
  staffId: number,
  filename: string,
  bytes: Uint8Array,
): Promise<number> {
  const { table, problem } = await pool.run('table', [bytes]).catch((error: unknown) => {
    if (error instanceof CouldNotBeRead)
      throw new Refusal(400, `This list cannot be read: ${error.message}.`);
    throw error;
  });
  if (!table) throw new Refusal(400, problem);
  const { header, rows, encoding, delimiter } = table;
  const columns = await columnsFor(db, header, rows.slice(0, GUESSED_BY));
  return transact(db, async (trx) => {
    const [id = 0] = await trx('import_run').insert({
      staff_id: staffId,
      filename: filename.slice(0, 255),
      encoding,
      delimiter,
      header: toJson('import_run.header', header),
      columns: toJson('import_run.columns', columns),
      row_count: rows.length,
      made_at: new Date(),
    });
    await keepRows(trx, id, rows);
    await noteAudit(trx, {
      staffId,
      action: 'list taken in',
      subject: 'import',
      id,
      after: { filename, rows: rows.length },
    });
    await noteChange(trx, 'imports', 'import', [id]);
    return id;
  });
}

/** So many letters of rows go in one statement: a database server may take no more than 16 MB at once. */
const PIECE = 1_000_000;

async function keepRows(trx: Transaction, id: number, rows: readonly string[][]): Promise<void> {
  let piece: { import_id: number; line: number; cells: string }[] = [];
  let letters = 0;
  const hand = async () => {
    await insertAll(trx, 'import_row', piece);
    piece = [];
    letters = 0;
  };
  for (const [index, row] of rows.entries()) {
    const cells = toJson('import_row.cells', row);
    if (letters + cells.length > PIECE) await hand();
    piece.push({ import_id: id, line: index + 1, cells });
    letters += cells.length;
  }
  await hand();
}

/** What the columns held of a list with the same headings that was brought in before; else a guess. */
async function columnsFor(
  db: Knex,
  header: readonly string[],
  sample: readonly string[][],
): Promise<(Target | null)[]> {
  const before = await db('import_run')
    .orderBy('id', 'desc')
    .limit(REMEMBERED)
    .select('header', 'columns', 'state');
  const same = before.find(
    (run) => run.state !== 'chosen' && run.header === toJson('import_run.header', [...header]),
  );
  const own = await fieldDefinitions(db);
  if (!same) return guessColumns(header, sample, own);
  return fromJson('import_run.columns', same.columns).map((target) =>
    target?.startsWith('field:') && !own.some(({ id }) => `field:${id}` === target) ? null : target,
  );
}

const RUN = {
  id: 'import_run.id',
  filename: 'import_run.filename',
  by: 'staff.name',
  made_at: 'import_run.made_at',
  ended_at: 'import_run.ended_at',
  state: 'import_run.state',
  encoding: 'import_run.encoding',
  delimiter: 'import_run.delimiter',
  header: 'import_run.header',
  columns: 'import_run.columns',
  existing: 'import_run.existing',
  row_count: 'import_run.row_count',
  position: 'import_run.position',
  problem: 'import_run.problem',
} as const;

const runs = (db: Knex) => db('import_run').join('staff', 'staff.id', 'import_run.staff_id');

/** Lists brought in lately. */
export async function listRuns(db: Knex): Promise<ImportLine[]> {
  const rows = await select(runs(db).orderBy('import_run.id', 'desc').limit(LISTED), RUN);
  return rows.map(({ id, filename, by, made_at, state, row_count }) => ({
    ...{ id, filename, by, state },
    madeAt: made_at.toISOString(),
    rows: row_count,
  }));
}

/** A list, how far it is, and what becomes of its rows. @throws Refusal when there is no such list */
export async function viewRun(db: Knex, id: number): Promise<ImportView> {
  const [run] = await select(runs(db).where('import_run.id', id), RUN);
  if (!run) throw notFound('That list');
  const undoing = run.state === 'undoing';
  const [counts, sample, of, left] = await Promise.all([
    select(db('import_row').where({ import_id: id }).groupBy('outcome'), {
      outcome: 'import_row.outcome',
      count: db.raw<number>('COUNT(*)'),
    }),
    db('import_row').where({ import_id: id }).orderBy('line').limit(SAMPLE).select('cells'),
    undoing ? countOf(db('audit').where({ import_id: id })) : run.row_count,
    undoing ? countOf(db('audit').where({ import_id: id }).where('id', '<', run.position)) : 0,
  ]);
  const countOfOutcome = (outcome: ImportOutcome) =>
    counts.find((each) => each.outcome === outcome)?.count ?? 0;
  const { filename, by, state, encoding, existing, problem } = run;
  return {
    ...{ id, filename, by, state, encoding, existing, problem },
    madeAt: run.made_at.toISOString(),
    endedAt: run.ended_at?.toISOString() ?? null,
    delimiter: DELIMITERS[run.delimiter] ?? `“${run.delimiter}”`,
    header: fromJson('import_run.header', run.header),
    columns: fromJson('import_run.columns', run.columns),
    rows: run.row_count,
    through: undoing ? of - left : Math.min(run.position, of),
    of,
    counts: Object.fromEntries(ImportOutcome.options.map((each) => [each, countOfOutcome(each)])) as Record<
      ImportOutcome,
      number
    >,
    sample: sample.map(({ cells }) => fromJson('import_row.cells', cells)),
  };
}

/** Rows of a list with what becomes of each, a page of them. */
export async function listRows(
  db: Knex,
  id: number,
  { outcome, offset, limit }: z.output<typeof ImportRowsQuery>,
): Promise<ImportRows> {
  const rows = () => db('import_row').where({ import_id: id, ...(outcome ? { outcome } : {}) });
  const [total, page] = await Promise.all([
    countOf(rows()),
    rows()
      .orderBy('line')
      .offset(offset)
      .limit(limit)
      .select('line', 'cells', 'outcome', 'words', 'client_id'),
  ]);
  return {
    total,
    rows: page.map(({ line, cells, outcome: each, words, client_id }) => ({
      line,
      cells: fromJson('import_row.cells', cells),
      outcome: each,
      words,
      clientId: client_id,
    })),
  };
}

/** Says what the columns hold, and has it tried: what each row would do is worked out, nothing is written. */
export async function checkList(
  db: Database,
  staffId: number,
  id: number,
  choice: ImportChoice,
): Promise<void> {
  const { columns, existing } = choice;
  await transact(db, async (trx) => {
    const run = await heldRun(trx, id, ['chosen', 'checked']);
    if (columns.length !== fromJson('import_run.header', run.header).length)
      throw new Refusal(400, 'Say of each column what it holds.', 'columns');
    await refuseColumns(trx, columns);
    await begin(trx, staffId, id, 'checking', { columns: toJson('import_run.columns', columns), existing });
  });
}

async function refuseColumns(trx: Knex, columns: readonly (Target | null)[]): Promise<void> {
  const chosen = columns.filter((each) => each !== null);
  const twice = chosen.find((each, at) => !maySeveral(each) && chosen.indexOf(each) !== at);
  if (twice) throw new Refusal(400, 'Two columns cannot both hold the same.', 'columns');
  const names = chosen.some((each) =>
    ['client.name', 'file.number', 'person.name', 'person.lastName'].includes(each),
  );
  if (!names)
    throw new Refusal(
      400,
      'Say which column names the client, or the person, or the file number.',
      'columns',
    );
  const own = await fieldDefinitions(trx);
  const of = new Map<string, RecordSubject>(own.map((field) => [`field:${field.id}`, field.of]));
  if (chosen.some((each) => each.startsWith('field:') && !of.has(each)))
    throw new Refusal(400, 'A field is not there any more. Reload to see which there are.', 'columns');
}

/** Has the rows brought in as they were tried. @throws Refusal unless they were */
export async function runList(db: Database, staffId: number, id: number): Promise<void> {
  await transact(db, async (trx) => {
    await heldRun(trx, id, ['checked']);
    await begin(trx, staffId, id, 'running');
  });
}

/** Has everything taken back that a list brought in. */
export async function undoList(db: Database, staffId: number, id: number): Promise<void> {
  await transact(db, async (trx) => {
    await heldRun(trx, id, ['done']);
    const last = await trx('audit').where({ import_id: id }).orderBy('id', 'desc').first('id');
    await begin(trx, staffId, id, 'undoing', { position: (last?.id ?? 0) + 1 });
  });
}

/** Forgets a list of which nothing was brought in. */
export async function dropList(db: Database, id: number): Promise<void> {
  await transact(db, async (trx) => {
    await heldRun(trx, id, ['chosen', 'checked']);
    await trx('import_run').where({ id }).delete();
    await noteChange(trx, 'imports', 'import', [id]);
  });
}

async function heldRun(trx: Transaction, id: number, states: readonly ImportState[]) {
  const run = await trx('import_run').where({ id }).forUpdate().first();
  if (!run) throw notFound('That list');
  if (!states.includes(run.state))
    throw new Refusal(409, 'That list is at another step by now. Reload to see it.');
  return run;
}

async function begin(
  trx: Transaction,
  staffId: number,
  id: number,
  state: 'checking' | 'running' | 'undoing',
  more: { columns?: string; existing?: 'change' | 'leave'; position?: number } = {},
): Promise<void> {
  await trx('import_run')
    .where({ id })
    .update({
      position: 0,
      problem: null,
      ended_at: null,
      lease_owner: null,
      lease_until: null,
      ...more,
      state,
    });
  await noteAudit(trx, { staffId, action: `list: ${state}`, subject: 'import', id });
  await noteChange(trx, 'imports', 'import', [id]);
}
