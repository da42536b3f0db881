import type { Knex } from 'knex';
import type {
  ChangeKept,
  KeepSelection,
  KeptPage,
  KeptRow,
  KeptSelection,
  StaffMember,
} from '../../contract/index.ts';
import { may } from '../../contract/rights.ts';
import { SELECTION_VERSION, type Selection, type Subject } from '../../core/selection/tree.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Transaction } from '../foundation/database.ts';
import { fromJson, toJson } from '../foundation/json.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { countOf, insertAll, select } from '../foundation/rows.ts';
import { refuseBroken, runningNow } from './catalogue.ts';
import { selected } from './query.ts';

/** Keeps the selection of something it was made for, without a name. @returns its number */
export async function saveSelection(trx: Transaction, ownerId: number, tree: Selection): Promise<number> {
  const [id = 0] = await trx('selection').insert({
    owner_id: ownerId,
    subject: tree.subject,
    tree: toJson('selection.tree', tree),
    saved_at: new Date(),
  });
  return id;
}

/** Changes the selection of something it was made for. */
export async function changeSelection(trx: Transaction, id: number, tree: Selection): Promise<void> {
  await trx('selection')
    .where({ id })
    .update({ subject: tree.subject, tree: toJson('selection.tree', tree), saved_at: new Date() });
}

/** Those of the office that somebody may see: their own, and those that are shared. */
function visible(db: Knex, staffId: number) {
  return db('selection')
    .join('staff', 'staff.id', 'selection.owner_id')
    .whereNotNull('selection.name')
    .where((either) => either.where('selection.shared', 1).orWhere('selection.owner_id', staffId));
}

const WANTED = {
  id: 'selection.id',
  name: 'selection.name',
  subject: 'selection.subject',
  fixed: 'selection.fixed',
  shared: 'selection.shared',
  owner: 'staff.name',
  owner_id: 'selection.owner_id',
  saved_at: 'selection.saved_at',
} as const;

/** A page of the selections and lists somebody may see, by name. */
export async function listKept(
  db: Knex,
  staffId: number,
  { offset, limit }: { offset: number; limit: number },
): Promise<KeptPage> {
  const page = visible(db, staffId).orderBy(['selection.name', 'selection.id']).offset(offset).limit(limit);
  const [rows, total] = await Promise.all([
    select(page, { ...WANTED, members: membersCount(db) }),
    countOf(visible(db, staffId)),
  ]);
  return { rows: rows.map((row) => asRow(row, staffId)), total };
}

const membersCount = (db: Knex) =>
  db.raw<number>('(SELECT COUNT(*) FROM selection_member x WHERE x.selection_id = selection.id)');

interface Kept {
  id: number;
  name: string | null;
  subject: Subject;
  fixed: number;
  shared: number;
  owner: string;
  owner_id: number;
  saved_at: Date;
  members: number;
}

function asRow(row: Kept, staffId: number): KeptRow {
  return {
    id: row.id,
    name: row.name ?? '',
    subject: row.subject,
    fixed: Boolean(row.fixed),
    shared: Boolean(row.shared),
    owner: row.owner,
    mine: row.owner_id === staffId,
    savedAt: row.saved_at.toISOString(),
    members: row.fixed ? row.members : null,
  };
}

/** One that is kept. @throws Refusal when there is none, or it is a colleague's own */
export async function readKept(db: Knex, staffId: number, id: number): Promise<KeptSelection> {
  const found = visible(db, staffId).where('selection.id', id);
  const [row] = await select(found, {
    ...WANTED,
    members: membersCount(db),
    tree: 'selection.tree',
    version: 'selection.version',
  });
  if (!row) throw notFound('That selection');
  return {
    ...asRow(row, staffId),
    selection: fromJson('selection.tree', row.tree),
    version: row.version,
  };
}

