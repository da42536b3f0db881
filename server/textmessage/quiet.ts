import type { Knex } from 'knex';
import { noteAudit } from '../foundation/audit.ts';
import type { Transaction } from '../foundation/database.ts';

/** Somebody's own numbers, and whether text messages may go there. */
export async function readQuiet(db: Knex, personId: number): Promise<{ number: string; wanted: boolean }[]> {
  const phones = await ownPhones(db, personId);
  const stopped = new Set<string>(
    await db('text_number')
      .whereIn(
        'number_key',
        phones.map(({ number_key }) => number_key),
      )
      .whereNotNull('stopped_at')
      .pluck('number_key'),
  );
  return phones.map(({ number, number_key }) => ({ number, wanted: !stopped.has(number_key) }));
}

/** Leaves numbers alone from now on, or writes to them again: by the word of whoever's they are. @param how we know of it */
export async function writeQuiet(
  trx: Transaction,
  personId: number,
  quiet: readonly string[],
  how: string,
): Promise<void> {
  for (const { number, number_key } of await ownPhones(trx, personId)) {
    const known = await trx('text_number').where({ number_key }).forUpdate().first('stopped_at');
    const wish = quiet.includes(number);
    if (wish === Boolean(known?.stopped_at)) continue;
    const row = wish
      ? { stopped_at: new Date(), stopped_how: how }
      : { stopped_at: null, stopped_how: '', agreed_at: new Date(), agreed_how: how };
    await trx('text_number')
      .insert({ number_key, ...row })
      .onConflict('number_key')
      .merge(row);
    const action = wish ? 'wants no text messages' : 'wants text messages';
    await noteAudit(trx, {
      ...{ staffId: null, action, subject: 'person', id: personId },
      after: { number: number_key, how },
    });
  }
}

async function ownPhones(db: Knex, personId: number) {
  const rows = await db('phone')
    .where({ person_id: personId })
    .orderBy(['position', 'id'])
    .select('number', 'number_key');
  return rows;
}
