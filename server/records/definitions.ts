import type { Knex } from 'knex';
import type { z } from 'zod';
import type { FieldDefinition, FieldDraft, FieldOrder, RecordSubject } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { isDuplicate, transact, type Database, type Transaction } from '../foundation/database.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { groupBy, select } from '../foundation/rows.ts';

/** The fields of the firm's own, in their order, with their choices. */
export async function fieldDefinitions(db: Knex, of?: RecordSubject): Promise<FieldDefinition[]> {
  const wanted = db('field').whereNull('field.gone_at').orderBy(['field.of', 'field.position', 'field.id']);
  if (of) wanted.where('field.of', of);
  const [rows, choices] = await Promise.all([
    select(wanted, {
      id: 'field.id',
      of: 'field.of',
      label: 'field.label',
      kind: 'field.kind',
      unit: 'field.unit',
    }),
    db('field_choice').orderBy(['position', 'id']).select('id', 'field_id', 'label'),
  ]);
  const choicesOf = groupBy(choices, ({ field_id }) => field_id);
  return rows.map((row) => ({
    ...row,
    choices: (choicesOf.get(row.id) ?? []).map(({ id, label }) => ({ id, label })),
    used: 0,
  }));
}

/** The same, each with how many records something stands in. */
export async function countedDefinitions(db: Knex): Promise<FieldDefinition[]> {
  const fields = await fieldDefinitions(db);
  const counts = await Promise.all(
    (['client', 'person', 'file'] as const).map((of) =>
      select(db(`${of}_field_value`).groupBy('field_id'), {
        field_id: `${of}_field_value.field_id`,
        used: db.raw<number>(`COUNT(DISTINCT ${of}_id)`),
      }),
    ),
  );
  const usedOf = new Map(counts.flat().map(({ field_id, used }) => [field_id, used]));
  return fields.map((field) => ({ ...field, used: usedOf.get(field.id) ?? 0 }));
}

/** Makes a field. @throws Refusal when another of these records bears its name */
export async function makeField(
  db: Database,
  staffId: number,
  draft: FieldDraft,
): Promise<FieldDefinition[]> {
  await transact(db, async (trx) => {
    const { of, label, kind, unit } = draft;
    const last = await trx('field').where({ of }).orderBy('position', 'desc').first('position');
    const [id = 0] = await trx('field')
      .insert({ of, label, kind, unit, position: (last?.position ?? 0) + 1 })
      .catch(refuseTaken);
    await nameChoices(trx, id, draft);
    await noteAudit(trx, { staffId, action: 'field made', subject: 'field', id, after: draft });
    await noteChange(trx, 'records');
  });
  return countedDefinitions(db);
}

/**
 * Changes a field: its name, unit, choices. What sort it is stays, once something stands in it; what is kept under it
 * and asks for it goes by its number, so that a new name changes nothing else.
 */
export async function changeField(
  db: Database,
  staffId: number,
  id: number,
  draft: FieldDraft,
): Promise<FieldDefinition[]> {
  await transact(db, async (trx) => {
    const before = (await countedDefinitions(trx)).find((field) => field.id === id);
    if (!before) throw notFound('That field');
    if (before.of !== draft.of || (before.kind !== draft.kind && before.used))
      throw new Refusal(
        409,
        `Something stands in ${before.label} of ${before.used} records already: make another field instead.`,
        'kind',
      );
    const { label, kind, unit } = draft;
    await trx('field').where({ id }).update({ label, kind, unit }).catch(refuseTaken);
    await nameChoices(trx, id, draft);
    await noteAudit(trx, { staffId, action: 'field changed', subject: 'field', id, before, after: draft });
    await noteChange(trx, 'records');
  });
  return countedDefinitions(db);
}

async function nameChoices(trx: Transaction, fieldId: number, { kind, choices }: FieldDraft): Promise<void> {
  const wanted = kind === 'choice' || kind === 'choices' ? choices : [];
  const own = () => trx('field_choice').where({ field_id: fieldId });
  await own()
    .whereNotIn(
      'id',
      wanted.flatMap(({ id }) => id ?? []),
    )
    .delete();
  // Two that change their names with one another would meet on the way.
  for (const { id } of wanted)
    if (id)
      await own()
        .where({ id })
        .update({ label: `\u0001${id}` });
  for (const [position, { id, label }] of wanted.entries()) {
    if (id) await own().where({ id }).update({ label, position });
    else await trx('field_choice').insert({ field_id: fieldId, label, position });
  }
}

/** Takes a field away; what stands in it is kept, so that it can be brought back. */
export async function dropField(db: Database, staffId: number, id: number): Promise<FieldDefinition[]> {
  await transact(db, async (trx) => {
    const field = await trx('field').where({ id }).whereNull('gone_at').first();
    if (!field) throw notFound('That field');
    // Its name is free for another.
    await trx('field')
      .where({ id })
      .update({ gone_at: new Date(), label: `${field.label.slice(0, 60)} (${id})` });
    await noteAudit(trx, { staffId, action: 'field taken away', subject: 'field', id, before: field });
    await noteChange(trx, 'records');
  });
  return countedDefinitions(db);
}

/** Brings a field back that was taken away, with what stands in it. */
export async function restoreField(db: Database, staffId: number, id: number): Promise<FieldDefinition[]> {
  await transact(db, async (trx) => {
    const field = await trx('field').where({ id }).whereNotNull('gone_at').first();
    if (!field) throw notFound('That field');
    await trx('field')
      .where({ id })
      .update({ gone_at: null, label: field.label.replace(` (${id})`, '') })
      .catch(refuseTaken);
    await noteAudit(trx, { staffId, action: 'field brought back', subject: 'field', id });
    await noteChange(trx, 'records');
  });
  return countedDefinitions(db);
}

/** Puts the fields of one kind of record in another order. */
export async function orderFields(
  db: Database,
  { of, ids }: z.output<typeof FieldOrder>,
): Promise<FieldDefinition[]> {
  await transact(db, async (trx) => {
    for (const [position, id] of ids.entries()) await trx('field').where({ id, of }).update({ position });
    await noteChange(trx, 'records');
  });
  return countedDefinitions(db);
}

function refuseTaken(error: unknown): never {
  throw isDuplicate(error) ? new Refusal(409, 'Another field bears that name.', 'label') : error;
}
