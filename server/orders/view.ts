import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import type {
  CourseRow,
  CoursesPage,
  CoursesQuery,
  HeldTurn,
  OrderRow,
  OrdersPage,
  OrdersQuery,
  OrderTried,
  OrderTry,
  OrderView,
  StaffMember,
} from '../../contract/index.ts';
import { dueAfter } from '../../core/orders/days.ts';
import { whenInWords } from '../../core/orders/sentence.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { Refusal } from '../foundation/refusal.ts';
import { countOf, groupBy, likePattern, select } from '../foundation/rows.ts';
import { refuseBroken, runningNow } from '../selection/catalogue.ts';
import { keeperOf, mayChange, orderCalendar, readOrder, readOrders, type Order } from './keep.ts';
import { orderNames, ordersInWords } from './names.ts';
import { pastOccasions } from './past.ts';
import { orderProblems } from './problems.ts';
import { chosen } from './whom.ts';

const LATELY_DAYS = 30;

/** A page of the office's orders: those that are on first, then by name. */
export async function listOrders(db: Knex, staffId: number, query: OrdersQuery): Promise<OrdersPage> {
  const { offset, limit, state, words } = query;
  const wanted = (rows: Knex.QueryBuilder) => {
    if (state === 'on') void rows.whereIn('standing_order.state', ['on', 'paused']);
    else if (state !== 'all') void rows.where('standing_order.state', state);
    if (words) void rows.where('standing_order.name', 'like', likePattern(words));
    return rows;
  };
  const [orders, total, inWords] = await Promise.all([
    readOrders(db, (all) =>
      wanted(all)
        .orderByRaw(
          "FIELD(standing_order.state, 'on', 'paused', 'off', 'ended'), standing_order.name, standing_order.id",
        )
        .offset(offset)
        .limit(limit),
    ),
    countOf(wanted(db('standing_order') as Knex.QueryBuilder)),
    ordersInWords(db, staffId),
  ]);
  return { rows: await asRows(db, orders, inWords), total };
}

async function asRows(
  db: Knex,
  orders: readonly Order[],
  inWords: Awaited<ReturnType<typeof ordersInWords>>,
): Promise<OrderRow[]> {
  const ids = orders.map(({ id }) => id);
  const lately = DateTime.now().minus({ days: LATELY_DAYS }).toJSDate();
  const [counts, prepared, keepers] = await Promise.all([
    select(db('order_course').whereIn('order_id', ids).groupBy('order_id'), {
      order_id: 'order_course.order_id',
      acted: db.raw<number>("SUM(state IN ('going', 'done') OR step > 0)"),
      lately: db.raw<number>("SUM(begun_at > ? AND (state IN ('going', 'done') OR step > 0))", [lately]),
      going: db.raw<number>("SUM(state = 'going')"),
      held: db.raw<number>("SUM(state = 'held')"),
      last: db.raw<Date | null>("MAX(IF(state IN ('going', 'done'), begun_at, NULL))"),
    }),
    select(
      db('draft')
        .join('order_course', 'order_course.id', 'draft.course_id')
        .where('draft.state', 'draft')
        .whereIn('order_course.order_id', ids)
        .groupBy('order_course.order_id'),
      { order_id: 'order_course.order_id', count: db.raw<number>('COUNT(*)') },
    ),
    db('staff')
      .whereIn('id', [...new Set(orders.map(({ owner_id }) => owner_id))])
      .select('id', 'name'),
  ]);
  return orders.map((order) => {
    const own = counts.find((row) => row.order_id === order.id);
    const lying = prepared.find((row) => row.order_id === order.id);
    return {
      ...{ id: order.id, name: order.name, state: order.state, sends: order.sends_by !== null },
      sentence: inWords(order.told, order.sends_by !== null),
      owner: keepers.find(({ id }) => id === order.owner_id)?.name ?? '',
      counts: {
        ...{ acted: Number(own?.acted ?? 0), lately: Number(own?.lately ?? 0) },
        ...{ going: Number(own?.going ?? 0), held: Number(own?.held ?? 0) },
        prepared: Number(lying?.count ?? 0),
      },
      actedAt: own?.last ? new Date(own.last).toISOString() : null,
    };
  });
}

/** One order with all that is shown of it. @throws Refusal when there is none */
export async function viewOrder(db: Knex, staff: StaffMember, id: number): Promise<OrderView> {
  const order = await readOrder(db, id);
  const [[row], problems, sender] = await Promise.all([
    asRows(db, [order], await ordersInWords(db, staff.id)),
    orderProblems(db, order, order.sends_by !== null),
    order.sends_by === null ? undefined : db('staff').where({ id: order.sends_by }).first('name'),
  ]);
  return {
    ...(row as OrderRow),
    ...{ ownerId: order.owner_id, told: order.told },
    ...{ mostADay: order.most_a_day, againAfter: order.again_after, version: order.version },
    sendsBy: sender?.name ?? null,
    onSince: order.on_since?.toISOString() ?? null,
    savedAt: order.saved_at.toISOString(),
    problems,
    mayChange: mayChange(staff, order),
  };
}

/** Of the past no more is read than so much: it tells what would be, and is no report. */
const MOST_TRIED = 3000;

/**
 * What an order would have done of late: whoever fits its selection now is taken for whoever fitted then.
 * @throws Refusal when its selection asks for what is not there any more
 */
