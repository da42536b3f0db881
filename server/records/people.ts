import type { Knex } from 'knex';
import type {
  NewFile,
  NewPerson,
  OptOut,
  OptOutChange,
  PersonHit,
  RegisterChoices,
} from '../../contract/index.ts';
import { addressKey } from '../../core/address/address.ts';
import { noteAudit, type Doer } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { isDuplicate, transact, type Database, type Transaction } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { holdTurn } from '../foundation/locks.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { countOf, likePattern, select } from '../foundation/rows.ts';
import { listNames } from '../office/lists.ts';
import { firmToday, nextFileNumber } from '../office/settings.ts';
import { changeWithin, readRecord } from './changing.ts';
import { fieldDefinitions } from './definitions.ts';
import { stageId } from './kinds.ts';

/** A person who is new in the register, with a first address if there is one. @returns their number */
export async function insertPerson(
  trx: Transaction,
  by: Doer,
  person: Pick<NewPerson, 'firstName' | 'lastName' | 'email'> & { title?: string },
): Promise<number> {
  const { title = '', firstName, lastName, email } = person;
  const [id = 0] = await trx('person').insert({ title, first_name: firstName, last_name: lastName });
  if (email) await trx('address').insert({ person_id: id, email, email_key: addressKey(email) });
  await noteAudit(trx, { ...by, action: 'person made', subject: 'person', id, after: person });
  return id;
}

/** Somebody joins a client, known already or new; mail to the client goes to the first of them. @returns their number */
export async function addPerson(
  db: Database,
  staffId: number,
  clientId: number,
  wanted: NewPerson,
): Promise<number> {
  return transact(db, async (trx) => {
    const { people } = await readRecord(trx, 'client', clientId);
    const personId = wanted.personId ?? (await insertPerson(trx, { staffId }, wanted));
    if (people.some((each) => each.personId === personId))
      throw new Refusal(409, 'That person is one of this client’s already.', 'personId');
    const joined = { personId, role: wanted.role, writes: !people.some(({ writes }) => writes) };
    await changeWithin(trx, { staffId }, 'client', clientId, {
      before: { people },
      after: { people: [...people, joined] },
    });
    return personId;
  });
}

/** Opens a file; without a number it gets the next. @returns its number in the database */
export async function openFile(
  db: Database,
  staffId: number,
  clientId: number,
  wanted: NewFile,
): Promise<number> {
  return transact(db, async (trx) => {
    const { id } = await insertFile(trx, { staffId }, clientId, wanted);
    await noteChange(trx, 'records', 'client', [clientId]);
    return id;
  });
}

/** A file that is new in the register. @returns its number in the database, and the one it bears */
export async function insertFile(
  trx: Transaction,
  by: Doer,
  clientId: number,
  wanted: NewFile & { general?: boolean },
): Promise<{ id: number; number: string }> {
  const client = await trx('client').where({ id: clientId }).first('id', 'adviser_id');
  if (!client) throw notFound('That client');
  if (!wanted.number) await holdTurn(trx, 'numbers');
  const number = wanted.number || (await nextFileNumber(trx));
  const [id = 0] = await trx('file')
    .insert({
      number,
      title: wanted.title,
      client_id: clientId,
      adviser_id: wanted.adviserId ?? client.adviser_id,
      stage_id: await stageId(trx, wanted.stage),
      opened: await firmToday(trx),
      general: wanted.general ?? false,
    })
    .catch((error: unknown) => {
      throw isDuplicate(error) ? new Refusal(409, 'Another file has that number.', 'number') : error;
    });
  await noteAudit(trx, {
    ...by,
    action: 'file opened',
    subject: 'file',
    id,
    after: { number, title: wanted.title, ...(wanted.general ? { general: true } : {}) },
  });
  return { id, number };
}

const HITS = 8;

/** People whose name or address begins with the words, for choosing one. */
export async function findPeople(db: Knex, words: string): Promise<PersonHit[]> {
  const [first = '', ...rest] = words.trim().split(/\s+/);
  if (!first) return [];
  const ids = rest.length
    ? await beginning(db, { first_name: first, last_name: rest.join(' ') })
    : [
        ...(await beginning(db, { last_name: first })),
        ...(await beginning(db, { first_name: first })),
        ...(await db('address')
          .where('email_key', 'like', likePattern(first.toLowerCase(), false))
          .limit(HITS)
          .pluck('person_id')),
      ];
  const people = db('person').whereIn('id', ids.slice(0, HITS)).orderBy(['last_name', 'first_name']);
  const rows = await select(people, {
    id: 'person.id',
    first_name: 'person.first_name',
    last_name: 'person.last_name',
    email: db.raw<string | null>(
      '(SELECT email FROM address WHERE person_id = person.id ORDER BY current DESC, position LIMIT 1)',
    ),
    clients: db.raw<string | null>(
      `(SELECT GROUP_CONCAT(client.name SEPARATOR ', ') FROM client_person JOIN client ON client.id = client_person.client_id
        WHERE client_person.person_id = person.id)`,
    ),
  });
  return rows.map((row) => ({
    id: row.id,
    name: `${row.first_name} ${row.last_name}`.trim(),
    email: row.email ?? '',
    clients: (row.clients ?? '').slice(0, 120),
  }));
}