/** Keeps a selection under a name; as a list, those whom it takes now. @returns its number */
export async function keepSelection(db: Knex, staff: StaffMember, wanted: KeepSelection): Promise<number> {
  await refuseBroken(db, staff.id, wanted.selection);
  const running = await runningNow(db, staff.id);
  return transact(db, async (trx) => {
    const id = await saveSelection(trx, staff.id, wanted.selection);
    await trx('selection')
      .where({ id })
      .update({ name: wanted.name, fixed: wanted.fixed, shared: wanted.shared });
    if (wanted.fixed) {
      const members = (await (
        await selected(trx, wanted.selection, running)
      )
        .query()
        .pluck(`${wanted.selection.subject}.id`)) as number[];
      await fillList(trx, id, wanted.selection.subject, members);
    }
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'kept',
      subject: 'selection',
      id,
      after: { name: wanted.name },
    });
    await noteChange(trx, 'selections');
    return id;
  });
}

/** Makes a list of these; it is opened as the line that asks for its members. */
async function fillList(
  trx: Transaction,
  id: number,
  subject: Subject,
  members: readonly number[],
): Promise<void> {
  await trx('selection_member').where({ selection_id: id }).delete();
  await insertAll(
    trx,
    'selection_member',
    members.map((member) => ({ selection_id: id, [`${subject}_id`]: member })),
  );
  await changeSelection(trx, id, {
    version: SELECTION_VERSION,
    subject,
    past: true,
    of: [{ fact: `${subject}.lists`, test: { op: 'one of', values: [id] } }],
    added: [],
    removed: [],
  });
}

/**
 * Changes one that is kept: its name, its lines, whether colleagues see it. A list gets those whom its lines take now.
 * @throws Refusal for whoever may not, or when somebody changed it since
 */
export async function changeKept(
  db: Knex,
  staff: StaffMember,
  id: number,
  wanted: ChangeKept,
): Promise<void> {
  await refuseBroken(db, staff.id, wanted.selection);
  const running = await runningNow(db, staff.id);
  await transact(db, async (trx) => {
    const before = await own(trx, staff, id);
    if (before.version !== wanted.version)
      throw new Refusal(
        409,
        'A colleague has changed this selection meanwhile. Open it again; yours can be kept under another name.',
      );
    if (before.subject !== wanted.selection.subject)
      throw new Refusal(400, 'What is picked out cannot change under one name. Keep it under another.');
    await trx('selection')
      .where({ id })
      .update({ name: wanted.name, shared: wanted.shared, version: before.version + 1 });
    if (before.fixed) {
      const members = (await (
        await selected(trx, wanted.selection, running)
      )
        .query()
        .pluck(`${wanted.selection.subject}.id`)) as number[];
      await fillList(trx, id, before.subject, members);
    } else await changeSelection(trx, id, wanted.selection);
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'changed',
      subject: 'selection',
      id,
      before: { name: before.name, tree: before.fixed ? '' : before.tree },
      after: { name: wanted.name, tree: before.fixed ? '' : JSON.stringify(wanted.selection) },
    });
    await noteChange(trx, 'selections');
  });
}

/** Throws one away. @throws Refusal for whoever may not */
export async function dropKept(db: Knex, staff: StaffMember, id: number): Promise<void> {
  await transact(db, async (trx) => {
    const before = await own(trx, staff, id);
    await trx('selection').where({ id }).delete();
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'thrown away',
      subject: 'selection',
      id,
      before: { name: before.name, tree: before.tree },
    });
    await noteChange(trx, 'selections');
  });
}

/** One that somebody may change: their own; a manager also those that are shared. */
async function own(trx: Transaction, staff: StaffMember, id: number) {
  const row = await trx('selection').where({ id }).whereNotNull('name').forUpdate().first();
  if (!row || (row.owner_id !== staff.id && !row.shared)) throw notFound('That selection');
  if (row.owner_id !== staff.id && !may(staff.role, 'run the office')) {
    const owner = await trx('staff').where({ id: row.owner_id }).first('name');
    throw new Refusal(
      403,
      `Only ${owner?.name ?? 'its owner'} or an office manager can change this one. Keep it under a name of your own.`,
    );
  }
  return row;
}
