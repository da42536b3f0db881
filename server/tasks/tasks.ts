import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import type { TaskChange, TaskFields, TaskRow, TasksPage, TasksQuery } from '../../contract/index.ts';
import { refuseUnlessReadable } from '../correspondence/access.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { countOf, likePattern, select, selectFirst } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';

/** How tasks are ordered; what has no day comes after what has. */
const ORDERS: Record<TasksQuery['sort'], (order: 'asc' | 'desc') => string> = {
  due: (order) => `task.due_on IS NULL, task.due_on ${order}, task.id ${order}`,
  for: (order) => `whose.name ${order}, task.due_on IS NULL, task.due_on, task.id`,
  client: (order) => `client.name IS NULL, client.name ${order}, task.due_on IS NULL, task.due_on, task.id`,
  made: (order) => `task.id ${order}`,
};

/** A page of tasks: one's own, everybody's, or those of a client. */
export async function listTasks(db: Knex, staffId: number, query: TasksQuery): Promise<TasksPage> {
  const wanted = () => {
    const rows = db('task').whereNull('task.gone_at') as Knex.QueryBuilder;
    void (query.done ? rows.whereNotNull('task.done_at') : rows.whereNull('task.done_at'));
    if (query.whose === 'mine') void rows.where('task.for_id', staffId);
    if (query.clientId !== undefined) void rows.where('task.client_id', query.clientId);
    if (query.words) void rows.where('task.words', 'like', likePattern(query.words));
    return rows;
  };
  const ordered = query.done
    ? `task.done_at ${query.order === 'asc' ? 'desc' : 'asc'}, task.id`
    : ORDERS[query.sort](query.order);
  const [rows, total] = await Promise.all([
    readTasks(db, wanted().orderByRaw(ordered).offset(query.offset).limit(query.limit), await officeDay(db)),
    countOf(wanted()),
  ]);
  return { rows, total };
}

/**
 * So many of somebody's are due by today, late ones among them; and the first of them.
 * @param today in the office's zone
 */
export async function tasksDue(
  db: Knex,
  staffId: number,
  today: string,
  most: number,
): Promise<{ due: number; late: number; first: TaskRow[] }> {
  const due = () =>
    db('task')
      .where({ for_id: staffId })
      .whereNull('done_at')
      .whereNull('gone_at')
      .where('due_on', '<=', today);
  const [counted, first] = await Promise.all([
    selectFirst(due(), {
      due: db.raw<number>('COUNT(*)'),
      late: db.raw<number | null>('SUM(due_on < ?)', [today]),
    }),
    most ? readTasks(db, due().orderBy(['due_on', 'task.id']).limit(most), today) : [],
  ]);
  return { due: Number(counted?.due ?? 0), late: Number(counted?.late ?? 0), first };
}

/** The day it is in the office. */
export async function officeDay(db: Knex): Promise<string> {
  return (
    DateTime.now()
      .setZone((await readFirm(db)).zone)
      .toISODate() ?? ''
  );
}

async function readTasks(db: Knex, query: Knex.QueryBuilder, today: string): Promise<TaskRow[]> {
  const rows = await select(
    query
      .join({ whose: 'staff' }, 'whose.id', 'task.for_id')
      .leftJoin({ maker: 'staff' }, 'maker.id', 'task.made_by')
      .leftJoin({ doer: 'staff' }, 'doer.id', 'task.done_by')
      .leftJoin('client', 'client.id', 'task.client_id')
      .leftJoin('file', 'file.id', 'task.file_id')
      .leftJoin('order_course', 'order_course.id', 'task.course_id')
      .leftJoin('standing_order', 'standing_order.id', 'order_course.order_id'),
    {
      id: 'task.id',
      words: 'task.words',
      forId: 'task.for_id',
      for: db.raw<string>('whose.name'),
      dueOn: 'task.due_on',
      client_id: 'task.client_id',
      client: 'client.name?',
      file_id: 'task.file_id',
      number: 'file.number?',
      messageId: 'task.message_id',
      maker: db.raw<string | null>('maker.name'),
      doneBy: db.raw<string | null>('doer.name'),
      orderId: 'standing_order.id?',
      order: 'standing_order.name?',
      why: 'order_course.why?',
      madeAt: 'task.made_at',
      doneAt: 'task.done_at',
      version: 'task.version',
    },
  );
  return rows.map((row) => ({
    ...{ id: row.id, words: row.words, forId: row.forId, for: row.for, dueOn: row.dueOn },
    late: row.dueOn === null || row.doneAt !== null ? 0 : daysLate(row.dueOn, today),
    client: row.client_id !== null && row.client !== null ? { id: row.client_id, name: row.client } : null,
    file: row.file_id !== null && row.number !== null ? { id: row.file_id, number: row.number } : null,
    messageId: row.messageId,
    madeBy: row.maker ?? row.order ?? '',
    order: row.orderId === null ? null : { id: row.orderId, name: row.order ?? '', why: row.why ?? '' },
    madeAt: row.madeAt.toISOString(),
    doneAt: row.doneAt?.toISOString() ?? null,
    ...{ doneBy: row.doneBy, version: row.version },
  }));
}

function daysLate(due: string, today: string): number {
  const day = (iso: string) => DateTime.fromISO(iso, { zone: 'utc' });
  return Math.max(0, Math.round(day(today).diff(day(due), 'days').days));
}

