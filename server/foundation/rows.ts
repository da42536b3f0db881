import type { Knex } from 'knex';

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

/** Letters, digits and blanks; wildcards of LIKE are taken as written. */
export function likePattern(words: string, anywhere = true): string {
  return `${anywhere ? '%' : ''}${words.replace(/[\\%_]/g, '\\$&')}%`;
}

/**
 * Inserts any number of rows, all with the columns of the first, some hundred at a time. Written out by
 * hand for the sake of speed: intake keeps a dozen rows for each message.
 * @param ignore rows whose key is there already are passed over
 */
export async function insertAll(
  db: Knex,
  table: string,
  rows: readonly Record<string, unknown>[],
  { chunk = 500, ignore = false } = {},
): Promise<void> {
  if (!rows[0]) return;
  const columns = Object.keys(rows[0]);
  const row = `(${columns.map(() => '?').join(', ')})`;
  const into = `INSERT ${ignore ? 'IGNORE ' : ''}INTO ${table} (${columns.join(', ')}) VALUES `;
  for (let at = 0; at < rows.length; at += chunk) {
    const part = rows.slice(at, at + chunk);
    const values = part.flatMap((each) => columns.map((column) => each[column] ?? null));
    await db.raw(into + part.map(() => row).join(', '), values as Knex.RawBinding[]);
  }
}
