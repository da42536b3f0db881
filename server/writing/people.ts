import type { Knex } from 'knex';
import type { Correspondent } from '../../contract/index.ts';
import { searchExpression } from '../../core/message/query.ts';
import { likePattern } from '../foundation/rows.ts';

const MOST = 12;

interface Row {
  first_name: string;
  last_name: string;
  email: string;
  role: string | null;
  client: string | null;
  on_file: number;
}

/**
 * People a message may go to: those of the file and its client first, by role, then anybody in the records
 * and among the staff whose name or address begins so. Only current addresses.
 */
export async function findCorrespondents(
  db: Knex,
  typed: string,
  fileId: number | undefined,
): Promise<Correspondent[]> {
  const words = typed.split(/\s+/).filter(Boolean).slice(0, 4);
  const [onFile, others, staff] = await Promise.all([
    fileId ? peopleOfFile(db, fileId, words) : [],
    words.length ? anybody(db, words) : [],
    words.length ? colleagues(db, words) : [],
  ]);
  const seen = new Set<string>();
  return [...onFile, ...others, ...staff]
    .filter(({ email }) => !seen.has(email.toLowerCase()) && seen.add(email.toLowerCase()))
    .slice(0, MOST);
}

function named(query: Knex.QueryBuilder, words: readonly string[]): Knex.QueryBuilder {
  for (const word of words) {
    const pattern = likePattern(word, false);
    query.where((any) =>
      any
        .where('person.first_name', 'like', pattern)
        .orWhere('person.last_name', 'like', pattern)
        .orWhere('address.email_key', 'like', pattern),
    );
  }
  return query;
}

async function peopleOfFile(db: Knex, fileId: number, words: readonly string[]): Promise<Correspondent[]> {
  const rows: Row[] = await named(
    db('file')
      .join('client', 'client.id', 'file.client_id')
      .join('client_person', 'client_person.client_id', 'file.client_id')
      .join('person', 'person.id', 'client_person.person_id')
      .join('address', (join) =>
        join.on('address.person_id', 'person.id').andOn('address.current', db.raw('1')),
      )
      .leftJoin('file_person', (join) =>
        join.on('file_person.person_id', 'person.id').andOn('file_person.file_id', 'file.id'),
      )
      .where('file.id', fileId),
    words,
  )
    .orderByRaw(
      'file_person.file_id IS NULL, client_person.writes DESC, client_person.position, address.position',
    )
    .limit(MOST)
    .select('person.first_name', 'person.last_name', 'address.email', 'client.name as client')
    .select(
      db.raw("COALESCE(NULLIF(file_person.role, ''), client_person.role) AS role"),
      db.raw('1 AS on_file'),
    );
  return rows.map(asCorrespondent);
}

/** By name through the full-text key, by address through its beginning: a scan of all people would be felt. */
async function anybody(db: Knex, words: readonly string[]): Promise<Correspondent[]> {
  const expression = searchExpression(words.join(' '));
  const [byName, byAddress]: [number[], number[]] = await Promise.all([
    expression
      ? db('person')
          .whereRaw('MATCH (first_name, last_name) AGAINST (? IN BOOLEAN MODE)', [expression])
          .limit(MOST * 4)
          .pluck('id')
      : [],
    words[0] && words[0].length > 1
      ? db('address')
          .where('email_key', 'like', likePattern(words[0].toLowerCase(), false))
          .limit(MOST * 4)
          .pluck('person_id')
      : [],
  ]);
  const ids = [...new Set([...byName, ...byAddress])];
  if (!ids.length) return [];
  const rows: Row[] = await named(
    db('person')
      .join('address', (join) =>
        join.on('address.person_id', 'person.id').andOn('address.current', db.raw('1')),
      )
      .leftJoin('client_person', 'client_person.person_id', 'person.id')
      .leftJoin('client', 'client.id', 'client_person.client_id')
      .whereIn('person.id', ids),
    words,
  )
    .orderBy('person.last_name')
    .limit(MOST)
    .select('person.first_name', 'person.last_name', 'address.email', 'client_person.role')
    .select('client.name as client', db.raw('0 AS on_file'));
  return rows.map(asCorrespondent);
}

async function colleagues(db: Knex, words: readonly string[]): Promise<Correspondent[]> {
  const query = db('staff').where({ active: 1 });
  for (const word of words) query.where('name', 'like', likePattern(word));
  const rows: { name: string; email: string }[] = await query.limit(5).select('name', 'email');
  return rows.map((row) => ({ ...row, role: 'colleague', onFile: false }));
}

function asCorrespondent(row: Row): Correspondent {
  return {
    name: `${row.first_name} ${row.last_name}`.trim(),
    email: row.email,
    role: row.on_file ? (row.role ?? '') : [row.role, row.client].filter(Boolean).join(', '),
    onFile: Boolean(row.on_file),
  };
}
