import type { Knex } from 'knex';
import type { FieldDefinition, FieldInput, RecordSubject } from '../../contract/index.ts';
import { fieldKey } from '../../core/facts/catalogue.ts';
import type { Transaction } from '../foundation/database.ts';
import { Refusal } from '../foundation/refusal.ts';
import { groupBy, insertAll } from '../foundation/rows.ts';

/** What stands in the firm's own fields of one record, by `field:12`. */
export type Values = Record<string, FieldInput>;

/** The columns of a value, whosever it is. */
interface ValueRow {
  text_value: string | null;
  number_value: number | null;
  date_value: string | null;
  choice_id: number | null;
  person_link: number | null;
  client_link: number | null;
}
const NOTHING: ValueRow = {
  text_value: null,
  number_value: null,
  date_value: null,
  choice_id: null,
  person_link: null,
  client_link: null,
};

/** Each kind: what its rows hold, and how what was typed is put into them. A kind without either does not compile. */
const KINDS: {
  [Kind in FieldDefinition['kind']]: {
    read: (rows: readonly ValueRow[]) => FieldInput;
    /** @returns a sentence where it is none of this kind */
    write: (value: Exclude<FieldInput, null>, field: FieldDefinition) => Partial<ValueRow>[] | string;
  };
} = {
  text: { read: ([row]) => row?.text_value ?? null, write: (value) => asText(value, 500) },
  'long text': { read: ([row]) => row?.text_value ?? null, write: (value) => asText(value, 20_000) },
  number: { read: ([row]) => row?.number_value ?? null, write: asNumber },
  money: { read: ([row]) => row?.number_value ?? null, write: asNumber },
  date: {
    read: ([row]) => row?.date_value ?? null,
    write: (value) =>
      typeof value === 'string' && /^\d{4}-\d{2}-\d{2}$/.test(value) && !Number.isNaN(Date.parse(value))
        ? [{ date_value: value }]
        : 'Give a day.',
  },
  'yes or no': {
    read: ([row]) => (row ? row.number_value === 1 : null),
    write: (value) => (typeof value === 'boolean' ? [{ number_value: Number(value) }] : 'Say yes or no.'),
  },
  choice: {
    read: ([row]) => row?.choice_id ?? null,
    write: (value, { choices }) =>
      choices.some(({ id }) => id === value) ? [{ choice_id: Number(value) }] : 'Choose one of the choices.',
  },
  choices: {
    read: (rows) => (rows.length ? rows.flatMap(({ choice_id }) => choice_id ?? []) : null),
    write: (value, { choices }) =>
      Array.isArray(value) && value.every((each) => choices.some(({ id }) => id === each))
        ? [...new Set(value)].map((choice_id) => ({ choice_id }))
        : 'Choose among the choices.',
  },
  person: {
    read: ([row]) => row?.person_link ?? null,
    write: (value) => (typeof value === 'number' ? [{ person_link: value }] : 'Choose a person.'),
  },
  client: {
    read: ([row]) => row?.client_link ?? null,
    write: (value) => (typeof value === 'number' ? [{ client_link: value }] : 'Choose a client.'),
  },
};

function asText(value: FieldInput, most: number): Partial<ValueRow>[] | string {
  if (typeof value !== 'string') return 'Give words.';
  return value.length > most ? `${most} letters at most.` : [{ text_value: value.trim() }];
}

function asNumber(value: FieldInput): Partial<ValueRow>[] | string {
  // DECIMAL(18,4).
  return typeof value === 'number' && Math.abs(value) < 1e14 ? [{ number_value: value }] : 'Give a number.';
}

const table = (of: RecordSubject) => `${of}_field_value` as const;
const owner = (of: RecordSubject) => `${of}_id`;

/** What stands in the firm's own fields of a record; null where nothing does. */
export async function readValues(
  db: Knex,
  of: RecordSubject,
  id: number,
  fields: readonly FieldDefinition[],
): Promise<Values> {
  const rows = (await db(table(of)).where(owner(of), id).orderBy('item')) as unknown as (ValueRow & {
    field_id: number;
  })[];
  return Object.fromEntries(
    fields.map((field) => [
      fieldKey(field.id),
      KINDS[field.kind].read(rows.filter((row) => row.field_id === field.id)),
    ]),
  );
}

/** Puts something into a field of the firm's own. @throws Refusal with what is wrong with it */
export async function writeValue(
  trx: Transaction,
  of: RecordSubject,
  id: number,
  field: FieldDefinition,
  value: FieldInput,
): Promise<void> {
  await writeManyValues(trx, of, [id], field, value);
}

/** The rows that hold a value; none for nothing. @throws Refusal with what is wrong with it */
export function rowsOfValue(field: FieldDefinition, value: FieldInput): Partial<ValueRow>[] {
  const empty = value === null || value === '' || (Array.isArray(value) && !value.length);
  const made = empty ? [] : KINDS[field.kind].write(value, field);
  if (typeof made === 'string') throw new Refusal(400, `${field.label}: ${made}`, fieldKey(field.id));
  return made;
}

/** What stands in one field of many records; null where nothing does. */
export async function readManyValues(
  db: Knex,
  of: RecordSubject,
  ids: readonly number[],
  field: FieldDefinition,
): Promise<Map<number, FieldInput>> {
  const rows = (await db(table(of))
    .whereIn(owner(of), [...ids])
    .where({ field_id: field.id })
    .orderBy('item')) as unknown as (ValueRow & Record<string, number>)[];
  const own = groupBy(rows, (row) => Number(row[owner(of)]));
  return new Map(ids.map((id) => [id, KINDS[field.kind].read(own.get(id) ?? [])]));
}

/** Puts one value into a field of many records. @throws Refusal with what is wrong with it */
export async function writeManyValues(
  trx: Transaction,
  of: RecordSubject,
  ids: readonly number[],
  field: FieldDefinition,
  value: FieldInput,
): Promise<void> {
  const made = rowsOfValue(field, value);
  await trx(table(of))
    .whereIn(owner(of), [...ids])
    .where({ field_id: field.id })
    .delete();
  await insertAll(
    trx,
    table(of),
    ids.flatMap((id) =>
      made.map((row, item) => ({ [owner(of)]: id, field_id: field.id, item, ...NOTHING, ...row })),
    ),
  );
}
