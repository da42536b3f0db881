import type { Knex } from 'knex';
import { selectionOf } from '../../core/selection/tree.ts';
import { selectedClients } from '../selection/query.ts';
import type { ClientPage, ClientQuery, ClientView } from '../../contract/index.ts';
import { ownFacts } from '../facts/gather.ts';
import { asFileRef, readFiles } from './files.ts';
import { countOf, groupBy, select } from '../foundation/rows.ts';
import { fromJson } from '../foundation/json.ts';

const SORTS: Record<ClientQuery['sort'], string> = {
  name: 'client.name',
  adviser: 'staff.name',
  service: 'client.service',
  files: 'open_files',
  last: 'last_at',
};

/** One page of the register, searched by name, place, person, address or file number, counted and sorted in SQL. */
export async function listClients(db: Knex, query: ClientQuery): Promise<ClientPage> {
  const words = query.q.trim();
  const selection = selectionOf(
    ...(query.status ? [{ field: 'status' as const, values: [query.status] }] : []),
    ...(words ? [{ field: 'words' as const, text: words }] : []),
  );
  const base = selectedClients(db, selection);
  const total = await countOf(base.clone());
  const page = base
    .leftJoin('staff', 'staff.id', 'client.adviser_id')
    .orderBy(SORTS[query.sort], query.order)
    .orderBy('client.id')
    .offset(query.offset)
    .limit(query.limit);
  const rows = await select(page, {
    id: 'client.id',
    name: 'client.name',
    kind: 'client.kind',
    status: 'client.status',
    place: 'client.place',
    service: 'client.service',
    adviser: 'staff.name?',
    open_files: db.raw<number>(
      '(SELECT COUNT(*) FROM file WHERE file.client_id = client.id AND file.closed IS NULL)',
    ),
    last_at: db.raw<Date | null>(
      `(SELECT MAX((SELECT filing.at FROM filing WHERE filing.file_id = file.id ORDER BY filing.at DESC LIMIT 1))
        FROM file WHERE file.client_id = client.id)`,
    ),
  });
  return {
    total,
    rows: rows.map((row) => ({
      id: row.id,
      name: row.name,
      kind: row.kind,
      status: row.status,
      place: row.place,
      adviser: row.adviser,
      service: row.service,
      openFiles: row.open_files,
      lastMessageAt: row.last_at?.toISOString() ?? null,
    })),
  };
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
