import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { Fact } from '../../contract/facts.ts';
import {
  BUILT_IN_FACTS,
  ROW_FACTS,
  fieldFact,
  fieldKey,
  fieldWords,
  type BuiltInKey,
  type FactInfo,
  type FactKind,
  type Facts,
  type Known,
  type RowsOf,
} from '../../core/facts/catalogue.ts';
import { pageMark } from '../../core/collection/link.ts';
import { printedAddress } from '../../core/address/postal.ts';
import { noteFacts } from '../../core/paperwork/account.ts';
import { hundredths, moneyWords } from '../../core/paperwork/money.ts';
import { dayWords } from '../../core/office/day.ts';
import { readFirm, webBase, type Firm } from '../foundation/firm.ts';
import { fromJson } from '../foundation/json.ts';
import { groupBy, select } from '../foundation/rows.ts';

/** So many records are asked for in one statement. */
const CHUNK = 1000;

/** All that can be known of a record: what every firm knows, its own fields in its own order, and what is known of each of several things. */
export async function factCatalogue(db: Knex): Promise<FactInfo[]> {
  const fields = await db('field')
    .where({ of: 'client' })
    .whereNull('gone_at')
    .orderBy('position')
    .select('id', 'label', 'kind', 'unit');
  return [
    ...BUILT_IN_FACTS,
    ...fields.map(({ id, label, kind, unit }) => fieldFact(id, label, kind, unit)),
    ...ROW_FACTS,
  ];
}

/** Whom and what the facts are about. */
export interface FactsAbout {
  clientId: number;
  fileId: number | null;
  adviserId: number | null;
  /** The person addressed, if it is known. */
  person: { title?: string; firstName: string; lastName: string } | null;
  greeting: string | null;
}

/**
 * The facts of many records in bulk, in the order given; what is not known is empty.
 * @param rows what a text is repeated for: gathered only where it is wanted
 */
export async function gatherFacts(
  db: Knex,
  about: readonly FactsAbout[],
  rows: readonly RowsOf[] = [],
): Promise<Known[]> {
  const clientIds = [...new Set(about.map(({ clientId }) => clientId))];
  const firm = await readFirm(db);
  const today = DateTime.now().setZone(firm.zone).toISODate() ?? '';
  const [clients, files, staff, values, fees, ...lists] = await Promise.all([
    inChunks(clientIds, (ids) =>
      db('client').whereIn('id', ids).select('id', 'name', 'place', 'service', 'postal', 'country'),
    ),
    inChunks([...new Set(about.flatMap(({ fileId }) => fileId ?? []))], (ids) =>
      select(db('file').leftJoin('stage', 'stage.id', 'file.stage_id').whereIn('file.id', ids), {
        id: 'file.id',
        number: 'file.number',
        title: 'file.title',
        stage: 'stage.name?',
      }),
    ),
    db('staff').select('id', 'name', 'email', 'phone', 'title'),
    inChunks(clientIds, (ids) => readFieldValues(db, ids)),
    inChunks(clientIds, (ids) => readOpenFees(db, ids)),
    ...rows.map((of) => inChunks(clientIds, (ids) => READ_ROWS[of](db, ids, { firm, today }))),
  ]);
  const clientOf = new Map(clients.map((client) => [client.id, client]));
  const fileOf = new Map(files.map((file) => [file.id, file]));
  const staffOf = new Map(staff.map((member) => [member.id, member]));
  const openOf = new Map(fees.map(({ clientId, open }) => [clientId, Number(open ?? 0)]));
  const valuesOf = groupBy(values, (value) => value.client_id);
  const rowsOf = rows.map((of, at) => [of, groupBy(lists[at] ?? [], (row) => row.clientId)] as const);
  return about.map(({ clientId, fileId, adviserId, person, greeting }) => {
    const client = clientOf.get(clientId);
    const file = fileOf.get(fileId ?? 0);
    const adviser = staffOf.get(adviserId ?? 0);
    const own = valuesOf.get(clientId) ?? [];
    const open = openOf.get(clientId) ?? 0;
    const builtIn: Record<BuiltInKey, string> = {
      greeting: greeting ?? '',
      // Of a client alone: the address itself stands there once the message leaves.
      'page.link': clientId ? pageMark(webBase(firm)) : '',
      'client.name': client?.name ?? '',
      'client.address': client ? addressBlock(client, firm.country) : '',
      'client.place': client?.place ?? '',
      'client.service': client?.service ?? '',
      'person.title': person?.title ?? '',
      'person.firstName': person?.firstName ?? '',
      'person.lastName': person?.lastName ?? '',
      'file.number': file?.number ?? '',
      'file.title': file?.title ?? '',
      'file.stage': file?.stage ?? '',
      'adviser.name': adviser?.name ?? '',
      'adviser.email': adviser?.email ?? '',
      'adviser.phone': adviser?.phone ?? '',
      'adviser.title': adviser?.title ?? '',
      'firm.name': firm.name,
      'firm.address': firm.postal.join('\n'),
      'firm.phone': firm.phone,
      today: dayWords(today),
      'fees.open': moneyWords(hundredths(open), firm.paper.currency),
    };
    return {
      words: { ...builtIn, ...inWords(own) },
      values: { today, 'fees.open': String(open), ...behind(own) },
      rows: Object.fromEntries(
        rowsOf.map(([of, found]) => [
          of,
          (found.get(clientId) ?? []).slice(0, MOST_ROWS).map(({ known }) => known),
        ]),
      ),
    };
  });
}

