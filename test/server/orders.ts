import { DateTime } from 'luxon';
import type { OrderFields } from '../../contract/index.ts';
import type { Act, Step, When } from '../../core/orders/order.ts';
import { selectionOf } from '../../core/selection/tree.ts';
import { addOrder, letSend, turnOrder } from '../../server/orders/keep.ts';
import { MANAGER, type TestFirm } from './helpers.ts';

/** A step that comes at once, or after so many days. */
export const step = (act: Act, days = 0, working = false): Step => ({ wait: { days, working }, act });
export const task = (words: string, days = 0): Step =>
  step({ do: 'task', words, for: 'owner', days: 0 }, days);

/** An order of the office manager's; with what is given instead. */
export const order = (when: When, steps: Step[], instead: Partial<OrderFields> = {}): OrderFields => ({
  name: 'An order',
  ownerId: MANAGER.id,
  told: { when, selection: null, steps, stops: { unfit: true, answered: false } } as OrderFields['told'],
  mostADay: 25,
  againAfter: 90,
  ...instead,
});

/** The same for those whom a line takes. */
export const orderFor = (
  line: Parameters<typeof selectionOf>[0],
  when: When,
  steps: Step[],
  instead: Partial<OrderFields> = {},
): OrderFields => {
  const whole = order(when, steps, instead);
  return { ...whole, told: { ...whole.told, selection: { ...selectionOf(line), past: true } } };
};

/** Keeps an order and switches it on. @param since it has been on since then @returns its number */
export async function orderOn(
  firm: TestFirm,
  fields: OrderFields,
  { sends = false, since = DateTime.now() }: { sends?: boolean; since?: DateTime } = {},
): Promise<number> {
  const id = await addOrder(firm.db, MANAGER, fields);
  if (sends) await letSend(firm.db, MANAGER, id, true);
  await turnOrder(firm.db, MANAGER, id, { to: 'on', underWay: 'goes on' });
  const at = since.toJSDate();
  await firm.db('standing_order').where({ id }).update({ on_since: at, looked_until: at });
  return id;
}
