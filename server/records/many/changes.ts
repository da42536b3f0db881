import type { Knex } from 'knex';
import {
  FIELD_LABELS,
  type Delivery,
  type ManyAsk,
  type ManyChange,
  type ManyDo,
  type ManyDone,
  type ManyPreview,
  type RecordSubject,
} from '../../../contract/index.ts';
import { fieldKey } from '../../../core/facts/catalogue.ts';
import { happeningsOf } from '../../../core/orders/happening.ts';
import { collated } from '../../../core/office/collated.ts';
import type { Selection } from '../../../core/selection/tree.ts';
import { noteHappenings, type Doer } from '../../foundation/audit.ts';
import { noteChange } from '../../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../../foundation/database.ts';
import { notFound, Refusal } from '../../foundation/refusal.ts';
import { groupBy, insertAll, select } from '../../foundation/rows.ts';
import { refuseBroken, runningNow } from '../../selection/catalogue.ts';
import { selected } from '../../selection/query.ts';
import { changeWithin, readRecord } from '../changing.ts';
import { fieldDefinitions } from '../definitions.ts';
import { wordsOfField } from '../history.ts';
import { rowsOfValue } from '../values.ts';

import { fieldNamed, type ManyField } from './fields.ts';

/** So many records at once: one transaction holds them all. */
const MOST = 50_000;
/** So many are asked for or written in one statement. */
const CHUNK = 1000;

/** Which field a change is of, by the name it has in a record's history. */
const FIELD_OF: { [W in ManyChange['what']]: (change: Extract<ManyChange, { what: W }>) => string } = {
  status: () => 'status',
  adviser: () => 'adviserId',
  service: () => 'service',
  stage: () => 'stage',
  'add tag': () => 'tags',
  'drop tag': () => 'tags',
  'add interest': () => 'interests',
  'drop interest': () => 'interests',
  delivery: () => 'delivery',
  field: ({ key }) => key,
};

function nameOf(change: ManyChange): string {
  // The function is the change's own; that they belong together is more than the compiler follows.
  return (FIELD_OF[change.what] as (change: ManyChange) => string)(change);
}

/** What stands in a field after a change. */
function changed(change: ManyChange, before: unknown): unknown {
  switch (change.what) {
    case 'add tag':
    case 'add interest': {
      const own = before as string[];
      const there = own.some((each) => collated(each) === collated(change.value));
      return there ? own : [...own, change.value].sort((a, b) => a.localeCompare(b));
    }
    case 'drop tag':
    case 'drop interest':
      return (before as string[]).filter((each) => collated(each) !== collated(change.value));
    case 'delivery':
      return (before as Delivery[]).map((line) =>
        line.kind === change.kind ? { ...line, way: change.value } : line,
      );
    default:
      return change.value === '' || (Array.isArray(change.value) && !change.value.length)
        ? null
        : change.value;
  }
}

/** One record, what stands in the field, and what is to. */
interface Move {
  id: number;
  before: unknown;
  after: unknown;
}

async function moves(
  db: Knex,
  selection: Selection,
  change: ManyChange,
  staffId: number,
): Promise<{ moves: Move[]; same: number; field: ManyField }> {
  await refuseBroken(db, staffId, selection);
  const field = await fieldNamed(db, selection.subject, nameOf(change));
  await refuseUnknown(db, selection.subject, change);
  const { query } = await selected(db, selection, await runningNow(db, staffId));
  const id = `${selection.subject}.id`;
  const ids = (await query()
    .orderBy(id)
    .limit(MOST + 1)
    .pluck(id)) as number[];
  if (ids.length > MOST)
    throw new Refusal(
      400,
      `These are more than ${MOST.toLocaleString('en-GB')}. Narrow the selection and do it in parts.`,
    );
  const values = await readAll(db, selection.subject, field, ids);
  const all = ids.map((each): Move => {
    const before = values.get(each) ?? null;
    return { id: each, before, after: changed(change, before) };
  });
  const moved = all.filter(({ before, after }) => JSON.stringify(before) !== JSON.stringify(after));
  return { moves: moved, same: all.length - moved.length, field };
}

async function readAll(
  db: Knex,
  subject: RecordSubject,
  field: ManyField,
  ids: readonly number[],
): Promise<Map<number, unknown>> {
  const all = new Map<number, unknown>();
  for (let at = 0; at < ids.length; at += CHUNK)
    for (const [id, value] of await field.read(db, subject, ids.slice(at, at + CHUNK))) all.set(id, value);
  return all;
}

