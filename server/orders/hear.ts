import { DateTime } from 'luxon';
import type { Logger } from 'pino';
import { isMeant, type Happening } from '../../core/orders/happening.ts';
import { dueAfter, nextMorning, type OrderCalendar } from '../../core/orders/days.ts';
import { isTimed, LONGEST_CHAIN } from '../../core/orders/order.ts';
import { whenInWords } from '../../core/orders/sentence.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import {
  errorForLog,
  isDatabaseError,
  isRefusedContent,
  transact,
  type Database,
  type Transaction,
} from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { fromJson } from '../foundation/json.ts';
import { insertAll } from '../foundation/rows.ts';
import { orderCalendar, pauseBroken, readOrders, type Order } from './keep.ts';
import { orderNames } from './names.ts';
import { Scene } from './scene.ts';
import { timedOccasions } from './timed.ts';
import { chosen, occasionsOf, readWhoms, type Happened, type Occasion } from './whom.ts';

/** So much of what happened is taken up at once. */
const AT_ONCE = 200;
/** An order for which time brings about so much at one moment is paused, and its keeper told: none of it is dropped unseen. */
const MOST_TIMED = 50_000;
/** Days are looked at again for so long after a process was away, in days. */
const CAUGHT_UP_DAYS = 14;
/** What was heard is forgotten after so long, in hours. */
const KEPT_HOURS = 48;

/**
 * Takes up what happened, for every order that listens: each happening once, with whatever it begins, in one
 * transaction; any number of processes side by side.
 * @returns whether there was anything
 */
export async function hear({ db, log }: AppContext, now: DateTime): Promise<boolean> {
  const calendar = orderCalendar(await readFirm(db));
  return transact(db, async (trx) => {
    const rows = await trx('happening')
      .where({ heard: 0 })
      .orderBy('id')
      .limit(AT_ONCE)
      .forUpdate()
      .skipLocked()
      .select();
    if (!rows.length) return false;
    // A lock is a write: of several database nodes one takes them up, and the others find them taken.
    await trx('happening')
      .whereIn(
        'id',
        rows.map(({ id }) => id),
      )
      .update({ heard: 1 });
    const happened = rows.map((row): Happened => ({
      kind: row.kind as Happening['kind'],
      subject: row.subject as Happening['subject'],
      id: row.subject_id,
      fact: row.fact,
      value: row.value === null ? null : fromJson('happening.value', row.value),
      ...{ happeningId: row.id, at: row.at, byCourse: row.course_id },
    }));
    const scene = new Scene(trx, calendar, now);
    const listening = (await ordersOn(trx)).filter(({ told }) =>
      happened.some((each) => isMeant(told.when, each)),
    );
    if (!listening.length) return true;
    const meant = happened.filter((each) => listening.some(({ told }) => isMeant(told.when, each)));
    const [names, whoms] = await Promise.all([orderNames(trx), readWhoms(trx, meant)]);
    let begun = 0;
    for (const order of listening) {
      // What was there before it was switched on is nothing to it.
      const since = order.on_since?.getTime() ?? 0;
      const { when } = order.told;
      const fresh = meant.filter(({ at }) => at.getTime() >= since);
      await alone(trx, log, order, async () => {
        begun += await begin(scene, order, occasionsOf(when, whenInWords(when, names), fresh, whoms));
      });
    }
    if (begun) await noteChange(trx, 'orders');
    return true;
  });
}

/** What is wrong with one order, such as a field of its selection that is gone, pauses that one and stops no other. */
async function alone(
  trx: Transaction,
  log: Logger,
  order: Order,
  work: () => Promise<unknown>,
): Promise<void> {
  try {
    await work();
  } catch (error) {
    if (isDatabaseError(error) && !isRefusedContent(error)) throw error;
    log.error({ error: errorForLog(error), order: order.id }, 'a standing order could not be carried out');
    await pauseBroken(trx, order);
  }
}

const ordersOn = (trx: Transaction): Promise<Order[]> =>
  readOrders(trx, (query) => query.where('standing_order.state', 'on').orderBy('standing_order.id'));

/**
 * Looks what time has brought about for the orders that wait for it: each from where it was looked at last.
 * @returns whether anything was begun
 */
export async function look({ db, log }: AppContext, now: DateTime): Promise<boolean> {
  const firm = await readFirm(db);
  const calendar = orderCalendar(firm);
  let begun = false;
  const orders = await readOrders(db, (query) => query.where('standing_order.state', 'on'));
  for (const order of orders.filter(({ told }) => isTimed(told.when))) {
    const from = lookedFrom(order, now);
    // What waits for a day is looked at once in the morning; a meeting ends at any time.
    if (order.told.when.on !== 'meeting over' && nextMorning(from, calendar.zone) > now) continue;
    begun = (await lookFor(db, log, order, from, now, calendar)) || begun;
  }
  return begun;
}

function lookedFrom({ looked_until, on_since }: Order, now: DateTime): DateTime {
  const last = DateTime.fromJSDate(looked_until ?? on_since ?? now.toJSDate());
  return DateTime.max(last, now.minus({ days: CAUGHT_UP_DAYS }));
}

