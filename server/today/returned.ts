import { countOf, select, selectFirst } from '../foundation/rows.ts';
import type { Knex } from 'knex';
import type { ReturnedPage, ReturnedRow } from '../../contract/index.ts';
import { addressKey } from '../../core/address/address.ts';
import { returnWords } from '../../core/delivery/report.ts';
import { noteAudit } from '../foundation/audit.ts';
import { transact } from '../foundation/database.ts';
import { noteChange } from '../foundation/changes.ts';
import { hashOf } from '../foundation/sources.ts';
import { readableBy } from '../correspondence/access.ts';
import { markDead } from '../intake/returns.ts';
import type { AppContext } from '../foundation/context.ts';
import { readingOf } from '../reading/kept.ts';

/** Returned messages of this long ago are still worth mending. */
export const RETURNED_DAYS = 60;

/** Delivery reports of late. */
export function returnedReports(db: Knex): Knex.QueryBuilder {
  return db('message')
    .where({ automatic: 'report' })
    .where('at', '>', new Date(Date.now() - RETURNED_DAYS * 24 * 3600_000));
}

/** Delivery reports of late that a person may read, each with the address that failed, why, and whose it is. */
export async function listReturned(
  db: Knex,
  staffId: number,
  offset: number,
  limit: number,
): Promise<ReturnedPage> {
  const reports = () => readableBy(db, returnedReports(db), staffId);
  const [total, rows, held] = await Promise.all([
    countOf(reports()),
    select(reports().orderBy('at', 'desc').offset(offset).limit(limit), {
      id: 'message.id',
      at: 'message.at',
      raw_hash: 'message.raw_hash',
    }),
    heldAddresses(db),
  ]);
  return {
    total,
    held,
    rows: await Promise.all(rows.map((row) => returnedRow(db, staffId, row))),
  };
}

/** How many addresses wait for a person to say whether they are switched off. */
export function heldAddresses(db: Knex): Promise<number> {
  return countOf(db('return_report').where({ state: 'held' }), 'return_report.email_key');
}

async function returnedRow(
  db: Knex,
  staffId: number,
  row: { id: number; at: Date; raw_hash: Buffer },
): Promise<ReturnedRow> {
  const { report } = (await readingOf(db, row.raw_hash)).read;
  const recipient = report?.recipients[0];
  const keys = [recipient?.original, recipient?.address].flatMap((each) => (each ? [addressKey(each)] : []));
  const [client, original, noted] = await Promise.all([
    selectFirst(
      db('address')
        .join('client_person', 'client_person.person_id', 'address.person_id')
        .join('client', 'client.id', 'client_person.client_id')
        .whereIn('email_key', keys),
      { id: 'client.id', name: 'client.name' },
    ),
    report?.originalMessageId
      ? selectFirst(
          readableBy(db, db('message').where({ message_key: hashOf(report.originalMessageId) }), staffId),
          { subject: 'message.subject' },
        )
      : undefined,
    db('return_report').where({ message_id: row.id }).whereIn('email_key', keys).first('state'),
  ]);
  return {
    messageId: row.id,
    at: row.at.toISOString(),
    address: recipient?.original ?? recipient?.address ?? 'an address that was not named',
    why: returnWords(recipient?.status ?? ''),
    client: client ? { id: client.id, name: client.name } : null,
    subject: original?.subject ?? '',
    // Nothing we sent to that address bears the identifier it names.
    state: noted?.state ?? 'unknown',
  };
}

/**
 * Settles a rush of reports that waited for a person: the addresses are switched off, or the reports count
 * for nothing.
 * @returns how many addresses it was about
 */
export async function resolveHeld(context: AppContext, staffId: number, apply: boolean): Promise<number> {
  const count = await transact(context.db, async (trx) => {
    const rows = await trx('return_report')
      .where({ state: 'held' })
      .forUpdate()
      .select('id', 'email_key', 'at', 'why');
    if (apply) for (const row of rows) await markDead(trx, row.email_key, row.at, row.why);
    if (rows.length)
      await trx('return_report')
        .whereIn(
          'id',
          rows.map(({ id }) => id),
        )
        .update({ state: apply ? 'applied' : 'dismissed', settled_by: staffId });
    const addresses = [...new Set(rows.map(({ email_key }) => email_key))];
    await noteAudit(trx, {
      staffId,
      action: apply ? 'returns applied' : 'returns dismissed',
      subject: 'address',
      id: 0,
      after: {
        addresses,
      },
    });
    await noteChange(trx, 'mail');
    await noteChange(trx, 'records');
    return addresses.length;
  });
  return count;
}
