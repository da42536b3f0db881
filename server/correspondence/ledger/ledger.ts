import type { Knex } from 'knex';
import type { z } from 'zod';
import { shownName } from '../../../core/address/address.ts';
import type { LedgerEntry, LedgerPage, LedgerQuery } from '../../../contract/index.ts';
import { groupBy } from '../../foundation/rows.ts';
import type { LedgerKind, LedgerScope } from './port.ts';

/** One page of a client's ledger, newest first: entries of every kind in one order, paged by one query. */
export async function ledger(
  db: Knex,
  all: readonly LedgerKind[],
  clientId: number,
  query: z.infer<typeof LedgerQuery>,
): Promise<LedgerPage> {
  const { only } = query;
  const kinds = only ? all.filter(({ parts }) => parts.includes(only)) : all;
  const scope: LedgerScope = { clientId, fileId: query.fileId, words: query.q?.trim(), only };
  const [total, page, unfiled] = await Promise.all([
    countEntries(db, kinds, scope),
    findEntries(db, kinds, scope, query.offset, query.limit),
    scope.fileId || scope.words || only ? [] : unfiledWith(db, clientId),
  ]);
  return { total, entries: await readEntries(db, kinds, page), unfiled };
}

/** Where an entry stands in the ledger. */
interface Place {
  kind: LedgerEntry['kind'];
  id: number;
  at: Date;
}

async function countEntries(db: Knex, kinds: readonly LedgerKind[], scope: LedgerScope): Promise<number> {
  const each = kinds.map((kind) =>
    db.count({ n: '*' }).from(kind.find(db, scope).as('entries')).as(kind.kind),
  );
  const row = (await db.select(each).first()) as Record<string, number>;
  return Object.values(row).reduce((sum, count) => sum + Number(count), 0);
}

/** Of each kind no more is gathered than the page may need. */
async function findEntries(
  db: Knex,
  kinds: readonly LedgerKind[],
  scope: LedgerScope,
  offset: number,
  limit: number,
): Promise<Place[]> {
  const newest = kinds.map((kind) =>
    db.select(db.raw('? AS kind', [kind.kind]), 'id', 'at').from(
      kind
        .find(db, scope)
        .orderByRaw('at DESC, id DESC')
        .limit(offset + limit)
        .as(`${kind.kind}_entries`),
    ),
  );
  return (await db
    .select('kind', 'id', 'at')
    .from(db.unionAll(newest).as('entries'))
    .orderByRaw('at DESC, kind, id DESC')
    .offset(offset)
    .limit(limit)) as Place[];
}

async function readEntries(
  db: Knex,
  kinds: readonly LedgerKind[],
  page: readonly Place[],
): Promise<LedgerEntry[]> {
  const idsOf = groupBy(page, (place) => place.kind);
  const read = await Promise.all(
    kinds.map(async (kind) => {
      const ids = (idsOf.get(kind.kind) ?? []).map(({ id }) => id);
      return [kind.kind, ids.length ? await kind.read(db, ids) : new Map()] as const;
    }),
  );
  const bodies = new Map<string, ReadonlyMap<number, object>>(read);
  return page.flatMap(({ kind, id, at }) => {
    const body = bodies.get(kind)?.get(id);
    // What a kind says of its entries is held to the contract when the page is answered.
    return body ? [{ kind, id, at: at.toISOString(), ...body } as LedgerEntry] : [];
  });
}

const MOST_UNFILED = 10;

/** What people of the client wrote or were written and is on no file yet: seen with the client all the same. */
async function unfiledWith(db: Knex, clientId: number): Promise<LedgerPage['unfiled']> {
  const addresses: string[] = await db('client_person')
    .join('address', 'address.person_id', 'client_person.person_id')
    .where({ client_id: clientId })
    .distinct('email_key')
    .pluck('email_key');
  if (!addresses.length) return [];
  const rows = await db('message')
    .whereIn('id', db('message_party').whereIn('email_key', addresses).select('message_id'))
    .where({ state: 'suggested' })
    .orderBy('at', 'desc')
    .limit(MOST_UNFILED)
    .select('id', 'at', 'direction', 'subject', 'from_name', 'from_address');
  return rows.map((row) => ({
    id: row.id,
    at: row.at.toISOString(),
    direction: row.direction,
    subject: row.subject,
    from: shownName(row.from_name, row.from_address),
  }));
}
