import type { Knex } from 'knex';
import type { z } from 'zod';
import type { Beginning, BeginningChange, BeginningPart } from '../../contract/index.ts';
import { transact, type Database } from '../foundation/database.ts';
import { readFirm, writeFirm } from '../foundation/firm.ts';
import { selectFirst } from '../foundation/rows.ts';

const OVER = 'over';

/** What an office begins with: what of it has been seen to, by what is there or by somebody's word. */
export async function beginning(db: Knex): Promise<Beginning> {
  const [firm, there] = await Promise.all([
    readFirm(db),
    selectFirst(db('setting').where({ name: 'firm' }), {
      stages: db.raw<number>('EXISTS (SELECT 1 FROM stage)'),
      colleagues: db.raw<number>('(SELECT COUNT(*) FROM staff WHERE active = 1)'),
      mailboxes: db.raw<number>('EXISTS (SELECT 1 FROM mailbox WHERE disconnected_at IS NULL)'),
      clients: db.raw<number>('EXISTS (SELECT 1 FROM client)'),
      files: db.raw<number>('EXISTS (SELECT 1 FROM file)'),
    }),
  ]);
  const done: Record<BeginningPart['key'], boolean> = {
    firm: firm.postal.length > 0 && firm.phone !== '',
    hours: firm.holidays.length > 0,
    numbers: firm.numberExamples.length > 0 || Boolean(there?.files),
    stages: Boolean(there?.stages),
    staff: (there?.colleagues ?? 0) > 1,
    mailboxes: Boolean(there?.mailboxes),
    records: Boolean(there?.clients),
  };
  const parts = Object.entries(done) as [BeginningPart['key'], boolean][];
  return {
    parts: parts.map(([key, seen]) => ({ key, done: seen || firm.settled.includes(key) })),
    over: firm.settled.includes(OVER),
  };
}

/** Notes that a part is as it should be, or that the beginning is over. */
export async function settleBeginning(
  db: Database,
  { part }: z.output<typeof BeginningChange>,
): Promise<Beginning> {
  return transact(db, async (trx) => {
    await trx('setting').where({ name: 'firm' }).forUpdate().first('name');
    const firm = await readFirm(trx);
    await writeFirm(trx, { ...firm, settled: [...new Set([...firm.settled, part])] });
    return beginning(trx);
  });
}