/** People whose names begin so, by the keys of the table. */
function beginning(db: Knex, names: { first_name?: string; last_name?: string }): Promise<number[]> {
  const people = db('person').limit(HITS);
  for (const [column, begins] of Object.entries(names))
    people.where(column, 'like', likePattern(begins, false));
  return people.pluck('id');
}

/** What the addresses of a person have opted out of. */
export async function optOutsOf(db: Knex, personId: number): Promise<OptOut[]> {
  const keys = () => db('address').where({ person_id: personId });
  const [all, some] = await Promise.all([
    select(keys().join('opt_out', 'opt_out.email_key', 'address.email_key'), {
      email: 'address.email',
      at: 'opt_out.at',
      how: 'opt_out.how',
    }),
    select(
      keys()
        .join('topic_opt_out', 'topic_opt_out.email_key', 'address.email_key')
        .join('topic', 'topic.id', 'topic_opt_out.topic_id'),
      {
        email: 'address.email',
        at: 'topic_opt_out.at',
        how: 'topic_opt_out.how',
        topicId: 'topic.id',
        topic: 'topic.name',
      },
    ),
  ]);
  return [...all.map((row) => ({ ...row, topicId: null, topic: null })), ...some].map((row) => ({
    ...row,
    at: row.at.toISOString(),
  }));
}

/** Notes that an address opts out of a topic or of everything, or in again; for all who have it. */
export async function changeOptOut(
  db: Database,
  staffId: number,
  { email, topicId, out, how }: OptOutChange,
): Promise<void> {
  const key = addressKey(email);
  await transact(db, async (trx) => {
    if (topicId !== null && !(await trx('topic').where({ id: topicId }).first('id')))
      throw notFound('That topic');
    const own = topicId === null ? { email_key: key } : { email_key: key, topic_id: topicId };
    const table = topicId === null ? 'opt_out' : 'topic_opt_out';
    await trx(table as 'opt_out')
      .where(own)
      .delete();
    if (out)
      await trx(table as 'opt_out').insert({ ...own, at: new Date(), how: how || 'told to the office' });
    const people: number[] = await trx('address').where({ email_key: key }).pluck('person_id');
    for (const id of people)
      await noteAudit(trx, {
        staffId,
        action: out ? 'opted out' : 'opted in again',
        subject: 'person',
        id,
        after: { email, topicId, how },
      });
    const clients: number[] = await trx('client_person').whereIn('person_id', people).pluck('client_id');
    await noteChange(trx, 'records', 'client', clients);
  });
}

/** What may be chosen while a record is changed. */
export async function registerChoices(db: Knex): Promise<RegisterChoices> {
  const [services, interests, tags, stages, topics, advisers, roles, fields, firm] = await Promise.all([
    listNames(db, 'service'),
    listNames(db, 'interest'),
    listNames(db, 'tag'),
    listNames(db, 'stage'),
    db('topic').orderBy(['position', 'name']).select('id', 'name'),
    db('staff').where({ active: 1 }).orderBy('name').select('id', 'name'),
    db('client_person')
      .where('role', '<>', '')
      .groupBy('role')
      .orderByRaw('COUNT(*) DESC')
      .limit(40)
      .pluck('role'),
    fieldDefinitions(db),
    readFirm(db),
  ]);
  return { services, interests, tags, stages, topics, advisers, roles, fields, country: firm.country };
}

/** What keeps a file in the register. */
const ON_FILES = [
  ...(['filing', 'timeline', 'fee_note', 'dispatch', 'document', 'text_message'] as const),
  ...(['collection_item', 'collection_wanted', 'collection_upload', 'collection_entry'] as const),
];

/** Takes a file out of the register that was opened by mistake. @throws Refusal when something hangs on it */
export async function removeFile(db: Database, staffId: number, id: number): Promise<void> {
  await transact(db, async (trx) => {
    const file = await trx('file').where({ id }).forUpdate().first();
    if (!file) throw notFound('That file');
    const hanging = await Promise.all(
      ON_FILES.map((table) => countOf((trx(table) as Knex.QueryBuilder).where({ file_id: id }))),
    );
    if (file.general || hanging.some(Boolean))
      throw new Refusal(
        409,
        'There is correspondence, a document or a fee note on this file. Close it instead; it is then out of the way.',
      );
    await trx('file').where({ id }).delete();
    await noteAudit(trx, {
      staffId,
      action: 'file removed',
      subject: 'client',
      id: file.client_id,
      before: file,
    });
    await noteChange(trx, 'records', 'client', [file.client_id]);
  });
}
