import type { Knex } from 'knex';
import {
  DELIVERY_USUAL,
  type Delivery,
  type FieldDefinition,
  type FieldInput,
  type RecordSubject,
} from '../../../contract/index.ts';
import { fieldKey } from '../../../core/facts/catalogue.ts';
import type { Transaction } from '../../foundation/database.ts';
import { Refusal } from '../../foundation/refusal.ts';
import { groupBy, insertAll, select } from '../../foundation/rows.ts';
import { fieldDefinitions } from '../definitions.ts';
import { readManyValues, writeManyValues } from '../values.ts';

/** A field of many records: read and written for all of them in a few statements, in the shapes their history keeps. */
export interface ManyField {
  name: string;
  subjects: readonly RecordSubject[];
  read(trx: Knex, subject: RecordSubject, ids: readonly number[]): Promise<Map<number, unknown>>;
  write(trx: Transaction, subject: RecordSubject, ids: readonly number[], value: unknown): Promise<void>;
}

/** A field that is a column of the record's own. */
const column = (name: string, own: string, subjects: readonly RecordSubject[]): ManyField => ({
  name,
  subjects,
  read: async (trx, subject, ids) =>
    new Map(
      (
        (await trx(subject as 'client')
          .whereIn('id', [...ids])
          .select('id', own)) as Record<string, unknown>[]
      ).map((row) => [Number(row.id), row[own]]),
    ),
  write: async (trx, subject, ids, value) => {
    await trx(subject as 'client')
      .whereIn('id', [...ids])
      .update({ [own]: value });
  },
});

/** A field of names that hang on clients: tags, interests. */
const names = (name: string, list: 'tag' | 'interest'): ManyField => ({
  name,
  subjects: ['client'],
  read: async (trx, _subject, ids) => {
    const rows = (await trx(`client_${list}`)
      .join(list, `${list}.id`, `client_${list}.${list}_id`)
      .whereIn('client_id', [...ids])
      .orderBy(`${list}.name`)
      .select('client_id', 'name')) as { client_id: number; name: string }[];
    const of = groupBy(rows, (row) => row.client_id);
    return new Map(ids.map((id) => [id, (of.get(id) ?? []).map((row) => row.name)]));
  },
  write: async (trx, _subject, ids, value) => {
    const wanted = value as string[];
    await insertAll(trx, list, list === 'tag' ? wanted.map((each) => ({ name: each })) : [], {
      ignore: true,
    });
    const known: number[] = wanted.length ? await trx(list).whereIn('name', wanted).pluck('id') : [];
    await trx(`client_${list}`)
      .whereIn('client_id', [...ids])
      .delete();
    await insertAll(
      trx,
      `client_${list}`,
      ids.flatMap((id) => known.map((each) => ({ client_id: id, [`${list}_id`]: each }))),
    );
  },
});

const delivery: ManyField = {
  name: 'delivery',
  subjects: ['client'],
  read: async (trx, _subject, ids) => {
    const rows = await trx('delivery').whereIn('client_id', [...ids]);
    const of = groupBy(rows, (row) => row.client_id);
    return new Map(
      ids.map((id) => [
        id,
        Object.entries(DELIVERY_USUAL).map(([kind, way]) => {
          const said = of.get(id)?.find((row) => row.kind === kind);
          return {
            ...{ kind, way: said?.way ?? way },
            ...{ personId: said?.person_id ?? null, alsoId: said?.also_id ?? null },
          };
        }),
      ]),
    );
  },
  write: async (trx, _subject, ids, value) => {
    await trx('delivery')
      .whereIn('client_id', [...ids])
      .delete();
    const lines = value as Delivery[];
    await insertAll(
      trx,
      'delivery',
      ids.flatMap((id) =>
        lines.map(({ kind, way, personId, alsoId }) => ({
          ...{ client_id: id, kind, way },
          ...{ person_id: personId, also_id: alsoId ?? null },
        })),
      ),
    );
  },
};

/** The stage of files, by its name. */
const stage: ManyField = {
  name: 'stage',
  subjects: ['file'],
  read: async (trx, _subject, ids) => {
    const rows = await select(
      trx('file')
        .leftJoin('stage', 'stage.id', 'file.stage_id')
        .whereIn('file.id', [...ids]),
      { id: 'file.id', name: 'stage.name?' },
    );
    return new Map(rows.map(({ id, name }) => [id, name]));
  },
  write: async (trx, _subject, ids, value) => {
    const row =
      value === null
        ? null
        : await trx('stage')
            .where({ name: String(value) })
            .first('id');
    if (value !== null && !row) throw new Refusal(400, 'That stage is none of the office’s list.', 'change');
    await trx('file')
      .whereIn('id', [...ids])
      .update({ stage_id: row?.id ?? null });
  },
};

const ownField = (field: FieldDefinition): ManyField => ({
  name: fieldKey(field.id),
  subjects: [field.of],
  read: (trx, subject, ids) => readManyValues(trx, subject, ids, field),
  write: (trx, subject, ids, value) => writeManyValues(trx, subject, ids, field, value as FieldInput),
});

const BUILT_IN: Record<string, ManyField> = {
  status: column('status', 'status', ['client']),
  adviserId: column('adviserId', 'adviser_id', ['client', 'file']),
  service: column('service', 'service', ['client']),
  tags: names('tags', 'tag'),
  interests: names('interests', 'interest'),
  delivery,
  stage,
};

/** The field of that name. @throws Refusal when such records have none */
export async function fieldNamed(db: Knex, subject: RecordSubject, name: string): Promise<ManyField> {
  const own = (await fieldDefinitions(db, subject)).find(({ id }) => fieldKey(id) === name);
  const field = own ? ownField(own) : BUILT_IN[name];
  if (!field?.subjects.includes(subject))
    throw new Refusal(400, 'That cannot be changed of these. Choose something else.', 'change');
  return field;
}
