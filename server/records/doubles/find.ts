import type { Knex } from 'knex';
import type { DoubleClient, DoublePerson } from '../../../core/doubles/compare.ts';
import { doubleClients, doublePeople, type Pair, type Steps } from '../../../core/doubles/find.ts';
import { noteChange, stateOf } from '../../foundation/changes.ts';
import type { AppContext } from '../../foundation/context.ts';
import { transact, type Transaction } from '../../foundation/database.ts';
import { holdTurn } from '../../foundation/locks.ts';
import { groupBy, insertAll } from '../../foundation/rows.ts';
import { Turns } from '../../foundation/turns.ts';
import { fromJson, toJson } from '../../foundation/json.ts';

/** Up to which changes of the records they have been looked through. */
const SETTING = 'doubles';
/** So many pairs of a kind are kept: nobody works through more, and what was merged makes room. */
const MOST_PAIRS = 2000;

/**
 * Looks for records that are probably the same, if any changed since the last look, while others have their turn. What
 * somebody said of a pair stays.
 * @returns whether it looked
 */
export async function lookForDoubles({ db }: AppContext): Promise<boolean> {
  const state = await stateOf(db, 'records');
  if ((await lookedAt(db)) === state) return false;
  const [people, clients] = await Promise.all([readPeople(db), readClients(db)]);
  const found = {
    person: await inTurns(doublePeople(people)),
    client: await inTurns(doubleClients(clients)),
  };
  await transact(db, async (trx) => {
    await holdTurn(trx, 'doubles');
    await keepPairs(trx, 'person', found.person);
    await keepPairs(trx, 'client', found.client);
    await trx('setting')
      .insert({ name: SETTING, value: JSON.stringify(state) })
      .onConflict('name')
      .merge();
    await noteChange(trx, 'doubles');
  });
  return true;
}

async function lookedAt(db: Knex): Promise<string> {
  const row = await db('setting').where({ name: SETTING }).first('value');
  return row ? String(JSON.parse(row.value)) : '';
}

/** Whether the records have been looked through as they are now. */
export async function isLookedThrough(db: Knex): Promise<boolean> {
  return (await lookedAt(db)) === (await stateOf(db, 'records'));
}

/** So many steps are small enough to be done without asking the time. */
const STEPS = 50;

/** Does a long work while others have their turn. */
async function inTurns<R>(steps: Steps<R>): Promise<R> {
  const turns = new Turns();
  for (let step = 1; ; step++) {
    const { done, value } = steps.next();
    if (done) return value;
    if (step % STEPS === 0) await turns.pass();
  }
}

async function readPeople(db: Knex): Promise<DoublePerson[]> {
  const [people, addresses, phones, ties, postcodes] = await Promise.all([
    db('person').select('id', 'first_name', 'last_name'),
    db('address').select('person_id', 'email_key'),
    db('phone').whereNotNull('person_id').select('person_id', 'number_key'),
    db('client_person').select('client_id', 'person_id'),
    db('client').whereNotNull('postcode').select('id', 'postcode'),
  ]);
  const emailsOf = groupBy(addresses, (row) => row.person_id);
  const phonesOf = groupBy(phones, (row) => row.person_id ?? 0);
  const clientsOf = groupBy(ties, (row) => row.person_id);
  const postcodeOf = new Map(postcodes.map(({ id, postcode }) => [id, postcode ?? '']));
  return people.map(({ id, first_name, last_name }) => {
    const clientIds = (clientsOf.get(id) ?? []).map((row) => row.client_id);
    return {
      id,
      firstName: first_name,
      lastName: last_name,
      emails: (emailsOf.get(id) ?? []).map((row) => row.email_key),
      phones: (phonesOf.get(id) ?? []).map((row) => row.number_key),
      clientIds,
      postcodes: [...new Set(clientIds.flatMap((client) => postcodeOf.get(client) || []))],
    };
  });
}

async function readClients(db: Knex): Promise<DoubleClient[]> {
  const [clients, phones, ties, addresses] = await Promise.all([
    db('client').select('id', 'name', 'kind', 'postal', 'postcode'),
    db('phone').whereNotNull('client_id').select('client_id', 'number_key'),
    db('client_person').select('client_id', 'person_id'),
    db('address').select('person_id', 'email_key'),
  ]);
  const phonesOf = groupBy(phones, (row) => row.client_id ?? 0);
  const peopleOf = groupBy(ties, (row) => row.client_id);
  const emailsOf = groupBy(addresses, (row) => row.person_id);
  return clients.map(({ id, name, kind, postal, postcode }) => {
    const personIds = (peopleOf.get(id) ?? []).map((row) => row.person_id);
    return {
      id,
      name,
      kind,
      postal: fromJson('client.postal', postal).join(' '),
      postcode: postcode ?? '',
      phones: (phonesOf.get(id) ?? []).map((row) => row.number_key),
      emails: personIds.flatMap((person) => (emailsOf.get(person) ?? []).map((row) => row.email_key)),
      personIds,
    };
  });
}

/** What was found takes the place of what was found before, but for what somebody said of it. */
async function keepPairs(
  trx: Transaction,
  subject: 'client' | 'person',
  pairs: readonly Pair[],
): Promise<void> {
  const [a, b] = [`${subject}_a`, `${subject}_b`] as const;
  const said = (await trx('double_pair')
    .where({ subject })
    .whereNotNull('dismissed_at')
    .select({ a, b })) as {
    a: number;
    b: number;
  }[];
  const dismissed = new Set(said.map((row) => `${row.a} ${row.b}`));
  await trx('double_pair').where({ subject }).whereNull('dismissed_at').delete();
  const fresh = pairs.filter((pair) => !dismissed.has(`${pair.a} ${pair.b}`)).slice(0, MOST_PAIRS);
  // Records that are gone since they were read are passed over.
  const ids: number[] = fresh.length
    ? await trx(subject as 'client')
        .whereIn('id', [...new Set(fresh.flatMap((pair) => [pair.a, pair.b]))])
        .pluck('id')
    : [];
  const there = new Set(ids);
  await insertAll(
    trx,
    'double_pair',
    fresh
      .filter((pair) => there.has(pair.a) && there.has(pair.b))
      .map((pair) => ({
        subject,
        [a]: pair.a,
        [b]: pair.b,
        score: pair.score,
        reasons: toJson('double_pair.reasons', pair.reasons),
      })),
  );
}
