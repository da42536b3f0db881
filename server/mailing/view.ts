import type { Knex } from 'knex';
import type { MailingView } from '../../contract/index.ts';
import { asRow, draftOf, readRecord } from './mailings.ts';
import { progressOf } from './progress.ts';
import { viewSeries } from './series.ts';

/** A mailing with its draft, its series and how far it is. @throws Refusal when there is none of that number */
export async function viewMailing(db: Knex, id: number): Promise<MailingView> {
  const row = await readRecord(db, id);
  const [progress, series] = await Promise.all([progressOf(db, [id]), viewSeries(db, row)]);
  return {
    ...asRow(row, progress.get(id), {
      messages: Math.max(1, series.length),
      goesOn: series.some(({ step, state }) => step > row.step && (state === 'going' || state === 'paused')),
    }),
    draft: draftOf(row),
    version: row.version,
    testedAt: row.tested_at?.toISOString() ?? null,
    handed: row.handed_at && row.handed ? { by: row.handed, at: row.handed_at.toISOString() } : null,
    series,
  };
}
