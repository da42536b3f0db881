import type { Knex } from 'knex';
import type { Correspondent } from '../../contract/index.ts';
import { searchExpression } from '../foundation/fullText.ts';
import { likePattern, select } from '../foundation/rows.ts';

const MOST = 12;

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
  const query = named(
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
    .limit(MOST);
  const rows = await select(query, {
    first_name: 'person.first_name',
    last_name: 'person.last_name',
    email: 'address.email',
    role: db.raw<string>("COALESCE(NULLIF(file_person.role, ''), client_person.role)"),
  });
  return rows.map((row) => ({ name: nameOf(row), email: row.email, role: row.role, onFile: true }));
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
  const query = named(
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
    .limit(MOST);
  const rows = await select(query, {
    first_name: 'person.first_name',
    last_name: 'person.last_name',
    email: 'address.email',
    role: 'client_person.role?',
    client: 'client.name?',
  });
  return rows.map((row) => ({
    name: nameOf(row),
    email: row.email,
    role: [row.role, row.client].filter(Boolean).join(', '),
    onFile: false,
  }));
}

async function colleagues(db: Knex, words: readonly string[]): Promise<Correspondent[]> {
  const query = db('staff').where({ active: 1 });
  for (const word of words) query.where('name', 'like', likePattern(word));
  const rows = await query.limit(5).select('name', 'email');
  return rows.map((row) => ({ ...row, role: 'colleague', onFile: false }));
}

const nameOf = (row: { first_name: string; last_name: string }) =>
  `${row.first_name} ${row.last_name}`.trim();
