import type { Knex } from 'knex';
import type { ClientPage, ClientQuery, ClientView } from '../../contract/index.ts';
import { fieldKey } from '../../core/facts/catalogue.ts';
import { SELECTABLE } from '../../core/selection/catalogue.ts';
import type { Running } from '../selection/query.ts';
import { ordered, readCells } from '../selection/results.ts';
import { printedAddress } from '../../core/address/postal.ts';
import { readFirm } from '../foundation/firm.ts';
import { ownFacts } from '../facts/gather.ts';
import { asFileRef, readFiles } from './files.ts';
import { countOf, groupBy, likePattern, select } from '../foundation/rows.ts';
import { fromJson } from '../foundation/json.ts';

/** In the order of what a fact shows; advisers by their names, which are few and read first. */
function inOrder(
  found: Knex.QueryBuilder,
  { sort, order }: Pick<ClientQuery, 'sort' | 'order'>,
  advisers: readonly number[],
  running: Running,
): Knex.QueryBuilder {
  if (sort !== 'client.adviser') return ordered(found, 'client', running, { by: sort, order });
  const place = advisers.length ? `FIELD(client.adviser_id, ${advisers.join(', ')})` : 'client.id';
  return found.orderByRaw(`${place} ${order}`).orderBy(['client.name', 'client.id']);
}

/** Which of some keys are facts of clients that can be shown: what was taken away since is passed over. */
async function factsOfClients(db: Knex, keys: readonly string[]): Promise<Set<string>> {
  const own: number[] = keys.some((key) => key.startsWith('field:'))
    ? await db('field').where({ of: 'client' }).whereNull('gone_at').pluck('id')
    : [];
  const fields = new Set(own.map(fieldKey));
  return new Set(
    keys.filter((key) => fields.has(key) || (key.startsWith('client.') && Object.hasOwn(SELECTABLE, key))),
  );
}

/**
 * One page of the register, by the beginnings of words in name or place, of a person’s name or address, or of a file
 * number; counted and sorted in SQL, with the columns asked for.
 */
export async function listClients(db: Knex, query: ClientQuery, running: Running): Promise<ClientPage> {
  const words = query.q.trim();
  const found = () => {
    // The few that bear the words first, then their records: the other way round each would be asked anew.
    const all: Knex.QueryBuilder = words
      ? db.from(bearing(db, words).as('found')).joinRaw('STRAIGHT_JOIN client ON client.id = found.id')
      : db('client');
    return query.status ? all.where('client.status', query.status) : all;
  };
  const known = await factsOfClients(db, [...query.columns, query.sort]);
  const sort = known.has(query.sort) ? query.sort : 'client.name';
  const shown = query.columns.filter((key) => known.has(key));
  const advisers: number[] = sort === 'client.adviser' ? await db('staff').orderBy('name').pluck('id') : [];
  const page = inOrder(found(), { ...query, sort }, advisers, running)
    .offset(query.offset)
    .limit(query.limit)
    .pluck('client.id') as Promise<number[]>;
  const [total, ids] = await Promise.all([countOf(found()), page]);
  const [names, rows] = await Promise.all([
    db('client').whereIn('id', ids).select('id', 'name', 'status'),
    readCells(db, 'client', ids, shown, running),
  ]);
  const nameOf = new Map(names.map((row) => [row.id, row]));
  return {
    total,
    rows: rows.flatMap(({ id, cells }) => {
      const row = nameOf.get(id);
      if (!row) return [];
      const cellOf = new Map(shown.map((key, at) => [key, cells[at] ?? null]));
      return [{ ...row, cells: query.columns.map((key) => cellOf.get(key) ?? null) }];
    }),
  };
}

/** The database keeps no shorter words in its full-text keys (its own default). */
const SHORTEST = 3;

/** Ids of clients that bear the words, from the ordered and the full-text keys alone. */
function bearing(db: Knex, words: string): Knex.QueryBuilder {
  const begins = likePattern(words, false);
  const terms = words.match(/[\p{L}\p{N}]+/gu) ?? [];
  const long = terms.filter((term) => term.length >= SHORTEST);
  const named: Knex.QueryBuilder = db('client').select('id');
  if (long.length)
    void named.whereRaw('MATCH(name, place) AGAINST(? IN BOOLEAN MODE)', [
      long.map((term) => `+${term}*`).join(' '),
    ]);
  else void named.where('name', 'like', begins);
  for (const short of terms.filter((term) => long.length && term.length < SHORTEST))
    void named.whereRaw("CONCAT(' ', name, ' ', place) LIKE ?", [likePattern(` ${short}`)]);
  const [first = '', ...rest] = words.split(/\s+/);
  const people: Knex.QueryBuilder = rest.length
    ? db('person')
        .where('last_name', 'like', likePattern(rest.join(' '), false))
        .where('first_name', 'like', likePattern(first, false))
    : db('person').where('last_name', 'like', begins).orWhere('first_name', 'like', begins);
  const addressed: Knex.QueryBuilder = db('address').where('email_key', 'like', begins.toLowerCase());
  const clientsOf = (persons: Knex.QueryBuilder) =>
    db('client_person').whereIn('person_id', persons).select('client_id');
  return named.union([
    clientsOf(people.select('id')),
    clientsOf(addressed.select('person_id')),
    db('file').where('number', 'like', begins).select('client_id'),
  ]);
}

