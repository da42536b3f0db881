import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { PackRow, PacksPage, PackView, StaffMember } from '../../contract/index.ts';
import { inEnvelopeOrder, pagesWith, type PackCover, type PackPart } from '../../core/paperwork/pack.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { errorForLog, inSeconds, transact, type Database, type Transaction } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { Rounds } from '../foundation/rounds.ts';
import { countOf, select } from '../foundation/rows.ts';
import { packRaw, readRaw, storeRaw } from '../foundation/sources.ts';
import { CouldNotBeRead, pool } from '../reading/pool.ts';
import { printedWith } from './enclosures.ts';

/** Pieces that go by post and are in no pack yet. */
function toPrint(db: Knex): Knex.QueryBuilder {
  return db('paper_piece')
    .where('paper_piece.state', 'released')
    .whereIn('paper_piece.way', ['post', 'both'])
    .whereNull('paper_piece.printed_at')
    .whereNull('paper_piece.pack_id');
}

/** One pack holds so many pieces at most: a printer has to take it at once. */
const MOST_PIECES = 2000;

/**
 * Puts all that waits for the post into one pack, in envelope order; it is made by and by.
 * @returns its number @throws Refusal when nothing waits
 */
export async function beginPack(db: Database, staff: StaffMember, duplex: boolean): Promise<number> {
  return transact(db, async (trx) => {
    const rows = await select(
      toPrint(trx)
        .join('client', 'client.id', 'paper_piece.client_id')
        .orderBy('paper_piece.id')
        .limit(MOST_PIECES)
        .forUpdate(),
      {
        id: 'paper_piece.id',
        runId: 'paper_piece.run_id',
        pages: 'paper_piece.pages',
        postcode: 'paper_piece.postcode',
        client: 'client.name',
      },
    );
    if (!rows.length) throw new Refusal(409, 'Nothing waits to be printed.');
    const [id = 0] = await trx('print_pack').insert({ made_at: new Date(), made_by: staff.id, duplex });
    const runIds = rows.map(({ runId }) => runId);
    const enclosed = await printedWith(trx, runIds);
    const ordered = inEnvelopeOrder(
      rows.map((row) => ({ ...row, pages: withEnclosed(row.pages ?? 1, enclosed.get(row.runId), duplex) })),
      duplex,
    );
    await trx.raw(
      `UPDATE paper_piece SET pack_id = ?, pack_place = CASE id ${ordered.map(() => 'WHEN ? THEN ?').join(' ')} END
        WHERE id IN (${ordered.map(() => '?').join(', ')})`,
      [id, ...ordered.flatMap((row, at) => [row.id, at + 1]), ...ordered.map((row) => row.id)],
    );
    await noted(trx, staff.id, 'print pack begun', id, { pieces: rows.length, duplex });
    return id;
  });
}

const withEnclosed = (pages: number, enclosed: readonly { pages: number }[] = [], duplex: boolean) =>
  pagesWith(
    pages,
    enclosed.map((each) => each.pages),
    duplex,
  );

async function noted(
  trx: Transaction,
  staffId: number,
  action: string,
  id: number,
  after?: object,
): Promise<void> {
  await noteAudit(trx, { staffId, action, subject: 'print pack', id, after });
  await noteChange(trx, 'paperwork');
}

function readPacks(db: Knex, narrow: (packs: Knex.QueryBuilder) => Knex.QueryBuilder): Promise<PackRow[]> {
  const count = (what: string) =>
    db.raw<number>(`(SELECT COUNT(*) FROM paper_piece WHERE paper_piece.pack_id = print_pack.id${what})`);
  return select(narrow(db('print_pack').join('staff', 'staff.id', 'print_pack.made_by')), {
    id: 'print_pack.id',
    at: 'print_pack.made_at',
    by: 'staff.name',
    state: 'print_pack.state',
    duplex: 'print_pack.duplex',
    pages: 'print_pack.pages',
    pieces: count(''),
    posted: count(' AND paper_piece.printed_at IS NOT NULL'),
  }).then((rows) =>
    rows.map(({ at, duplex, ...row }) => ({ ...row, madeAt: at.toISOString(), duplex: Boolean(duplex) })),
  );
}

/** Print packs, the newest first. */
export async function listPacks(
  db: Knex,
  { offset, limit }: { offset: number; limit: number },
): Promise<PacksPage> {
  const [rows, total, waiting] = await Promise.all([
    readPacks(db, (packs) => packs.orderBy('print_pack.id', 'desc').offset(offset).limit(limit)),
    countOf(db('print_pack')),
    countOf(toPrint(db)),
  ]);
  return { total, waiting, rows };
}

/** A pack with its pieces in envelope order. */
export async function viewPack(db: Knex, id: number): Promise<PackView> {
  const [row] = await readPacks(db, (packs) => packs.where('print_pack.id', id));
  if (!row) throw notFound('That print pack');
  return { ...row, list: await piecesOf(db, id, row.duplex) };
}

async function piecesOf(db: Knex, id: number, duplex: boolean): Promise<PackView['list']> {
  const rows = await select(
    db('paper_piece')
      .join('client', 'client.id', 'paper_piece.client_id')
      .join('paper_run', 'paper_run.id', 'paper_piece.run_id')
      .where('paper_piece.pack_id', id)
      .orderBy('paper_piece.pack_place'),
    {
      id: 'paper_piece.id',
      place: 'paper_piece.pack_place',
      client: 'client.name',
      clientId: 'paper_piece.client_id',
      run: 'paper_run.name',
      runId: 'paper_run.id',
      postcode: 'paper_piece.postcode',
      pages: 'paper_piece.pages',
      printedAt: 'paper_piece.printed_at',
    },
  );
  const enclosed = await printedWith(
    db,
    rows.map(({ runId }) => runId),
  );
  return rows.map(({ place, pages, printedAt, ...row }) => ({
    ...row,
    place: place ?? 0,
    pages: withEnclosed(pages ?? 0, enclosed.get(row.runId), duplex),
    printedAt: printedAt?.toISOString() ?? null,
  }));
}

