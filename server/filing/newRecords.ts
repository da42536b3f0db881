import type { Knex } from 'knex';
import { domainOf } from '../../core/address/address.ts';
import type { FilingRegister } from '../../core/filing/register.ts';
import type { AppContext } from '../foundation/context.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { holdTurn } from '../foundation/locks.ts';
import { filingRegister } from '../records/filingRegister.ts';
import { messageRanges, FOR_GOOD, weighAnew } from './standing.ts';

/** What is new in the records and may tell where mail belongs; `new_at` says when it was entered. */
interface News {
  table: 'address' | 'client_person' | 'file';
  key: readonly string[];
  /** Whose mail it is, by rows of the table. */
  people(trx: Knex, rows: readonly NewRow[]): Promise<number[]>;
}
/** Of each table its own columns alone. */
interface NewRow {
  id: number;
  person_id: number;
  client_id: number;
  new_at: Date;
}

const itsPeople: News['people'] = async (_, rows) => rows.map((row) => row.person_id);
const NEWS: readonly News[] = [
  { table: 'address', key: ['id'], people: itsPeople },
  { table: 'client_person', key: ['client_id', 'person_id'], people: itsPeople },
  {
    table: 'file',
    key: ['id'],
    people: (trx, rows) =>
      trx('client_person')
        .whereIn(
          'client_id',
          rows.map((row) => row.client_id),
        )
        .pluck('person_id'),
  },
];

/** So many rows are looked at in one transaction, and so many messages. */
const ROWS = 500;
const MESSAGES = 5000;
/** So many at once are a list taken in, by whose names and numbers anybody’s mail may be told. */
const MANY = 100;
/** An entry may come to light so much later than its row was written, in seconds: a list is kept piece by piece. */
const LATE_SECONDS = 60;

/**
 * Lets what waits, or was set aside by itself, be weighed again by what was entered in the records since: an address,
 * whom a person belongs to, a file. Of a few entries that is mail of those people and of their houses; when many were
 * entered, all that was taken in lately.
 */
export async function hearOfRecords(context: AppContext): Promise<void> {
  const { db } = context;
  if (await isListComing(db)) return;
  if (await isMuch(db)) await markLately(db);
  for (const news of NEWS)
    while (await countNew(db, news, 1)) {
      const register = await filingRegister(context);
      if (!(await transact(db, (trx) => hearSome(trx, register, news)))) break;
    }
}

/** Whether a list is being taken in: what it enters is heard of as a whole, and not in each of its pieces. */
async function isListComing(db: Knex): Promise<boolean> {
  const coming = db('import_run').where({ state: 'running' }).whereRaw('lease_until > UTC_TIMESTAMP(3)');
  return (await coming.first('id')) !== undefined;
}

/** How many rows are new, up to a number. */
async function countNew(db: Knex, { table }: News, most: number): Promise<number> {
  return (await (db(table) as Knex.QueryBuilder).whereNotNull('new_at').limit(most).select('new_at')).length;
}

async function isMuch(db: Knex): Promise<boolean> {
  for (const news of NEWS) if ((await countNew(db, news, MANY)) >= MANY) return true;
  return false;
}

/** Everything open that was taken in lately. */
async function markLately(db: Database): Promise<void> {
  const now = new Date();
  for (const range of await messageRanges(db))
    await transact(db, async (trx) => {
      await holdTurn(trx, 'weighing');
      await holdTurn(trx, 'intake');
      await weighAnew(
        trx,
        open(trx('message').whereBetween('id', range), now).whereRaw(
          'taken_in_at > UTC_TIMESTAMP(3) - INTERVAL ? DAY',
          [FOR_GOOD],
        ),
      );
    });
}

/** @returns whether there was anything that nobody else is at */
async function hearSome(
  trx: Transaction,
  register: FilingRegister,
  { table, key, people }: News,
): Promise<boolean> {
  await holdTurn(trx, 'weighing');
  // What is being kept at this moment looks by itself whether it was decided on by what is known.
  await holdTurn(trx, 'intake');
  const query = trx(table) as Knex.QueryBuilder;
  const rows: NewRow[] = await query
    .clone()
    .whereNotNull('new_at')
    .orderBy('new_at')
    .limit(ROWS)
    .forUpdate()
    .skipLocked()
    .select();
  if (!rows.length) return false;
  const newest = Math.max(...rows.map((row) => row.new_at.getTime()));
  const until = new Date(newest + LATE_SECONDS * 1000);
  const ids = await mailOf(trx, register, await people(trx, rows));
  for (let at = 0; at < ids.length; at += MESSAGES)
    await weighAnew(trx, open(trx('message').whereIn('id', ids.slice(at, at + MESSAGES)), until));
  await query
    .clone()
    .whereIn([...key], rows.map((row) => key.map((column) => row[column as keyof NewRow])) as Knex.Value[][])
    .update({ new_at: null });
  return true;
}

/** Those of the messages that nobody has settled or seen settled, decided on before an instant. */
function open(messages: Knex.QueryBuilder, before: Date): Knex.QueryBuilder {
  return messages
    .whereIn('state', ['suggested', 'aside'])
    .whereNull('kept_at')
    .where('decided_at', '<', before);
}

/** Mail from and to people, and from and to the domains that tell their house. */
async function mailOf(trx: Knex, register: FilingRegister, personIds: readonly number[]): Promise<number[]> {
  if (!personIds.length) return [];
  const keys: string[] = await trx('address')
    .whereIn('person_id', [...new Set(personIds)])
    .distinct('email_key')
    .pluck('email_key');
  const domains = keys.filter((key) => register.clientsAtDomain(key).length).map(domainOf);
  const [theirs, nextToThem] = await Promise.all([
    trx('message_party').whereIn('email_key', keys).pluck('message_id'),
    trx('message_party')
      .whereIn('domain', [...new Set(domains)])
      .pluck('message_id'),
  ]);
  return [...new Set([...theirs, ...nextToThem])];
}
