import type { Knex } from 'knex';
import type { Fact } from '../../contract/facts.ts';
import {
  BUILT_IN_FACTS,
  fieldFact,
  fieldKey,
  fieldWords,
  type BuiltInKey,
  type FactInfo,
  type FactKind,
  type Facts,
} from '../../core/facts/catalogue.ts';
import { readFirm } from '../foundation/firm.ts';
import { groupBy, select } from '../foundation/rows.ts';

/** So many records are asked for in one statement. */
const CHUNK = 1000;

/** All that can be known of a record: what every firm knows, then its own fields in its own order. */
export async function factCatalogue(db: Knex): Promise<FactInfo[]> {
  const fields = await db('field')
    .where({ of: 'client' })
    .whereNull('gone_at')
    .orderBy('position')
    .select('id', 'label', 'kind', 'unit');
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
    return { ...builtIn, ...inWords(valuesOf.get(clientId) ?? []) };
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

/** One line of what stands in a field; of several choices each is a line. */
interface FieldLine {
  client_id: number;
  field_id: number;
  unit: string;
  kind: FactKind;
  text: string | null;
  number: number | null;
  date: string | null;
}

/** What stands in the firm's own fields: choices by their labels, people and clients by their names. */
function readFieldValues(db: Knex, clientIds: readonly number[]): Promise<FieldLine[]> {
  const values = db('client_field_value')
    .join('field', 'field.id', 'client_field_value.field_id')
    .leftJoin('field_choice', 'field_choice.id', 'client_field_value.choice_id')
    .leftJoin('person', 'person.id', 'client_field_value.person_link')
    .leftJoin({ linked: 'client' }, 'linked.id', 'client_field_value.client_link')
    .whereIn('client_field_value.client_id', clientIds)
    .whereNull('field.gone_at')
    .orderBy(['field.position', 'client_field_value.item']);
  return select(values, {
    client_id: 'client_field_value.client_id',
    field_id: 'client_field_value.field_id',
    unit: 'field.unit',
    kind: 'field.kind',
    text: db.raw<string | null>(
      `COALESCE(field_choice.label, TRIM(CONCAT(person.first_name, ' ', person.last_name)), linked.name,
        client_field_value.text_value)`,
    ),
    number: 'client_field_value.number_value',
    date: 'client_field_value.date_value',
  });
}

/** What stands in each of a record's fields, in words, by key. */
function inWords(lines: readonly FieldLine[]): Facts {
  const words: Record<string, string> = {};
  for (const line of lines) {
    const key = fieldKey(line.field_id);
    const before = words[key];
    words[key] = [before, fieldWords(line, line.unit, line.kind)].filter(Boolean).join(', ');
  }
  return words;
}

/** What stands in the firm's own fields of one client, in their order. */
export async function ownFacts(db: Knex, clientId: number): Promise<Fact[]> {
  const [catalogue, values] = await Promise.all([factCatalogue(db), readFieldValues(db, [clientId])]);
  const words = inWords(values);
  return catalogue.flatMap((fact) => {
    const value = words[fact.key];
    return value ? [{ ...fact, value }] : [];
  });
}
