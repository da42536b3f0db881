import type { z } from 'zod';
import type { ClientMade, Doubles, NewClient } from '../../contract/index.ts';
import { nameKey } from '../../core/address/address.ts';
import { noteAudit } from '../foundation/audit.ts';
import { transact, type Transaction } from '../foundation/database.ts';
import { holdTurn } from '../foundation/locks.ts';
import { noteChange } from '../foundation/changes.ts';
import { firmToday, nextFileNumber } from '../office/settings.ts';
import type { AppContext } from '../foundation/context.ts';
import { filesByIds } from './files.ts';
import { insertPerson } from './people.ts';
import { notFound } from '../foundation/refusal.ts';
import { countOf, likePattern } from '../foundation/rows.ts';
import { filingRegister } from './filingRegister.ts';

const MOST_DOUBLES = 6;

/** Clients who may be the one about to be made: by address, by the person's name, by the client's name. */
export async function findDoubles(
  context: AppContext,
  wanted: { name: string; firstName: string; lastName: string; email: string },
): Promise<Doubles> {
  const { db } = context;
  const register = await filingRegister(context);
  const why = new Map<number, string>();
  const person = `${wanted.firstName} ${wanted.lastName}`.trim();
  for (const each of register.peopleAt(wanted.email))
    for (const id of each.clientIds) why.set(id, `${each.name} has this address`);
  for (const each of person ? register.peopleNamed(person) : [])
    for (const id of each.clientIds) if (!why.has(id)) why.set(id, `${each.name} is a person of this client`);
  for (const id of register.clientsAtDomain(wanted.email))
    if (!why.has(id)) why.set(id, 'People of this client have addresses at the same domain');
  const rows = await db('client')
    .where((any) => {
      any.whereIn('id', [...why.keys()]);
      if (wanted.name) any.orWhere('name', 'like', likePattern(wanted.name, false));
      if (wanted.lastName.length > 2) any.orWhere('name', 'like', likePattern(wanted.lastName, false));
    })
    .limit(MOST_DOUBLES * 2)
    .select('id', 'name', 'place');
  return rows
    .sort((a, b) => Number(why.has(b.id)) - Number(why.has(a.id)) || a.name.localeCompare(b.name))
    .slice(0, MOST_DOUBLES)
    .map(({ id, name, place }) => ({
      clientId: id,
      clientName: name,
      place,
      why:
        why.get(id) ??
        (nameKey(name) === nameKey(wanted.name) ? 'The same name' : 'A name that begins the same'),
    }));
}

/**
 * Makes a client with its first person and its General file, or adds a person to a client that is there.
 * @throws Refusal when the client it is to be added to is not here
 */
export async function makeClient(
  context: AppContext,
  staffId: number,
  wanted: z.output<typeof NewClient>,
): Promise<ClientMade> {
  const made = await transact(context.db, async (trx) => {
    const clientId = wanted.clientId ?? (await insertClient(trx, staffId, wanted));
    if (!(await trx('client').where({ id: clientId }).first('id'))) throw notFound('That client');
    const personId = await insertPerson(trx, staffId, wanted);
    await trx('client_person').insert({
      client_id: clientId,
      person_id: personId,
      role: wanted.role || 'contact',
      position: await countOf(trx('client_person').where({ client_id: clientId })),
    });
    const general = await trx('file').where({ client_id: clientId, general: 1 }).orderBy('id').first('id');
    const fileId: number = general?.id ?? (await insertGeneral(trx, staffId, clientId));
    await noteChange(trx, 'records', 'client', [clientId]);
    return { clientId, personId, fileId };
  });
  const generalFile = (await filesByIds(context.db, [made.fileId])).get(made.fileId);
  if (!generalFile) throw notFound('The General file');
  return { clientId: made.clientId, personId: made.personId, generalFile };
}

async function insertClient(
  trx: Transaction,
  staffId: number,
  wanted: z.output<typeof NewClient>,
): Promise<number> {
  const [id = 0] = await trx('client').insert({
    name: wanted.name,
    kind: wanted.kind,
    status: wanted.status,
    since: new Date().getUTCFullYear(),
    place: wanted.place,
    adviser_id: await adviserFor(trx, staffId),
  });
  await noteAudit(trx, { staffId, action: 'client made', subject: 'client', id, after: wanted });
  return id;
}

/** Whoever makes the client is its adviser at first, if an adviser. */
async function adviserFor(trx: Transaction, staffId: number): Promise<number | null> {
  const member = await trx('staff').where({ id: staffId, role: 'adviser' }).first('id');
  return member?.id ?? null;
}

/** The client's General file, under the number after the highest; the lock keeps two from taking the same. */
async function insertGeneral(trx: Transaction, staffId: number, clientId: number): Promise<number> {
  await holdTurn(trx, 'numbers');
  const number = await nextFileNumber(trx);
  const [id = 0] = await trx('file').insert({
    number,
    title: 'General correspondence',
    client_id: clientId,
    adviser_id: await adviserFor(trx, staffId),
    general: true,
    opened: await firmToday(trx),
  });
  await noteAudit(trx, { staffId, action: 'file opened', subject: 'file', id, after: { number } });
  return id;
}
