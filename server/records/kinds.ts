import type { Knex } from 'knex';
import {
  DELIVERY_USUAL,
  type ClientFields,
  type Delivery,
  type DeliveryKind,
  type FileFields,
  type PersonFields,
  type Phone,
  type RecordSubject,
} from '../../contract/index.ts';
import { addressKey } from '../../core/address/address.ts';
import { readPhone } from '../../core/address/phone.ts';
import { collated } from '../../core/office/collated.ts';
import { isDuplicate, type Transaction } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { fromJson, toJson } from '../foundation/json.ts';
import { Refusal } from '../foundation/refusal.ts';
import { insertAll, select } from '../foundation/rows.ts';

/** What each kind of record has, and how it is read and written: the built-in fields; the firm's own join them. */
export interface RecordFields {
  client: ClientFields;
  person: PersonFields;
  file: FileFields;
}

interface Kind<F> {
  /** Null when there is no such record. */
  read(db: Knex, id: number): Promise<F | null>;
  /** @throws Refusal with what is wrong */
  write(trx: Transaction, id: number, after: Partial<F>): Promise<void>;
  /** Clients whose pages show it. */
  clients(db: Knex, id: number): Promise<number[]>;
}

export const KINDS: { [S in RecordSubject]: Kind<RecordFields[S]> } = {
  client: { read: readClient, write: writeClient, clients: async (_db, id) => [id] },
  person: {
    read: readPerson,
    write: writePerson,
    clients: (db, id) => db('client_person').where({ person_id: id }).pluck('client_id'),
  },
  file: {
    read: readFile,
    write: writeFile,
    clients: (db, id) => db('file').where({ id }).pluck('client_id'),
  },
};

async function readClient(db: Knex, id: number): Promise<ClientFields | null> {
  const row = await db('client').where({ id }).first();
  if (!row) return null;
  const [tags, interests, phones, delivery, people] = await Promise.all([
    db('client_tag')
      .join('tag', 'tag.id', 'client_tag.tag_id')
      .where({ client_id: id })
      .orderBy('tag.name')
      .pluck('tag.name'),
    db('client_interest')
      .join('interest', 'interest.id', 'client_interest.interest_id')
      .where({ client_id: id })
      .orderBy('interest.name')
      .pluck('interest.name'),
    readPhones(db, { client_id: id }),
    db('delivery').where({ client_id: id }).select('kind', 'way', 'person_id', 'also_id'),
    db('client_person').where({ client_id: id }).orderBy(['position', 'person_id']),
  ]);
  const { name, kind, status, since, service, place, country, greeting, note } = row;
  return {
    ...{ name, kind, status, since, service, place, country, greeting, note },
    postal: fromJson('client.postal', row.postal),
    adviserId: row.adviser_id,
    tags,
    interests,
    phones,
    delivery: (Object.keys(DELIVERY_USUAL) as DeliveryKind[]).map((each) => {
      const said = delivery.find((line) => line.kind === each);
      return {
        kind: each,
        way: said?.way ?? DELIVERY_USUAL[each],
        personId: said?.person_id ?? null,
        alsoId: said?.also_id ?? null,
      };
    }),
    counted: Boolean(row.counted),
    people: people.map(({ person_id, role, writes }) => ({
      personId: person_id,
      role,
      writes: Boolean(writes),
    })),
  };
}

async function writeClient(trx: Transaction, id: number, after: Partial<ClientFields>): Promise<void> {
  const { postal, adviserId, tags, interests, phones, delivery, people, ...plain } = after;
  const row = {
    ...plain,
    ...(postal ? { postal: toJson('client.postal', postal.filter(Boolean)) } : {}),
    ...(adviserId === undefined ? {} : { adviser_id: adviserId }),
  };
  if (Object.keys(row).length) await trx('client').where({ id }).update(row).catch(refuseUnknown('service'));
  if (tags) await writeNames(trx, 'tag', id, tags, true);
  if (interests) await writeNames(trx, 'interest', id, interests, false);
  if (phones) {
    const own = await trx('client').where({ id }).first('country');
    await writePhones(trx, { client_id: id }, phones, own?.country ?? '');
  }
  if (people) await writePeople(trx, id, people);
  if (delivery) await writeDelivery(trx, id, delivery);
}

/** @param fresh whether a name that is not in the list joins it */
async function writeNames(
  trx: Transaction,
  list: 'tag' | 'interest',
  clientId: number,
  names: readonly string[],
  fresh: boolean,
): Promise<void> {
  if (fresh && names.length)
    await insertAll(
      trx,
      list,
      names.map((name) => ({ name })),
      { ignore: true },
    );
  const known = names.length
    ? await trx(list)
        .whereIn('name', [...names])
        .select('id', 'name')
    : [];
  const there = new Set(known.map((each) => collated(each.name)));
  const missing = names.find((name) => !there.has(collated(name)));
  if (missing) throw new Refusal(400, `“${missing}” is none of the office’s list.`, `${list}s`);
  await trx(`client_${list}`).where({ client_id: clientId }).delete();
  await insertAll(
    trx,
    `client_${list}`,
    known.map((each) => ({ client_id: clientId, [`${list}_id`]: each.id })),
  );
}

async function writePeople(
  trx: Transaction,
  clientId: number,
  people: ClientFields['people'],
): Promise<void> {
  await trx('client_person').where({ client_id: clientId }).delete();
  await insertAll(
    trx,
    'client_person',
    people.map(({ personId, role, writes }, position) => ({
      client_id: clientId,
      person_id: personId,
      role,
      position,
      writes,
    })),
  ).catch(refuseUnknown('people'));
}

