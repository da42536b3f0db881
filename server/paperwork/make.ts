import type { StaffMember } from '../../contract/index.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { errorForLog, inSeconds, transact, type Database, type Transaction } from '../foundation/database.ts';
import { fromJson, jsonOrNull, toJson } from '../foundation/json.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { Rounds } from '../foundation/rounds.ts';
import { groupBy, insertAll } from '../foundation/rows.ts';
import { packRaw, readRaw, storeRaw } from '../foundation/sources.ts';
import type { Printed } from '../../core/paperwork/print.ts';
import { CouldNotBeRead, pool } from '../reading/pool.ts';
import { hasOffice, pdfsOf, WITHOUT_OFFICE } from '../reading/office.ts';
import { judge, layOut } from './layOut.ts';
import { gatherMaterials, type Materials, type Piece } from './materials.ts';
import { reach, type Wanted } from './reach.ts';
import { draftOfRun, noted, readRun, type RunRecord } from './runs.ts';
import { fillIn, readTemplate, unmatchedOf } from './templates.ts';

/** So many pieces are claimed and made at once. */
const BATCH = 24;
/** While the thread makes some, the facts of the next are gathered. */
const LANES = 2;
const LEASE_SECONDS = 120;
/** What ends its process so often is put before a person. */
const MOST_TRIES = 3;
/** Making one may take so much longer than reading a message, in milliseconds: an account may be long. */
const PATIENCE = 20_000;
/** A run has so many pieces at most. */
const MOST_PIECES = 20_000;

/**
 * Lays the pieces of a run on the desk, to be made one after another; their words are those of all from then on.
 * @throws Refusal when it was changed meanwhile, is made already, or would make nothing
 */
export async function makeRun(
  db: Database,
  staff: StaffMember,
  id: number,
  version: number,
): Promise<number> {
  const record = await readRun(db, id);
  const template = await templateFor(db, record);
  const wanted = await reach(db, record, draftOfRun(record));
  if (!wanted.length)
    throw new Refusal(
      400,
      record.kind === 'letter'
        ? 'It is for nobody: choose others.'
        : 'Nothing is open there: there is nothing to send.',
    );
  if (wanted.length > MOST_PIECES)
    throw new Refusal(
      400,
      `That would be ${wanted.length.toLocaleString('en-GB')} pieces; 20,000 go in one run.`,
    );
  return transact(db, async (trx) => {
    const row = await trx('paper_run').where({ id }).forUpdate().first('state', 'version');
    if (!row) throw notFound('That run');
    if (row.state !== 'draft') throw new Refusal(409, 'Its pieces lie on the desk already.');
    if (row.version !== version)
      throw new Refusal(409, 'Somebody else changed it meanwhile. Read it again before you go on.');
    await insertPieces(trx, id, wanted);
    await trx('paper_run')
      .where({ id })
      .update({ state: 'made', made_at: new Date(), ...template });
    await noted(trx, staff.id, 'made', id, { pieces: wanted.length });
    return wanted.length;
  });
}

/** Lays pieces on the desk of a run, to be made. */
export async function insertPieces(
  trx: Transaction,
  runId: number,
  wanted: readonly Wanted[],
): Promise<void> {
  await insertAll(
    trx,
    'paper_piece',
    wanted.map((each) => ({
      run_id: runId,
      about: each.about,
      client_id: each.clientId,
      file_id: each.fileId,
      person_id: each.personId,
      fee_note_id: each.feeNoteId,
      way: each.way === 'none' ? 'post' : each.way,
      people: toJson('paper_piece.people', each.people),
      postal: toJson('paper_piece.postal', each.postal),
      postcode: each.postcode,
      problems: toJson('paper_piece.problems', []),
      remarks: toJson('paper_piece.remarks', []),
    })),
  );
}

