import type { Knex } from 'knex';
import type { StaffMember, OrderTold, OrderFields, OrderState, OrderTurn } from '../../contract/index.ts';
import { may } from '../../contract/rights.ts';
import type { OrderCalendar } from '../../core/orders/days.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import type { Firm } from '../foundation/firm.ts';
import { fromJson, toJson } from '../foundation/json.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { select } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { orderProblems } from './problems.ts';

/** The calendar that orders keep. */
export function orderCalendar({
  zone,
  hours,
  holidays,
}: Pick<Firm, 'zone' | 'hours' | 'holidays'>): OrderCalendar {
  return {
    zone,
    workingDays: hours.days,
    holidays: new Set(holidays.map(({ day }) => day)),
    opens: hours.from,
  };
}

/** An order with what it says now. */
export type Order = Rows['standing_order'] & { told: OrderTold };

/** Orders with what they say now, narrowed by the caller. */
export async function readOrders(
  db: Knex,
  narrow: (query: Knex.QueryBuilder) => Knex.QueryBuilder,
): Promise<Order[]> {
  const query = narrow(
    db('standing_order').join('order_version', (join) =>
      join
        .on('order_version.order_id', 'standing_order.id')
        .andOn('order_version.version', 'standing_order.version'),
    ) as Knex.QueryBuilder,
  );
  const rows = (await query.select('standing_order.*', 'order_version.told')) as (Rows['standing_order'] & {
    told: string;
  })[];
  return rows.map((row) => ({ ...row, told: readTold(row.told) }));
}

/** So many are held as they were read: all orders are read whenever anything happens, and few ever change. */
const MOST_HELD = 1000;
const held = new Map<string, OrderTold>();

function readTold(text: string): OrderTold {
  const known = held.get(text);
  if (known) return known;
  if (held.size >= MOST_HELD) held.clear();
  const told = fromJson('order_version.told', text);
  held.set(text, told);
  return told;
}

/** One order. @throws Refusal when there is none of that number */
export async function readOrder(db: Knex, id: number): Promise<Order> {
  const [order] = await readOrders(db, (query) => query.where('standing_order.id', id));
  if (!order) throw notFound('That standing order');
  return order;
}

/** What an order said in one of its versions. */
export async function toldIn(db: Knex, orderId: number, version: number): Promise<OrderTold> {
  const row = await db('order_version').where({ order_id: orderId, version }).first('told');
  if (!row) throw notFound('That standing order');
  return readTold(row.told);
}

/** Whether somebody may change an order: whoever keeps it, and managers. */
export function mayChange(staff: StaffMember, { owner_id }: Pick<Order, 'owner_id'>): boolean {
  return owner_id === staff.id || may(staff.role, 'let orders send');
}

function refuseOthers(staff: StaffMember, order: Pick<Order, 'owner_id'>): void {
  if (!mayChange(staff, order))
    throw new Refusal(403, 'This order is a colleague’s. They can change it, or an office manager.');
}

const columns = (fields: OrderFields) => ({
  ...{ name: fields.name, owner_id: fields.ownerId },
  ...{ most_a_day: fields.mostADay, again_after: fields.againAfter, saved_at: new Date() },
});

/** Keeps a new order, switched off. @returns its number @throws Refusal when its keeper is not here */
export async function addOrder(db: Database, staff: StaffMember, fields: OrderFields): Promise<number> {
  return transact(db, async (trx) => {
    await refuseKeeper(trx, staff, fields.ownerId);
    const [id = 0] = await trx('standing_order').insert(columns(fields));
    await writeVersion(trx, staff, id, 1, fields.told);
    await noted(trx, staff, 'order kept', id, undefined, fields);
    return id;
  });
}

async function refuseKeeper(trx: Transaction, staff: StaffMember, ownerId: number): Promise<void> {
  if (ownerId !== staff.id && !may(staff.role, 'let orders send'))
    throw new Refusal(403, 'Only an office manager gives an order to somebody else to keep.', 'ownerId');
  if (!(await trx('staff').where({ id: ownerId, active: 1 }).whereNull('left_at').first('id')))
    throw new Refusal(400, 'That colleague is not here any more. Choose another.', 'ownerId');
}

async function writeVersion(
  trx: Transaction,
  staff: StaffMember,
  id: number,
  version: number,
  told: OrderTold,
): Promise<void> {
  await trx('order_version').insert({
    ...{ order_id: id, version, saved_at: new Date(), saved_by: staff.id },
    told: toJson('order_version.told', told),
  });
}

/**
 * Changes an order. What is under way goes to its end by the words it began with. What says something else to clients
 * than a manager allowed to be sent is prepared again, until a manager says so anew.
 * @returns its version now
 * @throws Refusal for whoever may not, or when somebody changed it since
 */
export async function saveOrder(
  db: Database,
  staff: StaffMember,
  id: number,
  fields: OrderFields,
  version: number,
): Promise<number> {
  return transact(db, async (trx) => {
    const before = await hold(trx, staff, id);
    if (before.version !== version)
      throw new Refusal(409, 'A colleague has changed this order meanwhile. Open it again before you go on.');
    if (fields.ownerId !== before.owner_id) await refuseKeeper(trx, staff, fields.ownerId);
    const same = JSON.stringify(fields.told) === JSON.stringify(before.told);
    const next = same ? version : version + 1;
    if (!same) {
      if (before.state === 'on') await refuseProblems(trx, { ...before, told: fields.told, sends_by: null });
      await writeVersion(trx, staff, id, next, fields.told);
    }
    const trusted = same || may(staff.role, 'let orders send');
    await trx('standing_order')
      .where({ id })
      .update({ ...columns(fields), version: next, ...(trusted ? {} : { sends_by: null }) });
    await noted(trx, staff, 'order changed', id, { ...columnsOf(before), told: before.told }, fields);
    return next;
  });
}