async function lookFor(
  db: Database,
  log: Logger,
  order: Order,
  from: DateTime,
  now: DateTime,
  calendar: OrderCalendar,
): Promise<boolean> {
  return transact(db, async (trx) => {
    const held = await trx('standing_order')
      .where({ id: order.id })
      .forUpdate()
      .first('state', 'looked_until', 'version');
    // Another process has looked meanwhile, or somebody has changed it.
    if (held?.state !== 'on' || held.version !== order.version) return false;
    if (held.looked_until?.getTime() !== order.looked_until?.getTime()) return false;
    await trx('standing_order').where({ id: order.id }).update({ looked_until: now.toJSDate() });
    let begun = 0;
    await alone(trx, log, order, async () => {
      const span = { from, to: now };
      const { when } = order.told;
      const occasions = await timedOccasions({ db: trx, when, span, calendar, most: MOST_TIMED });
      if (occasions.length >= MOST_TIMED) throw new Error(`more than ${MOST_TIMED} occasions at once`);
      begun = await begin(new Scene(trx, calendar, now), order, occasions);
    });
    if (begun) await noteChange(trx, 'orders');
    return begun > 0;
  });
}

/** Where the orders that led to something stand, by what they had under way. */
async function chainsOf(trx: Transaction, occasions: readonly Occasion[]): Promise<Map<number, string>> {
  const ids = [...new Set(occasions.flatMap(({ byCourse }) => byCourse ?? []))];
  const rows = ids.length ? await trx('order_course').whereIn('id', ids).select('id', 'chain') : [];
  return new Map(rows.map(({ id, chain }) => [id, chain]));
}

/**
 * Begins what an order has to do for those of some occasions whom it is for: for each occasion once, whoever hears of
 * it and however often. For more than it may act for on a day, it asks.
 * @returns for how many something was begun
 */
async function begin(scene: Scene, order: Order, occasions: readonly Occasion[]): Promise<number> {
  if (!occasions.length) return 0;
  const { trx, calendar, now } = scene;
  const running = await scene.running(order.owner_id);
  const meant = await chosen(trx, order.told.selection, running, occasions);
  const known: string[] = meant.length
    ? await trx('order_course')
        .where({ order_id: order.id })
        .whereIn(
          'cause',
          meant.map(({ cause }) => cause),
        )
        .pluck('cause')
    : [];
  const byCause = new Map(meant.map((each) => [each.cause, each]));
  for (const cause of known) byCause.delete(cause);
  const fresh = [...byCause.values()];
  if (!fresh.length) return 0;
  const chains = await chainsOf(trx, fresh);
  const looping = (each: Occasion) => {
    const chain =
      chains
        .get(each.byCourse ?? 0)
        ?.split(' ')
        .filter(Boolean) ?? [];
    return {
      chain,
      why: chain.includes(String(order.id)) ? ITSELF : chain.length >= LONGEST_CHAIN ? TOO_LONG : '',
    };
  };
  let left = await countDay(trx, order, fresh.filter((each) => !looping(each).why).length, calendar, now);
  const wait = order.told.steps[0]?.wait ?? { days: 0, working: false };
  await insertAll(
    trx,
    'order_course',
    fresh.map((each) => {
      const { chain, why } = looping(each);
      const held = !why && left <= 0;
      if (!why) left--;
      // What comes at once comes now, whatever another clock says of when it happened.
      const due = wait.days ? DateTime.max(now, dueAfter(DateTime.fromJSDate(each.at), wait, calendar)) : now;
      return {
        ...{ order_id: order.id, version: order.version, cause: each.cause, why: each.why.slice(0, 300) },
        ...{ at: each.at, begun_at: now.toJSDate(), chain: [...chain, order.id].join(' ') },
        ...{ client_id: each.clientId, file_id: each.fileId, person_id: each.personId },
        ...{ message_id: each.messageId, fee_note_id: each.feeNoteId },
        ...{ dispatch_id: each.dispatchId, timeline_id: each.timelineId, wanted_id: each.wantedId },
        state: why ? 'stopped' : held ? 'held' : 'going',
        stopped_why: why,
        due_at: why || held ? null : due.toJSDate(),
      };
    }),
    { ignore: true },
  );
  return fresh.length;
}

const ITSELF = 'it would have set itself off';
const TOO_LONG = `${LONGEST_CHAIN} orders had set each other off before it`;

/** Counts so many more on this day. The order is held, so that no two processes count at once. @returns how many it may act for */
async function countDay(
  trx: Transaction,
  { id, most_a_day }: Order,
  more: number,
  { zone }: OrderCalendar,
  now: DateTime,
): Promise<number> {
  const day = now.setZone(zone).toISODate() ?? '';
  // Of one statement MariaDB carries out the parts in their order: the count is that of the day before.
  await trx.raw(
    'UPDATE standing_order SET begun_on_day = LEAST(IF(day <=> ?, begun_on_day, 0) + ?, 65000), day = ? WHERE id = ?',
    [day, more, day, id],
  );
  const row = await trx('standing_order').where({ id }).first('begun_on_day');
  return most_a_day - ((row?.begun_on_day ?? 0) - more);
}

/** Forgets what was heard long ago. */
export async function forgetHeard(db: Database): Promise<void> {
  await db('happening')
    .where({ heard: 1 })
    .whereRaw('at < UTC_TIMESTAMP(3) - INTERVAL ? HOUR', [KEPT_HOURS])
    .limit(20_000)
    .delete();
}