/** The template of a run as it is now: its pieces are made of that one. @throws Refusal when fields of it stand for nothing yet */
async function templateFor(db: Database, { template_id }: Pick<RunRecord, 'template_id'>) {
  if (template_id === null) return { template_hash: null, template_matching: null };
  const { hash, matching, fields, title } = await readTemplate(db, template_id);
  const open = unmatchedOf(
    fromJson('docx_template.fields', fields),
    fromJson('docx_template.matching', matching),
  );
  if (open.length)
    throw new Refusal(
      400,
      `Nobody has said yet what stands for ${open.slice(0, 5).join(', ')} in “${title}”. Do so under Templates.`,
    );
  return { template_hash: hash, template_matching: matching };
}

/**
 * Makes pieces that wait: any number of processes side by side, each piece claimed under a lease and made in a thread,
 * so that nobody who looks at a page waits for it. Making one twice gives the same.
 */
export class PaperMaker {
  private readonly lanes: Rounds[];

  constructor(private readonly context: AppContext) {
    this.lanes = Array.from(
      { length: LANES },
      () => new Rounds(context, () => this.round(), ['paperwork'], 'paperwork could not be made'),
    );
  }

  start(): void {
    for (const lane of this.lanes) lane.start();
  }

  async stop(): Promise<void> {
    await Promise.all(this.lanes.map((lane) => lane.stop()));
  }

  /** Makes all that wait. */
  async makeAll(): Promise<void> {
    await Promise.all(
      this.lanes.map(async () => {
        while (await this.round());
      }),
    );
  }

  /** Makes some. @returns whether there were any */
  async round(): Promise<boolean> {
    const pieces = await this.claim();
    if (!pieces.length) return false;
    for (const [runId, own] of groupBy(pieces, (piece) => piece.run_id)) {
      const materials = await gatherMaterials(this.context.db, runId, own);
      const merged = materials[0]?.record.template_hash ? await this.merge(own, materials) : [];
      await Promise.all(
        own.map(async (piece, at) => {
          const each = materials[at] as Materials;
          await this.keep(piece, each, merged[at] ?? (await this.print(piece, each)));
        }),
      );
    }
    return true;
  }

  private async claim(): Promise<Piece[]> {
    const { db, process } = this.context;
    return transact(db, async (trx) => {
      const rows = await trx('paper_piece')
        .where({ state: 'waiting' })
        .where((free) => free.whereNull('lease_until').orWhereRaw('lease_until < UTC_TIMESTAMP(3)'))
        .orderBy('id')
        .limit(BATCH)
        .forUpdate()
        .skipLocked();
      const given = rows.filter(({ tries }) => tries >= MOST_TRIES).map(({ id }) => id);
      if (given.length)
        await trx('paper_piece')
          .whereIn('id', given)
          .update({ state: 'made', problems: toJson('paper_piece.problems', [FAILED]), lease_until: null });
      const claimed = rows.filter(({ tries }) => tries < MOST_TRIES);
      await trx('paper_piece')
        .whereIn(
          'id',
          claimed.map(({ id }) => id),
        )
        .update({
          tries: trx.raw('tries + 1'),
          lease_owner: process,
          lease_until: inSeconds(trx, LEASE_SECONDS),
        });
      return claimed;
    });
  }

  /** What a piece becomes in its own words, on the firm's paper. */
  private async print(piece: Piece, materials: Materials): Promise<Made> {
    const { printed, ...judged } = layOut(piece, materials);
    const made = await print(printed).catch((error: unknown) => {
      if (!(error instanceof CouldNotBeRead)) throw error;
      this.context.log.warn({ error: errorForLog(error), piece: piece.id }, 'a piece could not be made');
      return null;
    });
    if (!made) judged.problems.push(FAILED);
    if (made?.boxes) judged.remarks.push(BOXES);
    return { ...judged, pdf: made?.pdf ?? null, docx: null, pages: made?.pages ?? null };
  }