/** Who leaves a task: a person, or what a standing order has under way. */
type Leaver = { staffId: number } | { courseId: number };

/**
 * Leaves a task, within a transaction: on a file it is on the file's client too.
 * @returns its number
 * @throws Refusal when somebody or something it names is not here
 */
export async function insertTask(trx: Transaction, by: Leaver, fields: TaskFields): Promise<number> {
  // What a standing order names it has just looked up.
  const asked = 'staffId' in by;
  if (asked) await refuseGone(trx, fields.forId);
  const file =
    fields.fileId === null || (!asked && fields.clientId !== null)
      ? null
      : await trx('file').where({ id: fields.fileId }).first('client_id');
  if (file === undefined) throw notFound('That file');
  const clientId = file?.client_id ?? fields.clientId;
  if (asked && clientId !== null && !(await trx('client').where({ id: clientId }).first('id')))
    throw notFound('That client');
  const [id = 0] = await trx('task').insert({
    ...{ words: fields.words, for_id: fields.forId, due_on: fields.dueOn },
    ...{ client_id: clientId, file_id: fields.fileId, message_id: fields.messageId },
    ...('staffId' in by ? { made_by: by.staffId } : { course_id: by.courseId }),
    made_at: new Date(),
  });
  await noteAudit(trx, {
    ...('staffId' in by ? { staffId: by.staffId } : { staffId: null, courseId: by.courseId }),
    ...{ action: 'task left', subject: 'task', id, after: fields },
  });
  // Of what an order leaves it tells itself, of many at once.
  if (asked) await tell(trx, [fields.forId], clientId);
  return id;
}

/** Leaves a task. @returns its number @throws Refusal as {@link insertTask}, or when the message may not be read */
export async function addTask(db: Database, staffId: number, fields: TaskFields): Promise<number> {
  const found = fields.messageId === null ? null : await aboutMessage(db, staffId, fields.messageId);
  return transact(db, (trx) =>
    insertTask(trx, { staffId }, { ...fields, fileId: fields.fileId ?? found?.fileId ?? null }),
  );
}

/** On which file a message lies, for a task about it: where it is one alone. */
async function aboutMessage(db: Knex, staffId: number, id: number): Promise<{ fileId: number | null }> {
  const message = await db('message').where({ id }).first('id', 'state');
  if (!message) throw notFound('That message');
  await refuseUnlessReadable(db, staffId, message);
  const files: number[] = await db('filing').where({ message_id: id }).limit(2).pluck('file_id');
  return { fileId: files.length === 1 ? (files[0] ?? null) : null };
}

async function refuseGone(trx: Transaction, staffId: number): Promise<void> {
  if (!(await trx('staff').where({ id: staffId, active: 1 }).whereNull('left_at').first('id')))
    throw new Refusal(400, 'That colleague is not here any more. Choose another.', 'forId');
}

async function hold(trx: Transaction, id: number): Promise<Rows['task']> {
  const row = await trx('task').where({ id }).whereNull('gone_at').forUpdate().first();
  if (!row) throw notFound('That task');
  return row;
}

async function tell(trx: Transaction, staffIds: readonly number[], clientId: number | null): Promise<void> {
  await noteChange(trx, 'tasks', 'staff', staffIds);
  await noteChange(trx, 'tasks', 'client', [clientId]);
}

/** Changes what is to be done, by whom or by when. @throws Refusal when somebody changed it since */
export async function changeTask(
  db: Database,
  staffId: number,
  id: number,
  change: TaskChange,
): Promise<void> {
  await transact(db, async (trx) => {
    const row = await hold(trx, id);
    if (row.version !== change.version)
      throw new Refusal(409, 'Somebody else changed this task meanwhile. Close it and open it again.');
    if (change.forId !== row.for_id) await refuseGone(trx, change.forId);
    const after = { words: change.words, for_id: change.forId, due_on: change.dueOn };
    await trx('task')
      .where({ id })
      .update({ ...after, version: row.version + 1 });
    const before = { words: row.words, for_id: row.for_id, due_on: row.due_on };
    await noteAudit(trx, { staffId, action: 'task changed', subject: 'task', id, before, after });
    await tell(trx, [row.for_id, change.forId], row.client_id);
  });
}

/** Says that a task is done, or is not after all. Saying it twice changes nothing. */
export async function settleTask(db: Database, staffId: number, id: number, done: boolean): Promise<void> {
  await transact(db, async (trx) => {
    const row = await hold(trx, id);
    if ((row.done_at !== null) === done) return;
    await trx('task')
      .where({ id })
      .update({ done_at: done ? new Date() : null, done_by: done ? staffId : null });
    const action = done ? 'task done' : 'task opened again';
    await noteAudit(trx, { staffId, action, subject: 'task', id });
    await tell(trx, [row.for_id], row.client_id);
  });
}

/** Takes a task away, or brings it back: whoever left it by mistake loses nothing. */
export async function keepTask(db: Database, staffId: number, id: number, kept: boolean): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('task').where({ id }).forUpdate().first();
    if (!row || (row.gone_at === null) === kept) throw notFound('That task');
    await trx('task')
      .where({ id })
      .update({ gone_at: kept ? null : new Date() });
    const action = kept ? 'task brought back' : 'task taken away';
    await noteAudit(trx, { staffId, action, subject: 'task', id });
    await tell(trx, [row.for_id], row.client_id);
  });
}
