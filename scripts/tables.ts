import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Knex } from 'knex';
import { format, resolveConfig } from 'prettier';
import { ensureDatabase, openDatabase } from '../server/foundation/database.ts';
import { migrate } from '../server/foundation/migrate.ts';
import { startMariaDB } from './mariadb.ts';

/** The file that `npm run tables` writes, from the project's root. */
export const TABLES_FILE = 'server/foundation/tables.ts';

interface ColumnInfo {
  TABLE_NAME: string;
  COLUMN_NAME: string;
  DATA_TYPE: string;
  COLUMN_TYPE: string;
  IS_NULLABLE: 'YES' | 'NO';
}

const HEAD = `/* Written by \`npm run tables\` from the migrations; a test holds it to them. Change a table by a migration. */
import type { Knex } from 'knex';

/** 1 for yes, 0 for no. */
type Flag = number;
/** A row as it may be written: a flag by its truth, nothing at all where the column has a value of its own. */
type Written<Row> = { [Column in keyof Row]?: Row[Column] | boolean | Knex.Raw | undefined };
`;

/** What a column's values are in a row as the driver gives it (see \`openDatabase\`). */
function typeOf({ DATA_TYPE, COLUMN_TYPE, IS_NULLABLE }: ColumnInfo): string {
  const type = () => {
    if (DATA_TYPE === 'enum') return COLUMN_TYPE.slice(5, -1).split(',').join(' | ');
    if (COLUMN_TYPE.startsWith('tinyint(1)')) return 'Flag';
    if (/int|decimal|float|double/.test(DATA_TYPE)) return 'number';
    if (/binary|blob/.test(DATA_TYPE)) return 'Buffer';
    if (/datetime|timestamp/.test(DATA_TYPE)) return 'Date';
    return 'string';
  };
  return type() + (IS_NULLABLE === 'YES' ? ' | null' : '');
}

/** The row types of a database's tables, as the text of {@link TABLES_FILE}. */
export async function tablesSource(db: Knex): Promise<string> {
  const [columns] = (await db.raw(
    `SELECT TABLE_NAME, COLUMN_NAME, DATA_TYPE, COLUMN_TYPE, IS_NULLABLE FROM information_schema.COLUMNS
     WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME NOT LIKE 'knex%' ORDER BY TABLE_NAME, ORDINAL_POSITION`,
  )) as [ColumnInfo[]];
  const names = [...new Set(columns.map((column) => column.TABLE_NAME))];
  const tables = names.map((name) => {
    const own = columns.filter((column) => column.TABLE_NAME === name);
    return `  ${name}: {\n${own.map((column) => `    ${column.COLUMN_NAME}: ${typeOf(column)};`).join('\n')}\n  };`;
  });
  const known = names.map(
    (name) => `    ${name}: Knex.CompositeTableType<Rows['${name}'], Written<Rows['${name}']>>;`,
  );
  const source = `${HEAD}
/** The columns of each table, as rows come. */
export interface Rows {
${tables.join('\n')}
}

declare module 'knex/types/tables.js' {
  interface Tables {
${known.join('\n')}
  }
}
`;
  return format(source, { ...(await resolveConfig(TABLES_FILE)), parser: 'typescript' });
}

if (process.argv[1]?.endsWith('tables.ts')) {
  const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-tables-'));
  const server = await startMariaDB(dir);
  try {
    const url = server.url('tables');
    await ensureDatabase(url);
    const db = openDatabase(url);
    try {
      await migrate(db);
      writeFileSync(TABLES_FILE, await tablesSource(db));
    } finally {
      await db.destroy();
    }
  } finally {
    await server.stop();
    rmSync(dir, { recursive: true, force: true });
  }
}