/** Everything on a client's page but the ledger; null when there is no such client. */
export async function viewClient(db: Knex, id: number): Promise<ClientView | null> {
  const client = await db('client').where({ id }).first();
  if (!client) return null;
  const [firm, namedBy, adviser, people, addresses, phones, files, fields, interests, tags] =
    await Promise.all([
      readFirm(db),
      namedByOthers(db, id),
      db('staff').where('id', client.adviser_id).first('name'),
      peopleOf(db, id),
      addressesOfPeople(db, id),
      phonesOf(db, id),
      readFiles(db, (own) =>
        own.where('file.client_id', id).orderByRaw('file.closed IS NOT NULL, file.general, file.number DESC'),
      ),
      ownFacts(db, id),
      db('client_interest')
        .join('interest', 'interest.id', 'client_interest.interest_id')
        .where({ client_id: id })
        .orderBy('name')
        .pluck('name'),
      db('client_tag')
        .join('tag', 'tag.id', 'client_tag.tag_id')
        .where({ client_id: id })
        .orderBy('name')
        .pluck('name'),
    ]);
  const phonesAt = groupBy(phones, (row) => row.person_id);
  const asPhones = (rows: typeof phones = []) => rows.map(({ number, purpose }) => ({ number, purpose }));
  const addressesOf = groupBy(addresses, (row) => row.person_id);
  return {
    id,
    name: client.name,
    kind: client.kind,
    status: client.status,
    since: client.since,
    service: client.service,
    place: client.place,
    postal: printedAddress(fromJson('client.postal', client.postal), client.country, firm.country),
    country: client.country,
    greeting: client.greeting,
    note: client.note,
    phones: asPhones(phonesAt.get(null)),
    tags,
    adviser: adviser?.name ?? null,
    people: people.map((person) => ({
      id: person.id,
      name: `${person.first_name} ${person.last_name}`.trim(),
      role: person.role,
      writes: Boolean(person.writes),
      phones: asPhones(phonesAt.get(person.id)),
      addresses: (addressesOf.get(person.id) ?? []).map((row) => ({
        email: row.email,
        current: Boolean(row.current),
        purpose: row.purpose,
        returned: row.returned_why,
        optedOut: row.how,
      })),
    })),
    files: files.map((file) => ({
      ...asFileRef(file),
      opened: file.opened,
      closedOn: file.closed,
      stage: file.stage ?? '',
    })),
    fields,
    interests,
    namedBy,
  };
}

const MOST_NAMING = 30;

/** Other clients whose fields name a client, or somebody who is theirs alone or with others. */
async function namedByOthers(db: Knex, id: number): Promise<ClientView['namedBy']> {
  const people = db('client_person').where({ client_id: id }).select('person_id');
  const naming = db('client_field_value')
    .join('field', 'field.id', 'client_field_value.field_id')
    .join({ other: 'client' }, 'other.id', 'client_field_value.client_id')
    .leftJoin('person', 'person.id', 'client_field_value.person_link')
    .whereNull('field.gone_at')
    .whereNot('client_field_value.client_id', id)
    .where((any) =>
      any.where('client_field_value.client_link', id).orWhereIn('client_field_value.person_link', people),
    )
    .orderBy(['field.position', 'other.name'])
    .limit(MOST_NAMING);
  const rows = await select(naming, {
    clientId: 'client_field_value.client_id',
    client: db.raw<string>('other.name'),
    field: 'field.label',
    first: 'person.first_name?',
    last: 'person.last_name?',
  });
  return rows.map(({ first, last, ...row }) => ({
    ...row,
    person: first === null ? null : `${first} ${last ?? ''}`.trim(),
  }));
}

function peopleOf(db: Knex, clientId: number) {
  const people = db('client_person')
    .join('person', 'person.id', 'client_person.person_id')
    .where('client_person.client_id', clientId)
    .orderBy('client_person.position');
  return select(people, {
    id: 'person.id',
    first_name: 'person.first_name',
    last_name: 'person.last_name',
    role: 'client_person.role',
    writes: 'client_person.writes',
  });
}

function addressesOfPeople(db: Knex, clientId: number) {
  const addresses = db('address')
    .join('client_person', 'client_person.person_id', 'address.person_id')
    .leftJoin('opt_out', 'opt_out.email_key', 'address.email_key')
    .where('client_person.client_id', clientId)
    .orderBy('address.position');
  return select(addresses, {
    person_id: 'address.person_id',
    email: 'address.email',
    current: 'address.current',
    purpose: 'address.purpose',
    returned_why: 'address.returned_why',
    how: 'opt_out.how?',
  });
}

/** The client's own telephone numbers, and those of their people. */
function phonesOf(db: Knex, clientId: number) {
  const phones = db('phone')
    .where('phone.client_id', clientId)
    .orWhereIn('phone.person_id', db('client_person').where({ client_id: clientId }).select('person_id'))
    .orderBy('phone.position');
  return select(phones, { person_id: 'phone.person_id', number: 'phone.number', purpose: 'phone.purpose' });
}
