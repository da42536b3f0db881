import type { Knex } from 'knex';
import { isDeepStrictEqual } from 'node:util';
import { DateTime } from 'luxon';
import type { FeeNoteFields, FeeNotes } from '../../contract/index.ts';
import { noteAudit, type Doer } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { isDuplicate, transact, type Database, type Transaction } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { countOf, select } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';

/** A page of a client's fee notes, the newest first. */
export async function listFeeNotes(
  db: Knex,
  clientId: number,
  { offset, limit }: { offset: number; limit: number },
): Promise<FeeNotes> {
  const own = () => db('fee_note').where('fee_note.client_id', clientId);
  const page = own()
    .leftJoin('file', 'file.id', 'fee_note.file_id')
    .orderBy([
      { column: 'fee_note.issued_on', order: 'desc' },
      { column: 'fee_note.id', order: 'desc' },
    ])
    .offset(offset)
    .limit(limit);
  const [rows, total, [sum], { zone }] = await Promise.all([
    select(page, {
      id: 'fee_note.id',
      number: 'fee_note.number',
      issuedOn: 'fee_note.issued_on',
      dueOn: 'fee_note.due_on',
      amount: 'fee_note.amount',
      tax: 'fee_note.tax',
      paidOn: 'fee_note.paid_on',
      fileId: 'fee_note.file_id',
      fileNumber: 'file.number?',
      words: 'fee_note.words',
    }),
    countOf(own()),
    select(own().whereNull('paid_on'), { open: db.raw<number | null>('SUM(fee_note.amount)') }),
    readFirm(db),
  ]);
  const today = DateTime.now().setZone(zone).startOf('day');
  const since = (day: string) => Math.round(today.diff(DateTime.fromISO(day, { zone }), 'days').days);
  return {
    rows: rows.map((row) => ({
      ...row,
      overdue: row.paidOn === null ? Math.max(0, since(row.dueOn)) : 0,
    })),
    total,
    open: sum?.open ?? 0,
  };
}

const columns = (fields: FeeNoteFields) => ({
  number: fields.number,
  issued_on: fields.issuedOn,
  due_on: fields.dueOn,
  amount: fields.amount,
  tax: fields.tax,
  paid_on: fields.paidOn,
  file_id: fields.fileId,
  words: fields.words,
});

/** Enters a fee note. @returns its number in the database @throws Refusal with what is wrong with it */
export async function addFeeNote(
  db: Database,
  staffId: number,
  clientId: number,
  fields: FeeNoteFields,
): Promise<number> {
  return transact(db, (trx) => insertFee(trx, { staffId }, clientId, fields));
}

/** The same within a transaction. */
export async function insertFee(
  trx: Transaction,
  by: Doer,
  clientId: number,
  fields: FeeNoteFields,
): Promise<number> {
  if (!(await trx('client').where({ id: clientId }).first('id'))) throw notFound('That client');
  await refuseOthersFile(trx, clientId, fields.fileId);
  const [id = 0] = await trx('fee_note')
    .insert({ client_id: clientId, ...columns(fields) })
    .catch(refuseTwice(fields.number));
  await noted(trx, by, 'fee note entered', { id, client_id: clientId }, undefined, columns(fields));
  return id;
}

/** Changes a fee note. @throws Refusal with what is wrong with it */
export async function changeFeeNote(
  db: Database,
  staffId: number,
  id: number,
  fields: FeeNoteFields,
): Promise<void> {
  await transact(db, (trx) => updateFee(trx, { staffId }, id, fields));
}

/** The same within a transaction. */
export async function updateFee(
  trx: Transaction,
  by: Doer,
  id: number,
  fields: FeeNoteFields,
): Promise<void> {
  const before = await trx('fee_note').where({ id }).forUpdate().first();
  if (!before) throw notFound('That fee note');
  await refuseOthersFile(trx, before.client_id, fields.fileId);
  await trx('fee_note').where({ id }).update(columns(fields)).catch(refuseTwice(fields.number));
  await noted(trx, by, 'fee note changed', before, columnsOf(before), columns(fields));
}

/** Takes a fee note out that was entered by mistake. */
export async function removeFeeNote(db: Database, staffId: number, id: number): Promise<void> {
  await transact(db, async (trx) => {
    const before = await trx('fee_note').where({ id }).forUpdate().first();
    if (!before) throw notFound('That fee note');
    await trx('fee_note').where({ id }).delete();
    await noted(trx, { staffId }, 'fee note taken out', before, columnsOf(before), undefined);
  });
}

/**
 * Takes back what a list did to a fee note, unless somebody has changed it since.
 * @param step what was noted of it
 * @returns why it stays, in sentences
 */
export async function undoFee(trx: Transaction, by: Doer, step: Rows['audit']): Promise<string[]> {
  const id = step.subject_id ?? 0;
  const row = await trx('fee_note').where({ id }).forUpdate().first();
  if (!row) return [];
  const values = (text: string | null) => (text === null ? null : (JSON.parse(text) as object));
  if (!isDeepStrictEqual(columnsOf(row), values(step.after_value)))
    return [`Fee note ${row.number} stays: it was changed since.`];
  const before = values(step.before_value);
  if (before) await trx('fee_note').where({ id }).update(before);
  else await trx('fee_note').where({ id }).delete();
  await noted(trx, by, 'fee note taken back', row, columnsOf(row), before ?? undefined);
  return [];
}

/** What of a row a person enters. */
function columnsOf(row: Rows['fee_note']): ReturnType<typeof columns> {
  const { number, issued_on, due_on, amount, tax, paid_on, file_id, words } = row;
  return { number, issued_on, due_on, amount, tax, paid_on, file_id, words };
}

async function noted(
  trx: Transaction,
  by: Doer,
  action: string,
  { id, client_id }: Pick<Rows['fee_note'], 'id' | 'client_id'>,
  before: object | undefined,
  after: object | undefined,
): Promise<void> {
  await noteAudit(trx, { ...by, action, subject: 'fee note', id, before, after });
  await noteChange(trx, 'records', 'client', [client_id]);
}

async function refuseOthersFile(trx: Transaction, clientId: number, fileId: number | null): Promise<void> {
  if (fileId !== null && !(await trx('file').where({ id: fileId, client_id: clientId }).first('id')))
    throw new Refusal(400, 'That file is another client’s.', 'fileId');
}

const refuseTwice =
  (number: string) =>
  (error: unknown): never => {
    if (isDuplicate(error)) throw new Refusal(409, `There is a fee note ${number} already.`, 'number');
    throw error;
  };
