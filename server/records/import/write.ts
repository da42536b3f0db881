import type { KnownClient, Plan, Standing } from '../../../core/import/decide.ts';
import { addressKey } from '../../../core/address/address.ts';
import { noteAudit, type Doer } from '../../foundation/audit.ts';
import type { Transaction } from '../../foundation/database.ts';
import { changeWithin, readRecord, writeFields } from '../changing.ts';
import { GENERAL, insertClient, insertGeneral } from '../create.ts';
import { insertFee, updateFee } from '../feeNotes.ts';
import { insertFile, insertPerson } from '../people.ts';

/** Writes what a row does; what is new gets its number. @returns the client's number */
export async function writePlan(trx: Transaction, by: Doer, plan: Plan): Promise<number | null> {
  const { client, person, file, fee } = plan;
  if (!client) return null;
  const clientId = await writeClient(trx, by, client);
  if (person) await writePerson(trx, by, client.known, person);
  if (file) await writeFile(trx, by, clientId, file);
  if (fee) await writeFee(trx, by, clientId, fee);
  return clientId;
}

async function writeClient(
  trx: Transaction,
  by: Doer,
  { known, fresh, after }: NonNullable<Plan['client']>,
): Promise<number> {
  if (!fresh || known.id !== null) {
    const id = known.id ?? 0;
    if (Object.keys(after).length) await change(trx, by, 'client', id, after);
    return id;
  }
  const {
    kind = 'person',
    status = 'active',
    place = '',
  } = after as { kind?: 'person'; status?: 'active'; place?: string };
  const id = await insertClient(trx, by, { name: known.name, kind, status, place });
  // What is not said of a client who is new here is not known: least of all since when.
  await writeFields(trx, 'client', id, { since: null, ...after });
  known.id = id;
  known.isNew = true;
  known.files.push({ ...(await insertGeneral(trx, by, id)), title: GENERAL, record: {} });
  return id;
}

async function writePerson(
  trx: Transaction,
  by: Doer,
  client: KnownClient,
  { known, fresh, after, joins, role }: NonNullable<Plan['person']>,
): Promise<void> {
  if (fresh && known.id === null) {
    const { firstName, lastName } = known.record;
    known.id = await insertPerson(trx, by, { firstName, lastName, email: '' });
    await writeFields(trx, 'person', known.id, after);
  } else if (Object.keys(after).length) await change(trx, by, 'person', known.id ?? 0, after);
  if (client.isNew && joins) return join(trx, client, known.id ?? 0, role ?? '');
  if (!joins && role === null) return;
  const { people } = await readRecord(trx, 'client', client.id ?? 0);
  const personId = known.id ?? 0;
  const others = people.map((each) =>
    each.personId === personId && role !== null ? { ...each, role } : each,
  );
  const joined = people.some((each) => each.personId === personId)
    ? others
    : [...others, { personId, role: role ?? '', writes: !people.some(({ writes }) => writes) }];
  await change(trx, by, 'client', client.id ?? 0, { people: joined });
}

/** Somebody joins a client made in this very batch: it goes with the client when that is taken back. */
async function join(trx: Transaction, client: KnownClient, personId: number, role: string): Promise<void> {
  const position = client.people.findIndex(({ id }) => id === personId);
  await trx('client_person').insert({
    client_id: client.id ?? 0,
    person_id: personId,
    role,
    position: Math.max(0, position),
    writes: position === 0,
  });
}

async function writeFile(
  trx: Transaction,
  by: Doer,
  clientId: number,
  { known, fresh, after }: NonNullable<Plan['file']>,
): Promise<void> {
  if (!fresh || known.id !== null) {
    if (Object.keys(after).length) await change(trx, by, 'file', known.id ?? 0, after);
    return;
  }
  const title = String(after.title ?? known.title) || 'Untitled';
  const made = await insertFile(trx, by, clientId, {
    number: known.number,
    title,
    adviserId: null,
    stage: null,
  });
  Object.assign(known, made, { title });
  await writeFields(trx, 'file', made.id, after);
}

async function writeFee(
  trx: Transaction,
  by: Doer,
  clientId: number,
  { known, fresh, after }: NonNullable<Plan['fee']>,
): Promise<void> {
  if (!Object.keys(after).length) return;
  const { fileNumber, ...said } = { ...known.record };
  const file = fileNumber ? await trx('file').where({ number: fileNumber }).first('id') : undefined;
  const { issuedOn = '', dueOn = issuedOn, amount = 0, tax = 0, paidOn = null, words = '' } = said;
  const fields = {
    number: known.number,
    issuedOn,
    dueOn,
    amount,
    tax,
    paidOn,
    words,
    fileId: file?.id ?? null,
  };
  if (fresh && known.id === null) known.id = await insertFee(trx, by, clientId, fields);
  else await updateFee(trx, by, known.id ?? 0, fields);
}

/** Changes fields whatever stands in them: what stood there is noted, for taking it back. */
async function change(
  trx: Transaction,
  by: Doer,
  subject: 'client' | 'person' | 'file',
  id: number,
  after: Standing,
): Promise<void> {
  const before = (await readRecord(trx, subject, id)) as Standing;
  await changeWithin(trx, by, subject, id, { before, after });
}

