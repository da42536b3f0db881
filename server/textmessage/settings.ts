import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import type { GatewayDraft, GatewayView, StaffMember } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { transact } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { Refusal } from '../foundation/refusal.ts';
import { select } from '../foundation/rows.ts';
import { seal } from '../security/seal.ts';
import { pricesOf, reached, refuseOpen, type GatewayRow } from './gateway.ts';

/** The gateway; undefined while none is set. */
export function readGateway(db: Knex): Promise<GatewayRow | undefined> {
  return db('text_gateway').where({ one: 1 }).first();
}

/** What was spent in the month at hand, what is waiting reckoned in. */
export async function spentThisMonth(db: Knex): Promise<number> {
  const { zone } = await readFirm(db);
  const from = DateTime.now().setZone(zone).startOf('month').toJSDate();
  const [row] = await select(
    db('text_message')
      .where({ direction: 'sent' })
      .where('at', '>=', from)
      .whereNotIn('state', ['cancelled', 'prepared'])
      .where((counts) => counts.whereNot({ state: 'failed' }).orWhereNotNull('delivered_at')),
    { spent: db.raw<number | null>('SUM(price)') },
  );
  return Number(row?.spent ?? 0);
}

export async function viewGateway(db: Knex): Promise<GatewayView | null> {
  const row = await readGateway(db);
  if (!row) return null;
  return {
    ...{ url: row.url, sender: row.sender, monthlyLimit: row.monthly_limit, price: row.price },
    ...{ currency: row.currency, spent: await spentThisMonth(db), problem: row.problem },
    readAt: row.read_at?.toISOString() ?? null,
  };
}

/** Keeps how the gateway is reached, once it has answered. @throws Refusal with what is wrong */
export async function keepGateway(
  { db, config }: AppContext,
  staff: StaffMember,
  draft: GatewayDraft,
): Promise<void> {
  refuseOpen(draft.url);
  const before = await readGateway(db);
  const key = draft.key || (before && before.url === draft.url ? reached(before, config).key : '');
  if (!key) throw new Refusal(400, 'Give the key that the gateway knows you by.', 'key');
  const prices = await pricesOf({ url: draft.url, key }).catch((error: Error) => {
    throw new Refusal(400, `The gateway does not answer as it should: ${error.message}`, 'url');
  });
  const row = {
    ...{ url: draft.url, sealed_key: seal(config.key, key), sender: draft.sender },
    ...{ monthly_limit: draft.monthlyLimit, price: prices.each, currency: prices.currency, problem: null },
    // Another gateway numbers its events anew.
    ...(before && before.url === draft.url ? {} : { read_until: 0 }),
  };
  await transact(db, async (trx) => {
    await trx('text_gateway')
      .insert({ one: 1, ...row })
      .onConflict('one')
      .merge(row);
    const told = { url: draft.url, sender: draft.sender, monthlyLimit: draft.monthlyLimit };
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'text gateway set',
      subject: 'setting',
      id: 0,
      after: told,
    });
    await noteChange(trx, 'texts');
  });
}

/** Takes the gateway out: nothing leaves any more, what is on record stays. */
export async function dropGateway({ db }: AppContext, staff: StaffMember): Promise<void> {
  await transact(db, async (trx) => {
    await trx('text_gateway').where({ one: 1 }).delete();
    await noteAudit(trx, { staffId: staff.id, action: 'text gateway taken out', subject: 'setting', id: 0 });
    await noteChange(trx, 'texts');
  });
}
