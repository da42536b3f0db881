import type { DateTime } from 'luxon';
import type { OrderTold, StaffMember } from '../../contract/index.ts';
import type { OrderCalendar } from '../../core/orders/days.ts';
import type { Transaction } from '../foundation/database.ts';
import { noteChange } from '../foundation/changes.ts';
import { insertAll } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { runningNow } from '../selection/catalogue.ts';
import type { Running } from '../selection/query.ts';
import { readOrder, toldIn, type Order } from './keep.ts';

type Colleague = Pick<StaffMember, 'id' | 'name'>;
/** What came of a step, as it is written down. */
type Written = Pick<Rows['order_act'], 'step' | 'at' | 'words'> & Partial<Rows['order_act']>;
/** Where a course goes on. */
type Moved = Pick<Rows['order_course'], 'step' | 'tries' | 'state' | 'due_at'>;
/** All rows of one statement have the same columns. */
const NOTHING_MADE = {
  ...{ draft_id: null, run_id: null, task_id: null, wording_id: null, email_key: null, sends: 0, skipped: 0 },
};

/** What several orders are heard or carried out with in one transaction: read once, however many there are. */
export class Scene {
  private readonly runnings = new Map<number, Promise<Running>>();
  private readonly orders = new Map<number, Promise<Order>>();
  private readonly tolds = new Map<string, Promise<OrderTold>>();
  private readonly colleagues = new Map<number, Promise<Colleague | null>>();
  private readonly acted: (Written & { course_id: number })[] = [];
  private readonly moved = new Map<string, { columns: Moved; ids: number[] }>();
  private readonly told = { staff: new Set<number>(), clients: new Set<number>() };

  constructor(
    readonly trx: Transaction,
    readonly calendar: OrderCalendar,
    readonly now: DateTime,
  ) {}

  /** What selections are run with, in the name of whoever keeps an order. */
  running(ownerId: number): Promise<Running> {
    return kept(this.runnings, ownerId, () => runningNow(this.trx, ownerId));
  }

  /** Somebody who is here still; null for whoever has left. */
  colleague(id: number): Promise<Colleague | null> {
    return kept(this.colleagues, id, async () => {
      const row = await this.trx('staff').where({ id, active: 1 }).whereNull('left_at').first('id', 'name');
      return row ?? null;
    });
  }

  /** Notes that a step was done, and where its course goes on: written together with others, at {@link write}. */
  noteAct(courseId: number, written: Written, columns: Moved): void {
    this.acted.push({ ...written, course_id: courseId });
    const key = JSON.stringify(columns);
    const same = this.moved.get(key) ?? { columns, ids: [] };
    same.ids.push(courseId);
    this.moved.set(key, same);
  }

  /** Tells whose tasks are others now, and on which clients, at {@link write}. */
  noteTask(staffId: number, clientId: number | null): void {
    this.told.staff.add(staffId);
    if (clientId !== null) this.told.clients.add(clientId);
  }

  /** Writes down what was noted: before anything asks for it, and before the transaction ends. */
  async write(): Promise<void> {
    await insertAll(
      this.trx,
      'order_act',
      this.acted.splice(0).map((row) => ({ ...NOTHING_MADE, ...row })),
    );
    for (const { columns, ids } of this.moved.values())
      await this.trx('order_course').whereIn('id', ids).update(columns);
    this.moved.clear();
    if (this.told.staff.size) await noteChange(this.trx, 'tasks', 'staff', [...this.told.staff]);
    if (this.told.clients.size) await noteChange(this.trx, 'tasks', 'client', [...this.told.clients]);
    this.told.staff.clear();
    this.told.clients.clear();
  }

  /** An order as it was in one of its versions. */
  async order(id: number, version: number): Promise<Order> {
    const order = await kept(this.orders, id, () => readOrder(this.trx, id));
    if (order.version === version) return order;
    const told = await kept(this.tolds, `${id} ${version}`, () => toldIn(this.trx, id, version));
    return { ...order, told };
  }
}

function kept<K, V>(all: Map<K, Promise<V>>, key: K, read: () => Promise<V>): Promise<V> {
  const known = all.get(key) ?? read();
  all.set(key, known);
  return known;
}