/** Takes a record out again that a list brought in. @returns why it stays, empty where that is said of its client; null when it is gone */
export async function removeMade(
  trx: Transaction,
  by: Doer,
  subject: 'client' | 'person' | 'file',
  id: number,
): Promise<string | null> {
  const why = await staysBecause(trx, subject, id, by.importId ?? 0);
  if (why !== null) return why;
  if (subject === 'person') {
    const addresses: string[] = await trx('address').where({ person_id: id }).pluck('email');
    await trx('person').where({ id }).delete();
    await noteAudit(trx, {
      staffId: by.staffId,
      action: 'person removed',
      subject,
      id,
      before: addresses.map(addressKey),
    });
    return null;
  }
  if (subject === 'client') await trx('file').where({ client_id: id }).delete();
  await trx(subject).where({ id }).delete();
  await noteAudit(trx, { staffId: by.staffId, action: `${subject} removed`, subject, id });
  return null;
}

async function staysBecause(
  trx: Transaction,
  subject: 'client' | 'person' | 'file',
  id: number,
  importId: number,
): Promise<string | null> {
  const row = await trx(subject as 'client')
    .where({ id })
    .forUpdate()
    .first();
  if (!row) return null;
  // What came with a client that stays, stays with it: its people, its files.
  const clientIds: number[] =
    subject === 'client'
      ? [id]
      : subject === 'file'
        ? await trx('file').where({ id }).pluck('client_id')
        : await trx('client_person').where({ person_id: id }).pluck('client_id');
  const made: number[] = await trx('client')
    .whereIn('id', clientIds)
    .whereIn('id', madeBy(trx, 'client', importId))
    .pluck('id');
  for (const clientId of made) {
    const why = await workedOn(trx, clientId, importId);
    if (why) return subject === 'client' ? `${row.name} ${why}` : '';
  }
  if (subject === 'client' && (await trx('fee_note').where({ client_id: id }).first('id')))
    return `${row.name} has fee notes by now.`;
  const name = subject === 'person' ? `person ${id}` : `file ${id}`;
  if (await touched(trx, subject, [id], importId)) return `${name} was changed since.`;
  if (subject === 'file' && (await hasCorrespondence(trx, [id]))) return `${name} has correspondence by now.`;
  if (subject === 'person' && clientIds.length > made.length) return `${name} is one of a client’s people.`;
  return null;
}

/** Why a client that a list brought in stays, with all that came with it; null when nobody has worked on any of it. */
export async function workedOn(trx: Transaction, clientId: number, importId: number): Promise<string | null> {
  const files: number[] = await trx('file').where({ client_id: clientId }).pluck('id');
  const people: number[] = await trx('client_person')
    .where({ client_id: clientId })
    .whereIn('person_id', madeBy(trx, 'person', importId))
    .pluck('person_id');
  if (await hasCorrespondence(trx, files)) return 'has correspondence by now.';
  if (await hasOtherFees(trx, clientId, importId)) return 'has fee notes by now.';
  const changed =
    (await touched(trx, 'client', [clientId], importId)) ||
    (await touched(trx, 'file', files, importId)) ||
    (await touched(trx, 'person', people, importId));
  return changed ? 'was changed since.' : null;
}

/** Fee notes that this list did not bring, or that somebody has changed since. */
async function hasOtherFees(trx: Transaction, clientId: number, importId: number): Promise<boolean> {
  const fees: number[] = await trx('fee_note').where({ client_id: clientId }).pluck('id');
  const lines = trx('audit').where({ subject: 'fee note' }).whereIn('subject_id', fees);
  const brought = new Set(
    await lines.clone().where({ import_id: importId, action: 'fee note entered' }).pluck('subject_id'),
  );
  if (fees.some((id) => !brought.has(id))) return true;
  const changed = await lines
    .clone()
    .whereNull('import_id')
    .whereNot('action', 'like', '%taken back')
    .first('id');
  return changed !== undefined;
}

async function hasCorrespondence(trx: Transaction, files: readonly number[]): Promise<boolean> {
  for (const table of ['filing', 'timeline', 'dispatch', 'text_message'] as const)
    if (
      files.length &&
      (await trx(table)
        .whereIn('file_id', [...files])
        .first('file_id'))
    )
      return true;
  return false;
}

/** Whether a person has done anything to these since a list brought them in. */
async function touched(
  trx: Transaction,
  subject: 'client' | 'person' | 'file',
  ids: readonly number[],
  importId: number,
): Promise<boolean> {
  if (!ids.length) return false;
  const line = await trx('audit')
    .where({ subject })
    .whereIn('subject_id', [...ids])
    .where((others) => others.whereNull('import_id').orWhereNot({ import_id: importId }))
    .whereNotNull('staff_id')
    .whereNot('action', 'like', '%taken back')
    .first('id');
  return line !== undefined;
}

/** Whether a list brought this record in. */
export async function isMadeBy(trx: Transaction, clientId: number, importId: number): Promise<boolean> {
  return (
    (await madeBy(trx, 'client', importId).where({ subject_id: clientId }).first('subject_id')) !== undefined
  );
}

/** Records that a list brought in. */
function madeBy(trx: Transaction, subject: 'client' | 'person', importId: number) {
  return trx('audit')
    .where({ import_id: importId, subject, action: `${subject} made` })
    .select('subject_id');
}
