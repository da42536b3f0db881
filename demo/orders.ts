import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import type { OrderTold } from '../contract/index.ts';
import type { Step, When } from '../core/orders/order.ts';
import { selectionOf, type Line } from '../core/selection/tree.ts';
import type { DemoRegister } from './register.ts';

/** The field of the demo firm in which the day of a plan's review stands. */
const PLAN_REVIEW = 'field:3';

interface Ready {
  name: string;
  ownerId: number;
  when: When;
  whom?: Line;
  steps: Step[];
  answered?: boolean;
}

const at = (days: number, act: Step['act'], working = false): Step => ({ wait: { days, working }, act });

/** The firm's habits as orders that lie ready, switched off. @param template the number of a template by its name */
const ready = (template: (name: string) => number): Ready[] => [
  {
    name: 'A new file is welcomed',
    ownerId: 1,
    when: { on: 'file opened' },
    steps: [
      at(1, { do: 'message', wordingId: null, by: 'adviser' }, true),
      at(14, { do: 'task', words: 'Ask whether everything for the file has come', for: 'adviser', days: 2 }),
    ],
  },
  {
    name: 'A plan is soon to be reviewed',
    ownerId: 1,
    when: { on: 'day', of: 'client', fact: PLAN_REVIEW, days: 60, side: 'before', yearly: false },
    whom: { fact: 'client.status', test: { op: 'one of', values: ['active'] } },
    steps: [
      at(0, { do: 'message', wordingId: template('Asking for a visit'), by: 'adviser' }),
      at(21, { do: 'task', words: 'Ring about a day for the review', for: 'adviser', days: 3 }),
    ],
    answered: true,
  },
  {
    name: 'An answer has been owed for three days',
    ownerId: 1,
    when: { on: 'answer owed', days: 3 },
    steps: [at(0, { do: 'message', wordingId: null, by: 'adviser' })],
  },
  {
    name: 'A fee note is a month over its day',
    ownerId: 1,
    when: { on: 'fee note overdue', days: 30 },
    steps: [at(0, { do: 'task', words: 'Ring about the open fee note', for: 'adviser', days: 1 })],
  },
  {
    name: 'What was said at a meeting is written up',
    ownerId: 2,
    when: { on: 'meeting over' },
    steps: [at(1, { do: 'task', words: 'Write up what was agreed', for: 'adviser', days: 1 }, true)],
  },
  {
    name: 'What was asked for has not come',
    ownerId: 1,
    when: { on: 'wanted', days: 10 },
    steps: [at(0, { do: 'message', wordingId: template('Still wanted from you'), by: 'adviser' })],
  },
  {
    name: 'Something was laid out',
    ownerId: 1,
    when: { on: 'document shared', words: '' },
    steps: [at(0, { do: 'message', wordingId: null, by: 'adviser' })],
  },
  {
    name: 'Somebody asks about a felling licence',
    ownerId: 3,
    when: { on: 'message comes', words: 'felling licence' },
    steps: [
      at(0, { do: 'change', of: 'client', change: { what: 'add tag', value: 'felling licence' } }),
      at(0, { do: 'tell', who: 3, words: 'A felling licence is asked about: see the last message.' }),
    ],
  },
];

const TASKS = [
  ['Ring about the map of the lower wood', 1, -1],
  ['Put the signed agreement on the file', 1, 0],
  ['Ask the district for the old boundary sheet', 1, 3],
  ['Find a day for the orchard walk', 2, 0],
  ['Send the list of stools to be cut', 3, 2],
  ['Count the gates before the grant is claimed', 4, -3],
] as const;

/** Loads the demo firm's orders, all switched off, and what it left for its colleagues to do. */
export async function loadOrders(trx: Knex, register: DemoRegister, zone: string, now: Date): Promise<void> {
  const templates = await trx('wording').where({ kind: 'template' }).select('id', 'name');
  const template = (name: string) => templates.find((each) => each.name === name)?.id ?? 0;
  for (const { name, ownerId, when, whom, steps, answered = false } of ready(template)) {
    const [id = 0] = await trx('standing_order').insert({ name, owner_id: ownerId, saved_at: now });
    const told: OrderTold = {
      when,
      selection: whom ? { ...selectionOf(whom), past: false } : null,
      steps: steps as OrderTold['steps'],
      stops: { unfit: true, answered },
    };
    await trx('order_version').insert({
      ...{ order_id: id, version: 1, saved_at: now, saved_by: ownerId },
      told: JSON.stringify(told),
    });
  }
  const today = DateTime.fromJSDate(now, { zone }).startOf('day');
  const clients = register.clients.filter(({ files }) =>
    files.some(({ general, closed }) => !general && !closed),
  );
  await trx('task').insert(
    TASKS.map(([words, forId, days], index) => {
      const client = clients[(index * 7) % clients.length];
      const file = client?.files.find(({ general, closed }) => !general && !closed);
      return {
        ...{ words, for_id: forId, due_on: today.plus({ days }).toISODate(), made_at: now },
        ...{ client_id: client?.id ?? null, file_id: file?.id ?? null, made_by: 1 },
      };
    }),
  );
}