/** @throws Refusal when what is to stand there is none of the office's */
async function refuseUnknown(db: Knex, subject: RecordSubject, change: ManyChange): Promise<void> {
  const missing = (words: string) => new Refusal(400, words, 'change');
  if (change.what === 'field') {
    const own = (await fieldDefinitions(db, subject)).find(({ id }) => fieldKey(id) === change.key);
    if (own) rowsOfValue(own, change.value);
  }
  if (change.what === 'adviser' && change.value !== null)
    if (!(await db('staff').where({ id: change.value, active: 1 }).first('id')))
      throw missing('That colleague is not here any more.');
  if (change.what === 'service' && change.value !== null)
    if (!(await db('service').where({ name: change.value }).first('id')))
      throw missing(`“${change.value}” is none of the office’s services.`);
  if (change.what === 'add interest')
    if (!(await db('interest').where({ name: change.value }).first('id')))
      throw missing(`“${change.value}” is none of the office’s interests.`);
}

/** What would become of those of a selection; nothing is done. */
export async function previewMany(db: Knex, staffId: number, ask: ManyAsk): Promise<ManyPreview> {
  const { selection, change } = ask;
  const found = await moves(db, selection, change, staffId);
  const page = found.moves.slice(ask.offset, ask.offset + ask.limit);
  const named = await namesOf(
    db,
    selection.subject,
    page.map(({ id }) => id),
  );
  const words = await wordsOfField(
    db,
    selection.subject,
    found.field.name,
    page.flatMap((move) => [move.before, move.after]),
  );
  return {
    changed: found.moves.length,
    same: found.same,
    rows: page.map(({ id, before, after }) => ({
      id,
      name: named.get(id) ?? '',
      before: words(before),
      after: words(after),
    })),
  };
}

async function namesOf(
  db: Knex,
  subject: RecordSubject,
  ids: readonly number[],
): Promise<Map<number, string>> {
  const name = {
    client: 'name',
    person: "TRIM(CONCAT(first_name, ' ', last_name))",
    file: "CONCAT(number, ' ', title)",
  }[subject];
  const rows = (await db(subject as 'client')
    .whereIn('id', [...ids])
    .select('id', db.raw(`${name} AS name`))) as { id: number; name: string }[];
  return new Map(rows.map((row) => [row.id, row.name]));
}

/**
 * Makes one change to one record. @returns whether it was not so already
 * @throws Refusal when what is to stand there is none of the office's, or such a record has no such field
 */
export async function changeOne(
  trx: Transaction,
  by: Doer,
  subject: RecordSubject,
  id: number,
  change: ManyChange,
): Promise<boolean> {
  const field = await fieldNamed(trx, subject, nameOf(change));
  await refuseUnknown(trx, subject, change);
  await hold(trx, subject, [id]);
  const now: Record<string, unknown> = await readRecord(trx, subject, id);
  const before = now[field.name] ?? null;
  const after = changed(change, before);
  if (JSON.stringify(before) === JSON.stringify(after)) return false;
  await changeWithin(trx, by, subject, id, {
    before: { [field.name]: before },
    after: { [field.name]: after },
  });
  return true;
}

/** Writes what is to stand in a field of many, those that get the same together. */
async function write(
  trx: Transaction,
  subject: RecordSubject,
  field: ManyField,
  wanted: readonly { id: number; value: unknown }[],
): Promise<void> {
  for (const same of groupBy(wanted, ({ value }) => JSON.stringify(value)).values())
    for (let at = 0; at < same.length; at += CHUNK) {
      const some = same.slice(at, at + CHUNK);
      await field.write(
        trx,
        subject,
        some.map(({ id }) => id),
        some[0]?.value,
      );
    }
}

/** Holds records until the transaction ends, in the order of their numbers. */
async function hold(trx: Transaction, subject: RecordSubject, ids: readonly number[]): Promise<void> {
  for (let at = 0; at < ids.length; at += CHUNK)
    await trx(subject as 'client')
      .whereIn('id', ids.slice(at, at + CHUNK))
      .orderBy('id')
      .forUpdate()
      .select('id');
}

/**
 * Makes one change to all of a selection, in one transaction, as one act that can be taken back.
 * @returns the number of the act
 * @throws Refusal when they are not as many as were shown
 */
export async function changeMany(db: Database, staffId: number, wanted: ManyDo): Promise<number> {
  const { selection, change } = wanted;
  const { subject } = selection;
  return transact(db, async (trx) => {
    const first = await moves(trx, selection, change, staffId);
    await hold(
      trx,
      subject,
      first.moves.map(({ id }) => id),
    );
    const found = await moves(trx, selection, change, staffId);
    if (found.moves.length !== wanted.changed)
      throw new Refusal(
        409,
        `There are now ${found.moves.length.toLocaleString('en-GB')} to change, not ${wanted.changed.toLocaleString('en-GB')}. Look at them again.`,
      );
    if (!found.moves.length) throw new Refusal(400, 'They are all so already.');
    const words = await describe(trx, subject, found);
    const [id = 0] = await trx('many_change').insert({
      staff_id: staffId,
      at: new Date(),
      words: words.slice(0, 300),
      changed: found.moves.length,
    });
    await write(
      trx,
      subject,
      found.field,
      found.moves.map((move) => ({ id: move.id, value: move.after })),
    );
    const name = found.field.name;
    // As it was written: a name may be in the list with other capitals.
    const made = await readAll(
      trx,
      subject,
      found.field,
      found.moves.map((move) => move.id),
    );
    await noteAll(
      trx,
      { staffId, manyId: id, action: `${subject} changed`, subject },
      name,
      found.moves.map((move) => ({ ...move, after: made.get(move.id) ?? null })),
    );
    return id;
  });
}