/** The pack itself. @throws Refusal while it is not made */
export async function packContent(db: Knex, id: number): Promise<Buffer> {
  const row = await db('print_pack').where({ id }).first('raw_hash');
  if (!row) throw notFound('That print pack');
  if (!row.raw_hash) throw new Refusal(409, 'It is still being made.');
  return readRaw(db, row.raw_hash);
}

/**
 * Says which pieces of a pack were printed and posted; or, spoiled, are to be printed again: they wait for the next.
 * @returns how many it was done to
 */
export async function tickPack(
  db: Database,
  staff: StaffMember,
  id: number,
  ids: readonly number[],
  posted: boolean,
): Promise<number> {
  return transact(db, async (trx) => {
    const some = () =>
      trx('paper_piece')
        .where({ pack_id: id })
        .whereIn('id', [...ids]);
    const done = await (posted
      ? some().whereNull('printed_at').update({ printed_at: new Date(), printed_by: staff.id })
      : some().update({ printed_at: null, printed_by: null, pack_id: null, pack_place: null }));
    if (done)
      await noted(trx, staff.id, posted ? 'printed and posted' : 'to be printed again', id, { pieces: done });
    await noteChange(trx, 'timeline');
    return done;
  });
}

const LEASE_SECONDS = 300;
const MOST_TRIES = 3;
/** Putting a pack together may take so long, in milliseconds. */
const PATIENCE = 240_000;

/** Makes print packs that wait, each claimed under a lease and put together in a thread. */
export class PackMaker {
  private readonly rounds: Rounds;

  constructor(private readonly context: AppContext) {
    this.rounds = new Rounds(context, () => this.round(), ['paperwork'], 'a print pack could not be made');
  }

  start(): void {
    this.rounds.start();
  }

  async stop(): Promise<void> {
    await this.rounds.stop();
  }

  /** Makes one. @returns whether there was any */
  async round(): Promise<boolean> {
    const pack = await this.claim();
    if (!pack) return false;
    const { db, process } = this.context;
    const made = await this.make(pack.id, Boolean(pack.duplex)).catch((error: unknown) => {
      if (!(error instanceof CouldNotBeRead)) throw error;
      this.context.log.warn({ error: errorForLog(error), pack: pack.id }, 'a print pack could not be made');
      return null;
    });
    const packed = made ? await packRaw(made.pdf) : null;
    await transact(db, async (trx) => {
      if (packed) await storeRaw(trx, [packed]);
      await trx('print_pack')
        .where({ id: pack.id, state: 'waiting', lease_owner: process })
        .update({
          state: packed ? 'made' : 'failed',
          raw_hash: packed?.hash ?? null,
          pages: made?.pages ?? null,
          lease_owner: null,
          lease_until: null,
        });
      await noteChange(trx, 'paperwork');
    });
    return true;
  }

  private async claim() {
    const { db, process } = this.context;
    return transact(db, async (trx) => {
      const row = await trx('print_pack')
        .where({ state: 'waiting' })
        .where((free) => free.whereNull('lease_until').orWhereRaw('lease_until < UTC_TIMESTAMP(3)'))
        .orderBy('id')
        .forUpdate()
        .skipLocked()
        .first();
      if (!row) return null;
      const own = trx('print_pack').where({ id: row.id });
      if (row.tries >= MOST_TRIES) {
        await own.update({ state: 'failed', lease_until: null });
        return null;
      }
      await own.update({
        tries: row.tries + 1,
        lease_owner: process,
        lease_until: inSeconds(trx, LEASE_SECONDS),
      });
      return row;
    });
  }

  private async make(id: number, duplex: boolean): Promise<{ pdf: Uint8Array; pages: number }> {
    const { db } = this.context;
    const [pack, firm] = await Promise.all([viewPack(db, id), readFirm(db)]);
    const hashes = await select(db('paper_piece').where({ pack_id: id }), {
      id: 'paper_piece.id',
      hash: 'paper_piece.raw_hash',
    });
    const hashOf = new Map(hashes.map((row) => [row.id, row.hash]));
    const enclosed = await printedWith(
      db,
      pack.list.map(({ runId }) => runId),
    );
    // What goes with many is read, and drawn, once.
    const others = [
      ...new Map([...enclosed.values()].flat().map((each) => [each.hash.toString('hex'), each.hash])),
    ];
    const parts: PackPart[] = [];
    for (const piece of pack.list) {
      const hash = hashOf.get(piece.id);
      const own = (enclosed.get(piece.runId) ?? []).map((each) => each.hash.toString('hex'));
      if (hash)
        parts.push({
          pdf: await readRaw(db, hash),
          others: own.map((each) => others.findIndex(([key]) => key === each)),
        });
    }
    const contents = await Promise.all(others.map(([, hash]) => readRaw(db, hash)));
    const day = DateTime.fromISO(pack.madeAt, { zone: firm.zone })
      .setLocale('en-GB')
      .toFormat('d LLLL yyyy, HH:mm');
    const cover: PackCover = {
      heading: `Print pack ${id}`,
      made: `Made on ${day} by ${pack.by}`,
      lines: pack.list.map(({ place, client, run, postcode, pages }) => ({
        ...{ place, client, postcode, pages },
        what: run,
      })),
    };
    return pool.run('pack', [parts, contents, cover, duplex], { urgent: false, time: PATIENCE });
  }
}
