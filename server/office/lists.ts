import type { Knex } from 'knex';
import type { ListChange, ListEntry, ListName } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { Refusal } from '../foundation/refusal.ts';
import { select } from '../foundation/rows.ts';

/** Where a list's names are borne. */
interface Borne {
  table: 'file' | 'client' | 'client_interest' | 'client_tag' | 'topic_opt_out' | 'document';
  column: string;
  /** By the name itself, which follows when it changes; else by the number. */
  byName?: true;
  /** Each record may bear several: one that bears the other already is not given it twice. */
  several?: true;
  /** What bears it must not lose it. */
  kept?: string;
  /** What else names it, and goes on without when nothing stands for it. */
  also?: { table: 'mailing'; column: string };
}

const BORNE: Record<ListName, Borne> = {
  stage: { table: 'file', column: 'stage_id' },
  service: { table: 'client', column: 'service', byName: true },
  interest: { table: 'client_interest', column: 'interest_id', several: true },
  tag: { table: 'client_tag', column: 'tag_id', several: true },
  document_kind: { table: 'document', column: 'kind_id' },
  topic: {
    table: 'topic_opt_out',
    column: 'topic_id',
    several: true,
    kept: 'People have opted out of it: say which topic stands for it from now on.',
    also: { table: 'mailing', column: 'topic_id' },
  },
};

/** A list of the office's, in its order, each name with how many records bear it. */
export function readList(db: Knex, name: ListName): Promise<ListEntry[]> {
  const { table, column, byName } = BORNE[name];
  return select(db(name).orderBy(['position', 'name']), {
    id: `${name}.id`,
    name: `${name}.name`,
    used: db.raw<number>(
      `(SELECT COUNT(*) FROM ${table} WHERE ${table}.${column} = ${name}.${byName ? 'name' : 'id'})`,
    ),
  });
}

/** The names of a list, in its order. */
export function listNames(db: Knex, name: ListName): Promise<string[]> {
  return db(name).orderBy(['position', 'name']).pluck('name');
}

/**
 * Makes a list as it is to be: what is renamed stays with its records; what goes is replaced where it says.
 * @throws Refusal when something goes that records bear, and nobody said what is to stand for it
 */
export async function changeList(
  db: Database,
  staffId: number,
  list: ListName,
  { entries, moved }: ListChange,
): Promise<ListEntry[]> {
  return transact(db, async (trx) => {
    const before = await readList(trx, list);
    const stay = entries.flatMap(({ id }) => id ?? []);
    for (const gone of before.filter(({ id }) => !stay.includes(id))) await drop(trx, list, gone, moved);
    await nameEntries(trx, list, entries);
    await noteAudit(trx, {
      staffId,
      action: `list changed: ${list}`,
      subject: 'firm',
      id: 0,
      before: before.map(({ name }) => name),
      after: entries.map(({ name }) => name),
    });
    await noteChange(trx, 'records');
    return readList(trx, list);
  });
}

async function drop(
  trx: Transaction,
  list: ListName,
  { id, name, used }: ListEntry,
  moved: ListChange['moved'],
): Promise<void> {
  const where = moved.find(({ from }) => from === id);
  const { table, column, byName, several, kept, also } = BORNE[list];
  if (used && !where)
    throw new Refusal(
      409,
      `“${name}” stands in ${used} records. Say what is to stand in its place.`,
      'entries',
    );
  if (used && where && !where.to && kept) throw new Refusal(409, kept, 'entries');
  if (where) {
    const to = where.to && byName ? (await trx(list).where({ id: where.to }).first('name'))?.name : where.to;
    const from = byName ? name : id;
    // Whoever bears both keeps one; what is left of the other goes with it.
    if (!several || to)
      await trx.raw(`UPDATE ${several ? 'IGNORE ' : ''}${table} SET ${column} = ? WHERE ${column} = ?`, [
        to ?? null,
        from,
      ]);
    if (several) await trx(table).where(column, from).delete();
  }
  if (also)
    await trx(also.table)
      .where(also.column, id)
      .update(also.column, where?.to ?? null);
  await trx(list).where({ id }).delete();
}

async function nameEntries(trx: Transaction, list: ListName, entries: ListChange['entries']): Promise<void> {
  // Two that change their names with one another would meet on the way.
  for (const { id } of entries)
    if (id)
      await trx(list)
        .where({ id })
        .update({ name: `\u0001${id}` });
  for (const [position, { id, name }] of entries.entries()) {
    if (id) await trx(list).where({ id }).update({ name, position });
    else await trx(list).insert({ name, position });
  }
}