async function describe(
  trx: Transaction,
  subject: RecordSubject,
  { moves: all, field }: { moves: Move[]; field: ManyField },
): Promise<string> {
  const own = (await fieldDefinitions(trx, subject)).find(({ id }) => fieldKey(id) === field.name);
  const words = await wordsOfField(trx, subject, field.name, [all[0]?.after]);
  return `${own?.label ?? FIELD_LABELS[field.name] ?? field.name}: ${words(all[0]?.after) || 'nothing'}`;
}

async function noteAll(
  trx: Transaction,
  by: { staffId: number; manyId: number | null; action: string; subject: RecordSubject },
  name: string,
  all: readonly Move[],
): Promise<void> {
  const at = new Date();
  await noteHappenings(
    trx,
    all.flatMap(({ id, before, after }) =>
      happeningsOf({
        ...{ action: by.action, subject: by.subject, id },
        ...{ before: { [name]: before }, after: { [name]: after } },
      }),
    ),
  );
  await insertAll(
    trx,
    'audit',
    all.map(({ id, before, after }) => ({
      at,
      staff_id: by.staffId,
      many_id: by.manyId,
      action: by.action,
      subject: by.subject,
      subject_id: id,
      before_value: JSON.stringify({ [name]: before }),
      after_value: JSON.stringify({ [name]: after }),
    })),
  );
  await noteChange(trx, 'records');
}

/** What was lately changed at once, the last first. */
export async function listMany(db: Knex, limit: number): Promise<ManyDone[]> {
  const rows = await select(
    db('many_change')
      .join('staff', 'staff.id', 'many_change.staff_id')
      .orderBy('many_change.id', 'desc')
      .limit(limit),
    {
      id: 'many_change.id',
      words: 'many_change.words',
      by: 'staff.name',
      at: 'many_change.at',
      changed: 'many_change.changed',
      undone_at: 'many_change.undone_at',
      kept: 'many_change.kept',
    },
  );
  return rows.map(({ undone_at, at, ...row }) => ({
    ...row,
    at: at.toISOString(),
    undoneAt: undone_at?.toISOString() ?? null,
  }));
}

/**
 * Takes a change of many back as one act. What somebody changed again since stays as they made it, and is counted.
 * @throws Refusal when there is no such change, or it was taken back already
 */
export async function undoMany(db: Database, staffId: number, id: number): Promise<void> {
  await transact(db, async (trx) => {
    const act = await trx('many_change').where({ id }).forUpdate().first();
    if (!act) throw notFound('That change');
    if (act.undone_at) throw new Refusal(409, 'It has been taken back already.');
    const lines = await trx('audit').where({ many_id: id }).orderBy('id');
    const subject = lines[0]?.subject as RecordSubject;
    const done = lines.map((line): Move & { name: string } => {
      const before = JSON.parse(line.before_value ?? '{}') as Record<string, unknown>;
      const after = JSON.parse(line.after_value ?? '{}') as Record<string, unknown>;
      const name = Object.keys(after)[0] ?? '';
      return { id: line.subject_id ?? 0, name, before: before[name], after: after[name] };
    });
    const name = done[0]?.name ?? '';
    const field = await fieldNamed(trx, subject, name).catch(() => {
      throw new Refusal(409, 'That field has been taken away since. Bring it back in Settings first.');
    });
    const ids = done.map((move) => move.id);
    await hold(trx, subject, ids);
    const now = await readAll(trx, subject, field, ids);
    const back = done.filter(
      (move) => JSON.stringify(now.get(move.id) ?? null) === JSON.stringify(move.after),
    );
    await write(
      trx,
      subject,
      field,
      back.map((move) => ({ id: move.id, value: move.before })),
    );
    await noteAll(
      trx,
      { staffId, manyId: null, action: `${subject} taken back`, subject },
      name,
      back.map((move) => ({ id: move.id, before: move.after, after: move.before })),
    );
    await trx('many_change')
      .where({ id })
      .update({ undone_at: new Date(), kept: done.length - back.length });
  });
}