const columnsOf = ({ name, owner_id, most_a_day, again_after }: Order) => ({
  ...{ name, ownerId: owner_id, mostADay: most_a_day, againAfter: again_after },
});

async function hold(trx: Transaction, staff: StaffMember, id: number): Promise<Order> {
  await trx('standing_order').where({ id }).forUpdate().first('id');
  const order = await readOrder(trx, id);
  refuseOthers(staff, order);
  return order;
}

async function noted(
  trx: Transaction,
  staff: StaffMember,
  action: string,
  id: number,
  before?: unknown,
  after?: unknown,
): Promise<void> {
  await noteAudit(trx, { staffId: staff.id, action, subject: 'standing order', id, before, after });
  await noteChange(trx, 'orders');
}

async function refuseProblems(trx: Transaction, order: Order): Promise<void> {
  const [first] = await orderProblems(trx, order, order.sends_by !== null);
  if (first) throw new Refusal(400, first);
}

const TURNS: Record<OrderTurn['to'], { from: readonly OrderState[]; action: string }> = {
  on: { from: ['off', 'paused', 'ended'], action: 'order switched on' },
  paused: { from: ['on'], action: 'order paused' },
  ended: { from: ['on', 'paused', 'off'], action: 'order ended' },
};

/**
 * Switches an order on, pauses or ends it. Paused, it takes nothing up and what is under way waits; what happens
 * meanwhile is nothing to it. Ended, what is under way goes to its end, or stops, as was said.
 * @throws Refusal for whoever may not, or where something keeps it from being switched on
 */
export async function turnOrder(
  db: Database,
  staff: StaffMember,
  id: number,
  { to, underWay }: OrderTurn,
): Promise<void> {
  await transact(db, async (trx) => {
    const order = await hold(trx, staff, id);
    const { from, action } = TURNS[to];
    if (!from.includes(order.state)) throw new Refusal(409, 'Somebody has done that already.');
    if (to === 'on') await refuseProblems(trx, order);
    const now = new Date();
    await trx('standing_order')
      .where({ id })
      .update({ state: to, ...(to === 'on' ? { on_since: now, looked_until: now } : {}) });
    if (to === 'ended') await endCourses(trx, id, underWay === 'stops');
    await noted(trx, staff, action, id, { state: order.state }, { state: to, underWay });
  });
}

async function endCourses(trx: Transaction, id: number, all: boolean): Promise<void> {
  await trx('order_course')
    .where({ order_id: id })
    .whereIn('state', all ? ['going', 'held'] : ['held'])
    .update({ state: 'stopped', due_at: null, stopped_why: 'the order was ended' });
}

/** Pauses an order that cannot be carried out as it is, and leaves its keeper to see to it. */
export async function pauseBroken(trx: Transaction, { id, name, owner_id }: Order): Promise<void> {
  if (!(await trx('standing_order').where({ id, state: 'on' }).update({ state: 'paused' }))) return;
  const after = { why: 'it could not be carried out as it is' };
  await noteAudit(trx, { staffId: null, action: 'order paused', subject: 'standing order', id, after });
  await trx('task').insert({
    ...{ words: `See to the standing order “${name}”: it was paused, since ${after.why}.`.slice(0, 500) },
    ...{ for_id: owner_id, made_by: owner_id, made_at: new Date(), due_on: trx.raw('UTC_DATE()') },
  });
  await noteChange(trx, 'tasks', 'staff', [owner_id]);
  await noteChange(trx, 'orders');
}

/** Lets an order send by itself, or prepare again. @throws Refusal for whoever may not, or without anything to send */
export async function letSend(db: Database, staff: StaffMember, id: number, sends: boolean): Promise<void> {
  await transact(db, async (trx) => {
    const order = await hold(trx, staff, id);
    await trx('standing_order')
      .where({ id })
      .update({ sends_by: sends ? staff.id : null });
    if (!sends && order.state === 'on') await refuseProblems(trx, { ...order, sends_by: null });
    await noted(trx, staff, sends ? 'order may send' : 'order prepares again', id);
  });
}

/** Throws an order away that has never acted. @throws Refusal when it has */
export async function dropOrder(db: Database, staff: StaffMember, id: number): Promise<void> {
  await transact(db, async (trx) => {
    const order = await hold(trx, staff, id);
    if (await trx('order_course').where({ order_id: id }).first('id'))
      throw new Refusal(409, 'It has acted already, and what it did names it. End it instead.');
    await trx('standing_order').where({ id }).delete();
    await noted(trx, staff, 'order thrown away', id, { name: order.name });
  });
}

/** Who keeps an order, as the services are told of them. */
export async function keeperOf(db: Knex, { owner_id }: Pick<Order, 'owner_id'>): Promise<StaffMember> {
  const [staff] = await select(db('staff').where({ id: owner_id }), {
    ...{ id: 'staff.id', name: 'staff.name', email: 'staff.email', role: 'staff.role' },
  });
  if (!staff) throw notFound('Whoever keeps this order');
  return staff;
}
