import type { Ask } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { transact, type Database } from '../foundation/database.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { insertAll } from '../foundation/rows.ts';
import { fileOfClient, pageOf, tellOf } from './pages.ts';

/** So many things may be asked for on one page at once. */
const MOST_OPEN = 60;

/** Asks somebody for things on their page, for a file. @throws Refusal when it is another client's, or too much */
export async function askFor(
  db: Database,
  staffId: number,
  clientId: number,
  { personId, fileId, names, note, byDay }: Ask,
): Promise<void> {
  await transact(db, async (trx) => {
    await fileOfClient(trx, clientId, fileId);
    const page = await pageOf(trx, { clientId, personId });
    if (page.withdrawn_at)
      throw new Refusal(409, 'Their page is withdrawn. Open it again first.', 'personId');
    const open: string[] = await trx('collection_wanted')
      .where({ page_id: page.id, file_id: fileId })
      .whereNull('came_at')
      .whereNull('closed_at')
      .pluck('name');
    const known = new Set(open.map((name) => name.toLowerCase()));
    const fresh = [...new Map(names.map((name) => [name.toLowerCase(), name])).entries()].filter(
      ([key]) => !known.has(key),
    );
    if (!fresh.length) throw new Refusal(409, 'All of that is asked for already.', 'names');
    if (open.length + fresh.length > MOST_OPEN)
      throw new Refusal(409, `No more than ${MOST_OPEN} things can be asked for at once.`, 'names');
    // What is asked for together is reminded of together.
    const now = new Date();
    await insertAll(
      trx,
      'collection_wanted',
      fresh.map(([, name]) => ({
        ...{ page_id: page.id, file_id: fileId, name, note, by_day: byDay },
        ...{ asked_at: now, asked_by: staffId },
      })),
    );
    const after = { personId, fileId, names: fresh.map(([, name]) => name) };
    await noteAudit(trx, {
      staffId,
      action: 'asked for on their page',
      subject: 'client',
      id: clientId,
      after,
    });
    await tellOf(trx, clientId);
  });
}

/** Ticks something off that came otherwise, wants it no more, or wants it after all. */
export async function settleWanted(
  db: Database,
  staffId: number,
  id: number,
  to: 'wanted' | 'came' | 'wanted no more',
): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('collection_wanted').where({ id }).forUpdate().first('page_id', 'name');
    const page = row && (await trx('collection_page').where({ id: row.page_id }).first('client_id'));
    if (!row || !page) throw notFound('What was asked for');
    const now = new Date();
    await trx('collection_wanted')
      .where({ id })
      .update({
        came_at: to === 'came' ? now : null,
        closed_at: to === 'wanted no more' ? now : null,
      });
    const audited = { staffId, action: `asked for: ${to}`, subject: 'client', id: page.client_id };
    await noteAudit(trx, { ...audited, after: { name: row.name } });
    await tellOf(trx, page.client_id);
  });
}
