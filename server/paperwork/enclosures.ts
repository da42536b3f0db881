import type { Knex } from 'knex';
import type { MailingEnclosure, StaffMember } from '../../contract/index.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { groupBy, insertAll, select } from '../foundation/rows.ts';
import { readRaw } from '../foundation/sources.ts';
import { CouldNotBeRead, pool } from '../reading/pool.ts';
import { keptEnclosures } from '../writing/keptEnclosures.ts';

/** What goes with every message of a run beside its piece: files of the cupboard, as they were when they were put in. */
export async function listRunEnclosures(db: Knex, runId: number): Promise<MailingEnclosure[]> {
  const rows = await select(
    db('paper_run_enclosure')
      .join('raw', 'raw.hash', 'paper_run_enclosure.hash')
      .leftJoin('wording', 'wording.id', 'paper_run_enclosure.wording_id')
      .where('paper_run_enclosure.run_id', runId)
      .orderBy('paper_run_enclosure.id'),
    {
      id: 'paper_run_enclosure.id',
      filename: 'paper_run_enclosure.filename',
      size: 'raw.size',
      hash: 'paper_run_enclosure.hash',
      now: 'wording.hash?',
    },
  );
  return rows.map(({ hash, now, ...row }) => ({ ...row, newer: now !== null && !now.equals(hash) }));
}

/** Puts files of the cupboard in. @throws Refusal when its pieces are made, or one is not there for this person */
export async function encloseWithRun(
  db: Database,
  staff: StaffMember,
  runId: number,
  wordingIds: readonly number[],
): Promise<void> {
  const kept = await keptEnclosures(db, staff, wordingIds);
  const pages = await Promise.all(kept.map((each) => pagesOf(db, each)));
  await transact(db, async (trx) => {
    await heldWords(trx, runId);
    await insertAll(
      trx,
      'paper_run_enclosure',
      kept.map(({ id, filename, mimeType, hash }, at) => ({
        ...{ run_id: runId, wording_id: id, filename, mime_type: mimeType, hash },
        pages: pages[at] ?? null,
      })),
      { ignore: true },
    );
    await noteChange(trx, 'paperwork');
  });
}

/** How many pages a PDF has, which is printed with what is posted; null of anything else, and of what cannot be read. */
async function pagesOf(
  db: Knex,
  { mimeType, hash }: { mimeType: string; hash: Buffer },
): Promise<number | null> {
  if (mimeType !== 'application/pdf') return null;
  return pool.run('pages', [await readRaw(db, hash)]).catch((error: unknown) => {
    if (error instanceof CouldNotBeRead) return null;
    throw error;
  });
}

/** What is printed with the pieces of runs, by run: PDFs, in their order. */
export async function printedWith(
  db: Knex,
  runIds: readonly number[],
): Promise<Map<number, { hash: Buffer; pages: number }[]>> {
  const rows = await db('paper_run_enclosure')
    .whereIn('run_id', [...new Set(runIds)])
    .whereNotNull('pages')
    .orderBy('id')
    .select('run_id', 'hash', 'pages');
  return groupBy(
    rows.map(({ pages, ...row }) => ({ ...row, pages: pages ?? 0 })),
    ({ run_id }) => run_id,
  );
}

/** Takes one off. @throws Refusal when its pieces are made, or there is none */
export async function takeOffRun(db: Database, runId: number, id: number): Promise<void> {
  await transact(db, async (trx) => {
    await heldWords(trx, runId);
    if (!(await trx('paper_run_enclosure').where({ id, run_id: runId }).delete()))
      throw notFound('That enclosure');
    await noteChange(trx, 'paperwork');
  });
}

async function heldWords(trx: Transaction, id: number): Promise<void> {
  const row = await trx('paper_run').where({ id }).forUpdate().first('state');
  if (!row) throw notFound('That run');
  if (row.state !== 'draft')
    throw new Refusal(409, 'Its pieces are made. Take it back to its words to change what goes with all.');
}

/** What goes with the messages of runs, by run. */
export async function enclosedWith(
  db: Knex,
  runIds: readonly number[],
): Promise<Map<number, { filename: string; contentType: string; content: Buffer }[]>> {
  const rows = await db('paper_run_enclosure')
    .whereIn('run_id', [...runIds])
    .orderBy('id');
  const read = await Promise.all(
    rows.map(async ({ run_id, filename, mime_type, hash }) => ({
      runId: run_id,
      part: { filename, contentType: mime_type, content: await readRaw(db, hash) },
    })),
  );
  return new Map(
    [...groupBy(read, ({ runId }) => runId)].map(([id, own]) => [id, own.map(({ part }) => part)]),
  );
}
