import type { Knex } from 'knex';
import type { ClientPage, ClientQuery, ClientView } from '../../contract/index.ts';
import { ownFacts } from '../facts/gather.ts';
import { asFileRef, readFiles } from './files.ts';
import { countOf, groupBy, likePattern, select } from '../foundation/rows.ts';
import { fromJson } from '../foundation/json.ts';

/** How rows are put in order; advisers by their names, which are few and read first. */
const SORTS: Record<ClientQuery['sort'], (advisers: readonly number[]) => string> = {
  name: () => 'client.name',
  adviser: (advisers) => (advisers.length ? `FIELD(client.adviser_id, ${advisers.join(', ')})` : 'client.id'),
  service: () => 'client.service',
  files: () => OPEN_FILES,
  last: () => LAST_AT,
};
const OPEN_FILES = '(SELECT COUNT(*) FROM file WHERE file.client_id = client.id AND file.closed IS NULL)';
const LAST_AT = '(SELECT MAX(filing.at) FROM filing WHERE filing.client_id = client.id)';

/**
 * One page of the register, by the beginnings of words in name or place, of a person’s name or address, or of a file
 * number; counted and sorted in SQL.
 */
export async function listClients(db: Knex, query: ClientQuery): Promise<ClientPage> {
  const words = query.q.trim();
  const found = () => {
    // The few that bear the words first, then their records: the other way round each would be asked anew.
    const all: Knex.QueryBuilder = words
      ? db.from(bearing(db, words).as('found')).joinRaw('STRAIGHT_JOIN client ON client.id = found.id')
      : db('client');
    return query.status ? all.where('client.status', query.status) : all;
  };
  const advisers = query.sort === 'adviser' ? await db('staff').orderBy('name').pluck('id') : [];
  const [total, ids] = await Promise.all([
    countOf(found()),
    found()
      .orderByRaw(`${SORTS[query.sort](advisers)} ${query.order}`)
      .orderBy(['client.name', 'client.id'])
      .offset(query.offset)
      .limit(query.limit)
      .pluck('client.id') as Promise<number[]>,
  ]);
  const page = db('client').leftJoin('staff', 'staff.id', 'client.adviser_id').whereIn('client.id', ids);
  const rows = await select(page, {
    id: 'client.id',
    name: 'client.name',
    kind: 'client.kind',
    status: 'client.status',
    place: 'client.place',
    service: 'client.service',
    adviser: 'staff.name?',
    open_files: db.raw<number>(OPEN_FILES),
    last_at: db.raw<Date | null>(LAST_AT),
  });
  const byId = new Map(rows.map((row) => [row.id, row]));
  return {
    total,
    rows: ids.flatMap((id) => {
      const row = byId.get(id);
      if (!row) return [];
      const { name, kind, status, place, adviser, service } = row;
      return {
        ...{ id, name, kind, status, place, adviser, service },
        openFiles: row.open_files,
        lastMessageAt: row.last_at?.toISOString() ?? null,
      };
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
  const [adviser, people, addresses, phones, files, fields, interests, tags] = await Promise.all([
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
    postal: fromJson('client.postal', client.postal),
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
  };
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
