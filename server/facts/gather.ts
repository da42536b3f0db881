import type { Knex } from 'knex';
import type { Fact } from '../../contract/facts.ts';
import {
  BUILT_IN_FACTS,
  fieldFact,
  fieldKey,
  fieldWords,
  type BuiltInKey,
  type FactInfo,
  type Facts,
} from '../../core/facts/catalogue.ts';
import { readFirm } from '../foundation/firm.ts';
import { groupBy, select, type Selected } from '../foundation/rows.ts';

/** So many records are asked for in one statement. */
const CHUNK = 1000;

/** All that can be known of a record: what every firm knows, then its own fields in its own order. */
export async function factCatalogue(db: Knex): Promise<FactInfo[]> {
  const fields = await db('field').orderBy('position').select('id', 'label', 'kind', 'unit');
  return [...BUILT_IN_FACTS, ...fields.map(({ id, label, kind, unit }) => fieldFact(id, label, kind, unit))];
}

/** Whom and what the facts are about. */
export interface FactsAbout {
  clientId: number;
  fileId: number | null;
  adviserId: number | null;
  /** The person addressed, if it is known. */
  person: { firstName: string; lastName: string } | null;
  greeting: string | null;
}

/** The facts of many records in bulk, in the order given; what is not known is empty. */
export async function gatherFacts(db: Knex, about: readonly FactsAbout[]): Promise<Facts[]> {
  const clientIds = [...new Set(about.map(({ clientId }) => clientId))];
  const [firm, clients, files, staff, values] = await Promise.all([
    readFirm(db),
    inChunks(clientIds, (ids) => db('client').whereIn('id', ids).select('id', 'name', 'place', 'service')),
    inChunks([...new Set(about.flatMap(({ fileId }) => fileId ?? []))], (ids) =>
      db('file').whereIn('id', ids).select('id', 'number', 'title'),
    ),
    db('staff').select('id', 'name', 'email', 'phone'),
    inChunks(clientIds, (ids) => readFieldValues(db, ids)),
  ]);
  const clientOf = new Map(clients.map((client) => [client.id, client]));
  const fileOf = new Map(files.map((file) => [file.id, file]));
  const staffOf = new Map(staff.map((member) => [member.id, member]));
  const valuesOf = groupBy(values, (value) => value.client_id);
  return about.map(({ clientId, fileId, adviserId, person, greeting }) => {
    const client = clientOf.get(clientId);
    const file = fileOf.get(fileId ?? 0);
    const adviser = staffOf.get(adviserId ?? 0);
    const builtIn: Record<BuiltInKey, string> = {
      greeting: greeting ?? '',
      'client.name': client?.name ?? '',
      'client.place': client?.place ?? '',
      'client.service': client?.service ?? '',
      'person.firstName': person?.firstName ?? '',
      'person.lastName': person?.lastName ?? '',
      'file.number': file?.number ?? '',
      'file.title': file?.title ?? '',
      'adviser.name': adviser?.name ?? '',
      'adviser.email': adviser?.email ?? '',
      'adviser.phone': adviser?.phone ?? '',
      'firm.name': firm.name,
    };
    const own = (valuesOf.get(clientId) ?? []).map((value) => [fieldKey(value.field_id), wordsOf(value)]);
    return { ...builtIn, ...Object.fromEntries(own) };
  });
}

async function inChunks<T>(
  ids: readonly number[],
  read: (ids: readonly number[]) => Promise<T[]>,
): Promise<T[]> {
  const all: T[] = [];
  for (let at = 0; at < ids.length; at += CHUNK) all.push(...(await read(ids.slice(at, at + CHUNK))));
  return all;
}

const FIELD_VALUE = {
  client_id: 'field_value.client_id',
  field_id: 'field_value.field_id',
  unit: 'field.unit',
  text: 'field_value.text_value',
  number: 'field_value.number_value',
  date: 'field_value.date_value',
} as const;
type FieldValueRow = Selected<typeof FIELD_VALUE>;

function readFieldValues(db: Knex, clientIds: readonly number[]): Promise<FieldValueRow[]> {
  const values = db('field_value')
    .join('field', 'field.id', 'field_value.field_id')
    .whereIn('field_value.client_id', clientIds)
    .orderBy('field.position');
  return select(values, FIELD_VALUE);
}

function wordsOf(value: FieldValueRow): string {
  return fieldWords(value, value.unit);
}

/** What stands in the firm's own fields of one client, in their order. */
export async function ownFacts(db: Knex, clientId: number): Promise<Fact[]> {
  const [catalogue, values] = await Promise.all([factCatalogue(db), readFieldValues(db, [clientId])]);
  const valueOf = new Map(values.map((value) => [fieldKey(value.field_id), wordsOf(value)]));
  return catalogue.flatMap((fact) => {
    const value = valueOf.get(fact.key);
    return value ? [{ ...fact, value }] : [];
  });
}
