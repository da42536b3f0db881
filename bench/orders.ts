import { randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { DateTime } from 'luxon';
import pino from 'pino';
import type { OrderTold } from '../contract/index.ts';
import type { Step, When } from '../core/orders/order.ts';
import { selectionOf, type Line } from '../core/selection/tree.ts';
import { startMariaDB } from '../scripts/mariadb.ts';
import { AppContext } from '../server/foundation/context.ts';
import { ensureDatabase, openDatabase, transact, type Database } from '../server/foundation/database.ts';
import { countOf } from '../server/foundation/rows.ts';
import { migrate } from '../server/foundation/migrate.ts';
import { OrderWorker } from '../server/orders/worker.ts';
import { quantile, result, row } from './ground.ts';
import { load } from './selection.ts';

const CLIENTS = 100_000;
const ORDERS = 200;
const HAPPEN = 100;
const MINUTES = 12;

/** What the orders wait for, in turn: half by what is done, half by time; each something of its own, as an office's do. */
const whenOf = (index: number): When => {
  const all: When[] = [
    { on: 'file opened' },
    { on: 'becomes', of: 'client', fact: 'status', value: 'past' },
    { on: 'becomes', of: 'file', fact: 'stage', value: `Stage ${1 + (index % 6)}` },
    { on: 'message comes', words: `subject ${index}` },
    { on: 'message leaves', words: `subject ${index}` },
    { on: 'fee note paid' },
    { on: 'document comes', words: 'map' },
    { on: 'fee note overdue', days: 14 },
    { on: 'answer owed', days: 3 },
    { on: 'day', of: 'client', fact: 'field:3', days: 30, side: 'before', yearly: false },
    { on: 'day', of: 'person', fact: 'field:6', days: 0, side: 'after', yearly: true },
    { on: 'mailing unanswered', mailingId: null, days: 10 },
    { on: 'meeting over' },
  ];
  return all[index % all.length] ?? { on: 'meeting over' };
};
/** Whom they are for: every second for the clients of one adviser; the others in turn, from one line to two with what hangs on the client. */
const LINES: Line[][] = [
  [{ fact: 'client.status', test: { op: 'one of', values: ['active'] } }],
  [{ fact: 'field:2', test: { op: 'at least', value: 10 } }],
  [
    { fact: 'client.interests', test: { op: 'one of', values: [2] } },
    { fact: 'client.mailings', test: { op: 'one of', values: ['email', 'both'] } },
  ],
  [
    {
      through: 'client.files',
      has: true,
      of: [{ fact: 'file.stage', test: { op: 'one of', values: [3, 4] } }],
    },
  ],
];
const linesOf = (index: number): Line[] =>
  index % 2
    ? [{ fact: 'client.adviser', test: { op: 'one of', values: [1 + (index % 20)] } }]
    : (LINES[(index / 2) % LINES.length] ?? []);
const TASK: Step = {
  wait: { days: 0, working: false },
  act: { do: 'task', words: 'See to it', for: 'owner', days: 1 },
};

async function keepOrders(db: Database, since: DateTime): Promise<void> {
  for (let index = 0; index < ORDERS; index++) {
    const at = since.toJSDate();
    const [id = 0] = await db('standing_order').insert({
      ...{ name: `Order ${index}`, owner_id: 1 + (index % 20), state: 'on', saved_at: at },
      ...{ on_since: at, looked_until: at, most_a_day: 5000 },
    });
    const told = {
      when: whenOf(index),
      selection: { ...selectionOf(...linesOf(index)), past: true },
      steps: [TASK],
      stops: { unfit: true, answered: false },
    };
    await db('order_version').insert({
      ...{ order_id: id, version: 1, saved_at: at, told: JSON.stringify(told as unknown as OrderTold) },
    });
  }
}

/** What happens in a minute: mail, changes, fee notes and files, spread over the register. */
async function happen(db: Database, minute: number): Promise<void> {
  const at = (index: number) => 1 + (((minute * HAPPEN + index) * 7919) % CLIENTS);
  await db('happening').insert(
    Array.from({ length: HAPPEN }, (_, index) => {
      const kind = index % 10;
      const plain = { fact: null as string | null, value: null as string | null };
      if (kind < 4)
        return {
          ...plain,
          kind: index % 2 ? 'message comes' : 'message leaves',
          subject: 'message',
          subject_id: at(index),
        };
      if (kind < 7) {
        const value = JSON.stringify(index % 2 ? 'past' : 'active');
        return { kind: 'becomes', subject: 'client', subject_id: at(index), fact: 'status', value };
      }
      if (kind < 8) return { ...plain, kind: 'fee note paid', subject: 'fee note', subject_id: at(index) };
      if (kind < 9)
        return { ...plain, kind: 'file opened', subject: 'file', subject_id: at(index) + CLIENTS };
      return { kind: 'becomes', subject: 'file', subject_id: at(index), fact: 'stage', value: '"Stage 3"' };
    }),
  );
}

/**
 * 200 orders over 100,000 clients and two million messages, when a hundred things happen in a minute: all their work of
 * that minute, beside what merely writing down what came of it takes, row by row.
 */
export async function benchOrders(clients = CLIENTS): Promise<void> {
  const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-bench-'));
  const mariadb = await startMariaDB(join(dir, 'mariadb'));
  const url = mariadb.url('bench');
  await ensureDatabase(url);
  const db = openDatabase(url, { patience: 0 });
  try {
    await migrate(db);
    await load(db, clients);
    const config = {
      ...{ databaseUrl: url, port: 0, key: randomBytes(32), workers: false },
      ...{ sendGap: 0, waitScale: 1, secureCookies: false, webDir: '' },
    };
    const worker = new OrderWorker(new AppContext(db, config, pino({ level: 'warn' })));
    let now = DateTime.fromISO('2026-11-27T10:00', { zone: 'Europe/London' });
    await keepOrders(db, now);
    const idle: number[] = [];
    const busy: number[] = [];
    for (let minute = 0; minute < MINUTES; minute++) {
      now = now.plus({ minutes: 1 });
      idle.push(await timed(() => worker.settle(now)));
      await happen(db, minute);
      await db('happening').update({ at: now.toJSDate() });
      now = now.plus({ seconds: 30 });
      busy.push(await timed(() => worker.settle(now)));
    }
    const begun = await countOf(db('order_course'));
    const acts = await countOf(db('order_act'));
    const each = Math.round(acts / MINUTES);
    now = now.plus({ days: 1 }).set({ hour: 6, minute: 1 });
    const morning = await timed(() => worker.settle(now));
    const thatDay = (await countOf(db('order_act'))) - acts;
    const bare = await timed(() => writeBare(db, each));
    row('a minute in which nothing happens', idle);
    row(`a minute in which ${HAPPEN} things happen`, busy);
    row(`limit: ${each} tasks merely written down`, [bare]);
    row(`the morning: ${thatDay} acts`, [morning]);
    console.log(`${begun} begun in ${MINUTES} minutes, ${acts} acts`);
    const minute = quantile(busy, 0.5);
    result('orders', {
      ...{ clients, orders: ORDERS, happened: HAPPEN, acts: each, idle: quantile(idle, 0.5) },
      ...{
        minute,
        slowest: Math.max(...busy),
        limit: bare,
        ratio: minute / bare,
        morning,
        morningActs: thatDay,
      },
    });
  } finally {
    await db.destroy();
    await mariadb.stop();
    rmSync(dir, { recursive: true, force: true });
  }
}

async function timed(work: () => Promise<unknown>): Promise<number> {
  const began = performance.now();
  await work();
  return performance.now() - began;
}

/** So many tasks with their acts, each in a transaction of its own: what no way of doing it could be quicker than. */
async function writeBare(db: Database, count: number): Promise<void> {
  const courses = await db('order_course').orderBy('id').limit(count).select('id', 'client_id');
  for (const { id, client_id } of courses)
    await transact(db, async (trx) => {
      const made = { words: 'Bare', for_id: 1, made_at: new Date(), client_id };
      const [task] = await trx('task').insert(made);
      await trx('order_act').insert({ course_id: id, step: 9, at: new Date(), words: 'Bare', task_id: task });
      await trx('order_course').where({ id }).update({ tries: 0 });
    });
}