export async function tryOrder(
  db: Knex,
  staffId: number,
  { told, days, offset, limit }: OrderTry,
): Promise<OrderTried> {
  if (told.selection) await refuseBroken(db, staffId, told.selection);
  const [firm, names, running] = await Promise.all([readFirm(db), orderNames(db), runningNow(db, staffId)]);
  const calendar = orderCalendar(firm);
  const to = DateTime.now().setZone(firm.zone);
  const span = { from: to.minus({ days }), to };
  const says = whenInWords(told.when, names);
  const occasions = await pastOccasions(db, told.when, says, span, calendar, MOST_TRIED);
  const meant = await chosen(db, told.selection, running, occasions);
  const once = [...new Map(meant.map((each) => [`${each.cause} ${each.at.getTime()}`, each])).values()];
  once.sort((a, b) => b.at.getTime() - a.at.getTime());
  const byDay = groupBy(once, ({ at }) => DateTime.fromJSDate(at, { zone: firm.zone }).toISODate() ?? '');
  const [busiest] = [...byDay].sort(([a, x], [b, y]) => y.length - x.length || a.localeCompare(b));
  const page = once.slice(offset, offset + limit);
  const clients = await db('client')
    .whereIn('id', [...new Set(page.map(({ clientId }) => clientId))])
    .select('id', 'name');
  const nameOf = new Map(clients.map(({ id, name }) => [id, name]));
  return {
    total: once.length,
    more: occasions.length >= MOST_TRIED,
    busiest: busiest ? { day: busiest[0], count: busiest[1].length } : null,
    rows: page.map(({ at, clientId, why }) => {
      let moment: DateTime = DateTime.fromJSDate(at);
      return {
        at: at.toISOString(),
        clientId,
        client: nameOf.get(clientId) ?? '',
        why,
        steps: told.steps.map(
          ({ wait }) => (moment = dueAfter(moment, wait, calendar)).toUTC().toISO() ?? '',
        ),
      };
    }),
  };
}

/** A page of what an order has or had under way, the last first. */
export async function listCourses(
  db: Knex,
  orderId: number,
  { offset, limit, state }: CoursesQuery,
): Promise<CoursesPage> {
  const wanted = () => {
    const rows = db('order_course').where('order_course.order_id', orderId);
    return state === 'all' ? rows : rows.where('order_course.state', state);
  };
  const [rows, total] = await Promise.all([
    select(
      wanted()
        .leftJoin('client', 'client.id', 'order_course.client_id')
        .leftJoin('file', 'file.id', 'order_course.file_id')
        .orderBy('order_course.id', 'desc')
        .offset(offset)
        .limit(limit),
      {
        ...{ id: 'order_course.id', at: 'order_course.at', why: 'order_course.why' },
        ...{
          state: 'order_course.state',
          stopped_why: 'order_course.stopped_why',
          due_at: 'order_course.due_at',
        },
        ...{ client_id: 'order_course.client_id', client: 'client.name?' },
        ...{ file_id: 'order_course.file_id', number: 'file.number?' },
      },
    ),
    countOf(wanted()),
  ]);
  const acts = await actsOf(
    db,
    rows.map(({ id }) => id),
  );
  return {
    total,
    rows: rows.map((row): CourseRow => ({
      ...{ id: row.id, why: row.why, state: row.state, stoppedWhy: row.stopped_why },
      at: row.at.toISOString(),
      client: row.client_id !== null && row.client !== null ? { id: row.client_id, name: row.client } : null,
      file: row.file_id !== null && row.number !== null ? { id: row.file_id, number: row.number } : null,
      dueAt: row.due_at?.toISOString() ?? null,
      acts: acts.get(row.id) ?? [],
    })),
  };
}

async function actsOf(db: Knex, courseIds: readonly number[]): Promise<Map<number, CourseRow['acts']>> {
  const rows = await select(
    db('order_act')
      .leftJoin('draft', 'draft.id', 'order_act.draft_id')
      .whereIn('order_act.course_id', [...courseIds])
      .orderBy(['order_act.course_id', 'order_act.step']),
    {
      ...{ course_id: 'order_act.course_id', at: 'order_act.at', words: 'order_act.words' },
      ...{ skipped: 'order_act.skipped', draft_id: 'order_act.draft_id', run_id: 'order_act.run_id' },
      ...{ task_id: 'order_act.task_id', draft: 'draft.state?' },
    },
  );
  const stateOf = ({ skipped, draft }: (typeof rows)[number]) => {
    if (skipped) return 'skipped' as const;
    if (draft === 'draft') return 'prepared' as const;
    return draft === 'thrown' ? ('left' as const) : ('done' as const);
  };
  return new Map(
    [...groupBy(rows, (row) => row.course_id)].map(([id, own]) => [
      id,
      own.map((row) => ({
        ...{ at: row.at.toISOString(), words: row.words, state: stateOf(row) },
        ...{ draftId: row.draft_id, runId: row.run_id, taskId: row.task_id },
      })),
    ]),
  );
}

/**
 * What becomes of those that wait to be asked about: the order acts for them after all, or leaves them.
 * @returns for how many
 * @throws Refusal for whoever may not
 */
export async function turnHeld(
  db: Database,
  staff: StaffMember,
  orderId: number,
  { to, courseIds }: HeldTurn,
): Promise<number> {
  return transact(db, async (trx) => {
    const order = await readOrder(trx, orderId);
    if (!mayChange(staff, order)) {
      const { name } = await keeperOf(trx, order);
      throw new Refusal(403, `Only ${name} or an office manager says so.`);
    }
    const held = trx('order_course').where({ order_id: orderId, state: 'held' });
    if (courseIds) void held.whereIn('id', courseIds);
    const left = { state: 'stopped' as const, stopped_why: `${staff.name} left it` };
    const done = await held.update(to === 'begin' ? { state: 'going', due_at: new Date() } : left);
    const action = to === 'begin' ? 'held ones begun' : 'held ones left';
    await noteAudit(trx, {
      staffId: staff.id,
      action,
      subject: 'standing order',
      id: orderId,
      after: { done },
    });
    await noteChange(trx, 'orders');
    return done;
  });
}
