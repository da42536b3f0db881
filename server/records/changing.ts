import type { Knex } from 'knex';
import type { FieldInput, RecordSubject } from '../../contract/index.ts';
import { fieldKey } from '../../core/facts/catalogue.ts';
import { noteAudit, type Doer } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { refuseStale } from '../foundation/stale.ts';
import { fieldDefinitions } from './definitions.ts';
import { KINDS, type RecordFields } from './kinds.ts';
import { readValues, writeValue, type Values } from './values.ts';

const WORDS: Record<RecordSubject, string> = {
  client: 'That client',
  person: 'That person',
  file: 'That file',
};

/** A record as it stands: its built-in fields, and the firm's own as `field:12`. */
export type WholeRecord<S extends RecordSubject> = RecordFields[S] & Values;

/** Some fields of a record. */
export interface SomeFields {
  before: Record<string, unknown>;
  after: Record<string, unknown>;
}

/** @throws Refusal when there is no such record */
export async function readRecord<S extends RecordSubject>(
  db: Knex,
  subject: S,
  id: number,
): Promise<WholeRecord<S>> {
  const [own, fields] = await Promise.all([KINDS[subject].read(db, id), fieldDefinitions(db, subject)]);
  if (!own) throw notFound(WORDS[subject]);
  return { ...own, ...(await readValues(db, subject, id, fields)) } as WholeRecord<S>;
}

/** Changes fields of a record, and notes what was before and after. @returns the record as it stands then */
export async function changeRecord<S extends RecordSubject>(
  db: Database,
  staffId: number,
  subject: S,
  id: number,
  change: SomeFields,
): Promise<WholeRecord<S>> {
  return transact(db, (trx) => changeWithin(trx, { staffId }, subject, id, change));
}

/**
 * The same within a transaction. The record is held: of two changes at once the second finds what the first made.
 * @throws Refusal (409) with what stands there when somebody else has changed one of these fields meanwhile
 */
export async function changeWithin<S extends RecordSubject>(
  trx: Transaction,
  by: Doer,
  subject: S,
  id: number,
  { before, after }: SomeFields,
  action = `${subject} changed`,
): Promise<WholeRecord<S>> {
  await trx(subject as 'client')
    .where({ id })
    .forUpdate()
    .first('id');
  const now = await readRecord(trx, subject, id);
  const names = Object.keys(after).filter((name) => after[name] !== undefined);
  const unknown = names.find((name) => !(name in now));
  if (unknown !== undefined)
    throw new Refusal(
      409,
      'That field is not there any more. Nothing was changed; reload to see what is.',
      unknown,
    );
  refuseStale(names, before, now as Record<string, unknown>, after);
  await writeFields(trx, subject, id, pick(after, names));
  const made = await readRecord(trx, subject, id);
  await noteAudit(trx, {
    ...by,
    action,
    subject,
    id,
    before: pick(now as Record<string, unknown>, names),
    after: pick(made as Record<string, unknown>, names),
  });
  await tellOf(trx, subject, id);
  return made;
}

/** Writes fields of a record, built-in ones and the firm's own. @throws Refusal with what is wrong with one */
export async function writeFields<S extends RecordSubject>(
  trx: Transaction,
  subject: S,
  id: number,
  after: Record<string, unknown>,
): Promise<void> {
  const own = Object.keys(after).filter((name) => name.startsWith('field:'));
  const builtIn = Object.keys(after).filter((name) => !own.includes(name));
  await KINDS[subject].write(trx, id, pick(after, builtIn) as Partial<RecordFields[S]>);
  for (const field of own.length ? await fieldDefinitions(trx, subject) : []) {
    const name = fieldKey(field.id);
    if (own.includes(name)) await writeValue(trx, subject, id, field, after[name] as FieldInput);
  }
}

/** Tells the screens that show a record that it changed. */
export async function tellOf(trx: Transaction, subject: RecordSubject, id: number): Promise<void> {
  await noteChange(trx, 'records', 'client', await KINDS[subject].clients(trx, id));
}

function pick(from: Record<string, unknown>, names: readonly string[]): Record<string, unknown> {
  return Object.fromEntries(names.map((name) => [name, from[name]]));
}