/** The client's name and postal address, a line each and none of them empty; the country where it is another than ours. */
function addressBlock(client: { name: string; postal: string; country: string }, home: string): string {
  return [client.name, ...printedAddress(fromJson('client.postal', client.postal), client.country, home)]
    .filter(Boolean)
    .join('\n');
}

/** No text is repeated more often. */
const MOST_ROWS = 200;

/** Something that a text is repeated for, of a client. */
interface ClientRow {
  clientId: number;
  known: Known;
}

const READ_ROWS: Record<
  RowsOf,
  (db: Knex, clientIds: readonly number[], at: { firm: Firm; today: string }) => Promise<ClientRow[]>
> = {
  'fee notes': async (db, clientIds, { firm, today }) => {
    const open = db('fee_note').whereIn('client_id', clientIds).whereNull('paid_on');
    const found = await select(open.orderByRaw('fee_note.due_on, fee_note.id'), {
      clientId: 'fee_note.client_id',
      number: 'fee_note.number',
      issuedOn: 'fee_note.issued_on',
      dueOn: 'fee_note.due_on',
      amount: 'fee_note.amount',
      words: 'fee_note.words',
    });
    return found.map((row) => ({
      clientId: row.clientId,
      known: noteFacts({ ...row, amount: Number(row.amount) }, today, firm.paper.currency),
    }));
  },
  files: async (db, clientIds) => {
    const open = db('file')
      .leftJoin('stage', 'stage.id', 'file.stage_id')
      .whereIn('file.client_id', clientIds)
      .where({ general: 0 })
      .whereNull('file.closed');
    const found = await select(open.orderByRaw('file.number, file.id'), {
      clientId: 'file.client_id',
      number: 'file.number',
      title: 'file.title',
      stage: 'stage.name?',
      opened: 'file.opened',
    });
    return found.map((row) => ({
      clientId: row.clientId,
      known: {
        words: {
          'row.fileNumber': row.number,
          'row.title': row.title,
          'row.stage': row.stage ?? '',
          'row.opened': dayWords(row.opened),
        },
        values: { 'row.opened': row.opened },
      },
    }));
  },
  people: async (db, clientIds) => {
    const people = db('client_person')
      .join('person', 'person.id', 'client_person.person_id')
      .leftJoin('address', (own) =>
        own
          .on('address.person_id', 'person.id')
          .andOn('address.current', db.raw('1'))
          .andOn('address.position', db.raw('0')),
      )
      .whereIn('client_person.client_id', clientIds);
    const found = await select(people.orderByRaw('client_person.position, person.id'), {
      clientId: 'client_person.client_id',
      first: 'person.first_name',
      last: 'person.last_name',
      role: 'client_person.role',
      email: 'address.email?',
    });
    return found.map((row) => ({
      clientId: row.clientId,
      known: {
        words: {
          'row.name': `${row.first} ${row.last}`.trim(),
          'row.role': row.role,
          'row.email': row.email ?? '',
        },
      },
    }));
  },
};

/** What each client has still to pay. */
function readOpenFees(db: Knex, clientIds: readonly number[]) {
  const open = db('fee_note').whereIn('client_id', clientIds).whereNull('paid_on').groupBy('client_id');
  return select(open, {
    clientId: 'fee_note.client_id',
    open: db.raw<number | null>('SUM(fee_note.amount)'),
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

/** What is behind the words of days and numbers, by key. */
function behind(lines: readonly FieldLine[]): Facts {
  return Object.fromEntries(
    lines.flatMap(({ field_id, date, number }) => {
      const value = date ?? number;
      return value === null ? [] : [[fieldKey(field_id), String(value)]];
    }),
  );
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