  /** What pieces become by a word-processor template, and as they were changed by hand. */
  private async merge(pieces: readonly Piece[], materials: readonly Materials[]): Promise<Made[]> {
    const { db, log } = this.context;
    const [first] = materials;
    const hash = first?.record.template_hash;
    if (!first || !hash) return [];
    const matching = jsonOrNull('paper_run.template_matching', first.record.template_matching) ?? {};
    const filled = await fillIn(
      await readRaw(db, hash),
      materials.map(({ known }) => known),
      matching,
    ).catch((error: unknown) => {
      if (!(error instanceof CouldNotBeRead) && !(error instanceof Refusal)) throw error;
      log.warn({ error: errorForLog(error), run: first.record.id }, 'a template could not be filled in');
      return [];
    });
    const documents = await Promise.all(
      pieces.map((piece, at) => (piece.own_docx ? readRaw(db, piece.own_docx) : (filled[at]?.docx ?? null))),
    );
    const there = documents.flatMap((each) => each ?? []);
    const printed = hasOffice() && there.length ? await pdfsOf(there) : [];
    const pages = await Promise.all(printed.map((pdf) => pdf && pagesOf(pdf)));
    return pieces.map((piece, at) => {
      const docx = documents[at] ?? null;
      const place = docx ? there.indexOf(docx) : -1;
      const pdf = pages[place] ? (printed[place] ?? null) : null;
      const own = piece.own_docx !== null;
      const judged = judge(piece, materials[at] as Materials, own ? [] : (filled[at]?.missing ?? []), own);
      if (!docx) judged.problems.push('The template could not be filled in. Look at it under Templates.');
      else if (!pdf && (hasOffice() || piece.way !== 'email'))
        judged.problems.push(hasOffice() ? 'LibreOffice could not print it.' : WITHOUT_OFFICE);
      return { ...judged, docx: docx && Buffer.from(docx), pdf, pages: pdf && (pages[place] ?? null) };
    });
  }

  private async keep(piece: Piece, materials: Materials, made: Made): Promise<void> {
    const { db, process } = this.context;
    // Whoever wants nothing of this kind gets it only when a person takes it up.
    const { wanted } = materials;
    const unwanted = wanted?.way === 'none' && piece.raw_hash === null;
    const docx = made.docx && (await packRaw(made.docx));
    const packed = made.pdf ? await packRaw(made.pdf) : docx;
    await transact(db, async (trx) => {
      await storeRaw(
        trx,
        [packed, docx].flatMap((each) => each ?? []),
      );
      // Whoever took it over meanwhile makes the same.
      const kept = await trx('paper_piece')
        .where({ id: piece.id, state: 'waiting', lease_owner: process, version: piece.version })
        .update({
          ...(unwanted ? { state: 'held' as const, held_why: UNWANTED } : { state: 'made' as const }),
          raw_hash: packed?.hash ?? null,
          docx_hash: docx?.hash ?? null,
          pages: made.pages,
          facts: toJson('paper_piece.facts', materials.known),
          problems: toJson('paper_piece.problems', made.problems),
          remarks: toJson('paper_piece.remarks', made.remarks),
          amount: made.amount,
          steps: wanted?.steps.length ? toJson('paper_piece.steps', wanted.steps) : null,
          tries: 0,
          lease_owner: null,
          lease_until: null,
        });
      if (kept) await noteChange(trx, 'paperwork');
    });
  }
}

/** What a piece has become, and how it is judged. */
interface Made extends ReturnType<typeof judge> {
  pdf: Buffer | null;
  /** The document it was printed from, where there is one. */
  docx: Buffer | null;
  pages: number | null;
}

const FAILED = 'It could not be made. Look at its words: a picture in it may be damaged.';

const UNWANTED = 'They want nothing of this kind.';
const BOXES = 'It has letters that its fonts cannot draw: they stand as empty boxes.';

/** How many pages a PDF of somebody else's has; null when it cannot be read. */
function pagesOf(pdf: Buffer): Promise<number | null> {
  return pool.run('pages', [pdf], { urgent: false }).catch((error: unknown) => {
    if (error instanceof CouldNotBeRead) return null;
    throw error;
  });
}

async function print(printed: Printed) {
  const { pdf, pages, boxes } = await pool.run('letter', [printed], { urgent: false, time: PATIENCE });
  return { pdf: Buffer.from(pdf.buffer, pdf.byteOffset, pdf.byteLength), pages, boxes };
}
