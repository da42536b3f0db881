import type { z } from 'zod';
import {
  DELIVERY_USUAL,
  DeliveryKind,
  type ClientKind,
  type ClientMade,
  type ClientStatus,
  type Doubles,
  type NewClient,
} from '../../contract/index.ts';
import { nameKey } from '../../core/address/address.ts';
import { noteAudit, type Doer } from '../foundation/audit.ts';
import { transact, type Transaction } from '../foundation/database.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { filesByIds } from './files.ts';
import { insertFile, insertPerson } from './people.ts';
import { notFound } from '../foundation/refusal.ts';
import { readFirm } from '../foundation/firm.ts';
import { countOf, insertAll, likePattern } from '../foundation/rows.ts';
import { filingRegister } from './filingRegister.ts';

const MOST_DOUBLES = 6;
/** The title of every client's first file. */
export const GENERAL = 'General correspondence';

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
    const clientId = wanted.clientId ?? (await insertClient(trx, { staffId }, wanted));
    if (!(await trx('client').where({ id: clientId }).first('id'))) throw notFound('That client');
    const personId = await insertPerson(trx, { staffId }, wanted);
    await trx('client_person').insert({
      client_id: clientId,
      person_id: personId,
      role: wanted.role || 'contact',
      position: await countOf(trx('client_person').where({ client_id: clientId })),
    });
    const general = await trx('file').where({ client_id: clientId, general: 1 }).orderBy('id').first('id');
    const fileId = general?.id ?? (await insertGeneral(trx, { staffId }, clientId)).id;
    await noteChange(trx, 'records', 'client', [clientId]);
    return { clientId, personId, fileId };
  });
  const generalFile = (await filesByIds(context.db, [made.fileId])).get(made.fileId);
  if (!generalFile) throw notFound('The General file');
  return { clientId: made.clientId, personId: made.personId, generalFile };
}

/** A client who is new in the register, as far as is known at first. @returns their number */
export async function insertClient(
  trx: Transaction,
  by: Doer,
  wanted: { name: string; kind: ClientKind; status: ClientStatus; place: string },
): Promise<number> {
  const { name, kind, status, place } = wanted;
  const [id = 0] = await trx('client').insert({
    ...{ name, kind, status, place },
    since: new Date().getUTCFullYear(),
    adviser_id: await adviserFor(trx, by.staffId),
  });
  const { ways } = await readFirm(trx);
  // What is said of nobody goes by email.
  await insertAll(
    trx,
    'delivery',
    DeliveryKind.options
      .filter((each) => ways[each] !== DELIVERY_USUAL[each])
      .map((each) => ({ client_id: id, kind: each, way: ways[each] })),
  );
  await noteAudit(trx, { ...by, action: 'client made', subject: 'client', id, after: wanted });
  return id;
}

/** Whoever makes the client is its adviser at first, if an adviser. */
async function adviserFor(trx: Transaction, staffId: number | null): Promise<number | null> {
  const member = await trx('staff')
    .where({ id: staffId ?? 0, role: 'adviser' })
    .first('id');
  return member?.id ?? null;
}

/** The client's General file, under the next number. */
export function insertGeneral(
  trx: Transaction,
  by: Doer,
  clientId: number,
): Promise<{ id: number; number: string }> {
  return insertFile(trx, by, clientId, {
    number: '',
    title: GENERAL,
    adviserId: null,
    stage: null,
    general: true,
  });
}
