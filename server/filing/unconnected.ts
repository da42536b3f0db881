import type { Knex } from 'knex';
import { UnconnectedKinds } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { transact } from '../foundation/database.ts';

const SETTING = 'set aside unconnected';
/** Nobody waits for an answer in what was there before; who writes now may be a client to come. */
const AT_FIRST: UnconnectedKinds = ['business', 'past'];

/** Which kinds of mail that nothing connects with a client are set aside without asking. */
export async function unconnectedKinds(db: Knex): Promise<UnconnectedKinds> {
  const row = await db('setting').where({ name: SETTING }).first('value');
  return row ? UnconnectedKinds.parse(JSON.parse(row.value)) : AT_FIRST;
}

/** Settles which kinds are; what waits or was set aside already stays where it is. */
export async function setUnconnectedKinds(
  { db }: AppContext,
  staffId: number,
  kinds: UnconnectedKinds,
): Promise<UnconnectedKinds> {
  const sorted = [...new Set(kinds)].sort();
  await transact(db, async (trx) => {
    const before = await unconnectedKinds(trx);
    await trx('setting')
      .insert({ name: SETTING, value: JSON.stringify(sorted) })
      .onConflict('name')
      .merge();
    await noteChange(trx, 'filing');
    await noteAudit(trx, {
      staffId,
      action: 'unconnected mail settled',
      subject: 'firm',
      id: 0,
      before: { kinds: before },
      after: { kinds: sorted },
    });
  });
  return sorted;
}