async function writeDelivery(
  trx: Transaction,
  clientId: number,
  delivery: readonly Delivery[],
): Promise<void> {
  await trx('delivery').where({ client_id: clientId }).delete();
  await insertAll(
    trx,
    'delivery',
    delivery.map(({ kind, way, personId, alsoId }) => ({
      ...{ client_id: clientId, kind, way },
      ...{ person_id: personId, also_id: alsoId ?? null },
    })),
  ).catch(refuseUnknown('delivery'));
}

function readPhones(db: Knex, whose: { client_id: number } | { person_id: number }): Promise<Phone[]> {
  return select(db('phone').where(whose).orderBy(['position', 'id']), {
    number: 'phone.number',
    purpose: 'phone.purpose',
  });
}

async function writePhones(
  trx: Transaction,
  whose: { client_id: number } | { person_id: number },
  phones: readonly Phone[],
  country: string,
): Promise<void> {
  const home = (await readFirm(trx)).country;
  await trx('phone').where(whose).delete();
  await insertAll(
    trx,
    'phone',
    phones.map(({ number, purpose }, position) => {
      const { shown, key } = readPhone(number, country || home, home);
      return { ...whose, number: shown, number_key: key.slice(0, 20), purpose, position };
    }),
  );
}

async function readPerson(db: Knex, id: number): Promise<PersonFields | null> {
  const row = await db('person').where({ id }).first();
  if (!row) return null;
  const [phones, addresses] = await Promise.all([
    readPhones(db, { person_id: id }),
    db('address').where({ person_id: id }).orderBy(['position', 'id']).select('email', 'current', 'purpose'),
  ]);
  return {
    title: row.title,
    firstName: row.first_name,
    lastName: row.last_name,
    greeting: row.greeting,
    note: row.note,
    phones,
    addresses: addresses.map(({ email, current, purpose }) => ({
      email,
      current: Boolean(current),
      purpose,
    })),
  };
}

async function writePerson(trx: Transaction, id: number, after: Partial<PersonFields>): Promise<void> {
  const { firstName, lastName, phones, addresses, ...plain } = after;
  const row = {
    ...plain,
    ...(firstName === undefined ? {} : { first_name: firstName }),
    ...(lastName === undefined ? {} : { last_name: lastName }),
  };
  if (Object.keys(row).length) await trx('person').where({ id }).update(row);
  if (phones) await writePhones(trx, { person_id: id }, phones, '');
  if (addresses) await writeAddresses(trx, id, addresses);
}

/** An address that stays keeps what is known of it, such as that mail to it was returned. */
async function writeAddresses(
  trx: Transaction,
  personId: number,
  addresses: PersonFields['addresses'],
): Promise<void> {
  const keys = addresses.map(({ email }) => addressKey(email));
  const twice = keys.findIndex((key, index) => keys.indexOf(key) !== index);
  if (twice >= 0) throw new Refusal(400, `${addresses[twice]?.email} stands there twice.`, 'addresses');
  await trx('address').where({ person_id: personId }).whereNotIn('email_key', keys).delete();
  for (const [position, { email, current, purpose }] of addresses.entries())
    await trx('address')
      .insert({ person_id: personId, email, email_key: addressKey(email), current, purpose, position })
      .onConflict(['person_id', 'email_key'])
      .merge(['email', 'current', 'purpose', 'position']);
}

async function readFile(db: Knex, id: number): Promise<FileFields | null> {
  const row = await db('file').where({ id }).first();
  if (!row) return null;
  const [stage, people] = await Promise.all([
    db('stage').where('id', row.stage_id).first('name'),
    db('file_person').where({ file_id: id }).orderBy('person_id').select('person_id', 'role'),
  ]);
  const { number, title, opened, closed } = row;
  return {
    ...{ number, title, opened, closed },
    adviserId: row.adviser_id,
    stage: stage?.name ?? null,
    people: people.map(({ person_id, role }) => ({ personId: person_id, role })),
  };
}

async function writeFile(trx: Transaction, id: number, after: Partial<FileFields>): Promise<void> {
  const { adviserId, stage, people, ...plain } = after;
  const row = {
    ...plain,
    ...(adviserId === undefined ? {} : { adviser_id: adviserId }),
    ...(stage === undefined ? {} : { stage_id: await stageId(trx, stage) }),
  };
  const { opened, closed } = { ...(await trx('file').where({ id }).first('opened', 'closed')), ...plain };
  if (opened && closed && closed < opened)
    throw new Refusal(400, 'It was closed before it was opened.', 'closed');
  if (Object.keys(row).length)
    await trx('file')
      .where({ id })
      .update(row)
      .catch((error: unknown) => {
        throw isDuplicate(error) ? new Refusal(409, 'Another file has that number.', 'number') : error;
      });
  if (!people) return;
  await trx('file_person').where({ file_id: id }).delete();
  const rows = people.map(({ personId, role }) => ({ file_id: id, person_id: personId, role }));
  await insertAll(trx, 'file_person', rows).catch(refuseUnknown('people'));
}

/** The number of a stage by its name. @throws Refusal when the office has none of that name */
export async function stageId(trx: Knex, name: string | null): Promise<number | null> {
  if (!name) return null;
  const stage = await trx('stage').where({ name }).first('id');
  if (!stage) throw new Refusal(400, `“${name}” is none of the office’s stages.`, 'stage');
  return stage.id;
}

const NO_REFERENCE = 1452;

/** What a record names must be there. */
function refuseUnknown(field: string): (error: unknown) => never {
  return (error) => {
    throw (error as { errno?: number }).errno === NO_REFERENCE
      ? new Refusal(400, 'That names something that is not in the register.', field)
      : isDuplicate(error)
        ? new Refusal(400, 'One stands there twice.', field)
        : error;
  };
}
