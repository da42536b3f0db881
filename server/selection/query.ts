import type { Knex } from 'knex';
import {
  isGroup,
  type Criterion,
  type CriterionOf,
  type Field,
  type Group,
  type Line,
  type Selection,
} from '../../core/selection/tree.ts';
import { countOf, likePattern } from '../foundation/rows.ts';

/**
 * Narrows a query over `client` by one criterion: the counterpart of core's tests, a field of which without its
 * SQL does not compile; a property test holds them together. Each is true or false of every client, never unknown,
 * so that a group may turn it round.
 */
const NARROWED: {
  [F in Field]: (db: Knex, query: Knex.QueryBuilder, criterion: CriterionOf<F>) => Knex.QueryBuilder;
} = {
  status: (_db, query, { values }) => oneOf(query, 'client.status', values),
  adviser: (_db, query, { values }) => oneOf(query, 'client.adviser_id', values),
  service: (_db, query, { values }) => oneOf(query, 'client.service', values),
  interest: (db, query, { interestId, has }) =>
    having(db, query, has, db('client_interest').where({ interest_id: interestId }), 'client_interest'),
  number: (db, query, { fieldId, test, value }) =>
    having(
      db,
      query,
      true,
      db('client_field_value')
        .where({ field_id: fieldId })
        .where('number_value', test === 'at least' ? '>=' : '<=', value),
      'client_field_value',
    ),
  email: (db, query, { has }) =>
    having(
      db,
      query,
      has,
      db('client_person')
        .join('address', 'address.person_id', 'client_person.person_id')
        .where({ writes: 1, current: 1 }),
      'client_person',
    ),
  words: (db, query, { text }) => bearing(db, query, text),
};

function oneOf(query: Knex.QueryBuilder, column: string, values: readonly (string | number)[]) {
  return values.length ? query.whereNotNull(column).whereIn(column, values) : query;
}

/** @param has whether something of theirs is to be there, or nothing */
function having(
  db: Knex,
  query: Knex.QueryBuilder,
  has: boolean,
  theirs: Knex.QueryBuilder,
  table: string,
): Knex.QueryBuilder {
  const own = theirs.whereRaw(`${table}.client_id = client.id`).select(db.raw('1'));
  return has ? query.whereExists(own) : query.whereNotExists(own);
}

function bearing(db: Knex, query: Knex.QueryBuilder, text: string): Knex.QueryBuilder {
  const words = text.trim();
  if (!words) return query;
  const pattern = likePattern(words);
  const people = db('client_person')
    .join('person', 'person.id', 'client_person.person_id')
    .leftJoin('address', 'address.person_id', 'person.id')
    .where((one) =>
      one
        .whereRaw("CONCAT(person.first_name, ' ', person.last_name) LIKE ?", [pattern])
        .orWhere('address.email_key', 'like', pattern.toLowerCase()),
    );
  return query
    .where('client.name', 'like', pattern)
    .orWhere('client.place', 'like', pattern)
    .orWhereIn('client.id', db('file').where('number', 'like', likePattern(words, false)).select('client_id'))
    .orWhereIn('client.id', people.select('client_person.client_id'));
}

function narrow(db: Knex, query: Knex.QueryBuilder, line: Line): Knex.QueryBuilder {
  if (isGroup(line)) return narrowByGroup(db, query, line);
  // The SQL is the field's own; that they belong together is more than the compiler follows.
  const own = NARROWED[line.field] as (
    db: Knex,
    query: Knex.QueryBuilder,
    criterion: Criterion,
  ) => Knex.QueryBuilder;
  return own(db, query, line);
}

function narrowByGroup(db: Knex, query: Knex.QueryBuilder, { match, of }: Group): Knex.QueryBuilder {
  if (!of.length) return query;
  const line = (each: Line) => (inner: Knex.QueryBuilder) => {
    // What restricts nothing must still say so: an empty pair of brackets would be left out.
    inner.where(db.raw('1 = 1')).where((own) => void narrow(db, own, each));
  };
  if (match === 'all') return of.reduce((all, each) => all.where(line(each)), query);
  const any = (inner: Knex.QueryBuilder) => of.forEach((each) => void inner.orWhere(line(each)));
  return match === 'any' ? query.where(any) : query.whereNot(any);
}

/** Clients that fit the whole selection. */
export function selectedClients(db: Knex, { root }: Selection): Knex.QueryBuilder {
  return narrowByGroup(db, db('client'), root);
}

/** How many clients are left after each line of the outermost group. */
export async function countsByLine(db: Knex, { version, root }: Selection): Promise<number[]> {
  return Promise.all(
    root.of.map((_, index) =>
      countOf(selectedClients(db, { version, root: { ...root, of: root.of.slice(0, index + 1) } })),
    ),
  );
}
