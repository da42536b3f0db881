import type { Knex } from 'knex';
import type { PreparedAct, PreparedActed, PreparedPage, PreparedQuery } from '../../contract/index.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { transact } from '../foundation/database.ts';
import { fromJson } from '../foundation/json.ts';
import { Refusal } from '../foundation/refusal.ts';
import { countOf, select } from '../foundation/rows.ts';
import { checkDraft } from '../writing/checks.ts';
import { readDraft, sendDraft, throwDraft } from '../writing/drafts.ts';

const lying = (db: Knex) =>
  db('draft').join('order_course', 'order_course.id', 'draft.course_id').where('draft.state', 'draft');

/** A page of the messages that orders have prepared, the oldest first: one's own to release, or everybody's. */
export async function listPrepared(
  db: Knex,
  staffId: number,
  { offset, limit, whose }: PreparedQuery,
): Promise<PreparedPage> {
  const wanted = () => {
    const all = lying(db);
    return whose === 'mine' ? all.where('draft.staff_id', staffId) : all;
  };
  const [rows, total] = await Promise.all([
    select(
      wanted()
        .join('standing_order', 'standing_order.id', 'order_course.order_id')
        .join('staff', 'staff.id', 'draft.staff_id')
        .leftJoin('client', 'client.id', 'order_course.client_id')
        .orderBy('draft.id')
        .offset(offset)
        .limit(limit),
      {
        ...{
          draftId: 'draft.id',
          people: 'draft.people',
          subject: 'draft.subject',
          version: 'draft.version',
        },
        ...{ waits: 'draft.waits', staff_id: 'draft.staff_id', by: 'staff.name', at: 'draft.saved_at' },
        ...{ orderId: 'standing_order.id', order: 'standing_order.name', why: 'order_course.why' },
        ...{ client_id: 'order_course.client_id', client: 'client.name?' },
      },
    ),
    countOf(wanted()),
  ]);
  return {
    total,
    rows: rows.map((row) => {
      const { to, cc } = fromJson('draft.people', row.people);
      return {
        ...{ draftId: row.draftId, why: row.why, subject: row.subject, by: row.by, version: row.version },
        order: { id: row.orderId, name: row.order },
        at: row.at.toISOString(),
        client:
          row.client_id !== null && row.client !== null ? { id: row.client_id, name: row.client } : null,
        to: [...to, ...cc].map(({ name, email }) => name || email).join(', '),
        mine: row.staff_id === staffId,
        waits: row.waits,
      };
    }),
  };
}

/** How many wait for somebody to release them. */
export function countPrepared(db: Knex, staffId: number): Promise<number> {
  return countOf(lying(db).where('draft.staff_id', staffId));
}

/** How many of all orders wait to be asked about. */
export function countHeld(db: Knex): Promise<number> {
  return countOf(db('order_course').where({ state: 'held' }));
}

/**
 * Sends off, or throws away, some of one's own that orders prepared: each by itself. What has gaps or gives pause stays
 * for somebody to open and read.
 */
export async function actOnPrepared(
  context: AppContext,
  staffId: number,
  { what, drafts }: PreparedAct,
): Promise<PreparedActed> {
  const left: PreparedActed['left'] = [];
  for (const { id, version } of drafts)
    try {
      if (what === 'throw away') await throwDraft(context.db, staffId, id);
      else await send(context, staffId, id, version);
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      left.push({ draftId: id, why: error.message });
    }
  await transact(context.db, (trx) => noteChange(trx, 'orders'));
  return { done: drafts.length - left.length, left };
}

async function send(context: AppContext, staffId: number, id: number, version: number): Promise<void> {
  const draft = await readDraft(context.db, staffId, id);
  // What it waits for may have been seen to: then it was saved since, and is newer than what was warned of.
  if (draft.waits && draft.version === 1) throw new Refusal(409, draft.waits);
  const [warning] = await checkDraft(context, staffId, id);
  if (warning) throw new Refusal(409, warning.words);
  await sendDraft(context, staffId, id, version, null);
}
