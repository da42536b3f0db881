import type { Knex } from 'knex';
import type {
  FileRef,
  PieceChange,
  PieceRow,
  PieceShow,
  PiecesAct,
  PiecesPage,
  PieceView,
  StaffMember,
} from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { fromJson, toJson } from '../foundation/json.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { countOf, likePattern, select, selectFirst } from '../foundation/rows.ts';
import { packRaw, readRaw, storeRaw } from '../foundation/sources.ts';
import { filesByIds } from '../records/files.ts';
import { WITHOUT_OFFICE } from '../reading/office.ts';
import { readRun } from './runs.ts';
import { readFields } from './templates.ts';

/** Whether nothing stands in the way of a piece. */
export const RIGHT = "paper_piece.problems = '[]'";
/** States in which a piece lies on the desk. */
export const ON_DESK = ['made', 'read', 'held'] as const;

/** What each choice of the desk shows. */
const SHOWN: Record<PieceShow, (pieces: Knex.QueryBuilder) => unknown> = {
  all: (pieces) => pieces.whereNot('paper_piece.state', 'dropped'),
  wrong: (pieces) => pieces.whereIn('paper_piece.state', [...ON_DESK]).whereRaw(`NOT (${RIGHT})`),
  unread: (pieces) => pieces.where('paper_piece.state', 'made'),
  read: (pieces) => pieces.where('paper_piece.state', 'read'),
  held: (pieces) => pieces.whereIn('paper_piece.state', ['held', 'dropped']),
  released: (pieces) => pieces.where('paper_piece.state', 'released'),
  returned: (pieces) => pieces.where('dispatch.state', 'returned'),
};

function pieces(db: Knex, runId: number): Knex.QueryBuilder {
  return db('paper_piece')
    .join('client', 'client.id', 'paper_piece.client_id')
    .leftJoin('dispatch', 'dispatch.piece_id', 'paper_piece.id')
    .where('paper_piece.run_id', runId);
}

/** A page of a run's pieces: those with something wrong first, then by client. */
export async function listPieces(
  db: Knex,
  runId: number,
  { show, q, offset, limit }: { show: PieceShow; q?: string | undefined; offset: number; limit: number },
): Promise<PiecesPage> {
  await readRun(db, runId);
  const found = () => {
    const some = pieces(db, runId);
    SHOWN[show](some);
    if (q?.trim()) some.where('client.name', 'like', likePattern(q.trim()));
    return some;
  };
  const ids: number[] = await found()
    .orderByRaw(`(paper_piece.state <> 'released' AND NOT (${RIGHT})) DESC, client.name, paper_piece.id`)
    .offset(offset)
    .limit(limit)
    .pluck('paper_piece.id');
  const [total, rows, usual] = await Promise.all([
    countOf(found()),
    readPieces(db, ids),
    usualPages(db, runId),
  ]);
  const byId = new Map(rows.map((row) => [row.id, row]));
  return {
    total,
    rows: ids.flatMap((id) => {
      const row = byId.get(id);
      return row ? [withPages(row, usual)] : [];
    }),
  };
}

/** How many pages most pieces of a run have. */
async function usualPages(db: Knex, runId: number): Promise<number> {
  const row = await selectFirst(
    db('paper_piece')
      .where({ run_id: runId })
      .whereNotNull('pages')
      .groupBy('pages')
      .orderByRaw('COUNT(*) DESC, pages'),
    { pages: 'paper_piece.pages' },
  );
  return row?.pages ?? 0;
}

/** Says so where a piece is longer than the others: a fact that fills pages is seen at once. */
function withPages(row: PieceRow, usual: number): PieceRow {
  const more = row.pages !== null && usual > 0 && row.pages > usual;
  return more ? { ...row, remarks: [...row.remarks, `It has ${row.pages} pages, most have ${usual}.`] } : row;
}

async function readPieces(db: Knex, ids: readonly number[]): Promise<PieceRow[]> {
  const rows = ids.length ? await readRows(db, ids) : [];
  const files = await filesByIds(
    db,
    rows.map(({ fileId }) => fileId),
  );
  return rows.map((row) => asPiece(row, files.get(row.fileId) ?? null));
}

function readRows(db: Knex, ids: readonly number[]) {
  const pieces = db('paper_piece')
    .join('client', 'client.id', 'paper_piece.client_id')
    .leftJoin('dispatch', 'dispatch.piece_id', 'paper_piece.id')
    .leftJoin('staff', 'staff.id', 'paper_piece.released_by')
    .leftJoin('document', 'document.piece_id', 'paper_piece.id')
    .whereIn('paper_piece.id', [...ids]);
  return select(pieces, {
    id: 'paper_piece.id',
    client: 'client.name',
    clientId: 'paper_piece.client_id',
    fileId: 'paper_piece.file_id',
    state: 'paper_piece.state',
    way: 'paper_piece.way',
    people: 'paper_piece.people',
    pages: 'paper_piece.pages',
    hash: 'paper_piece.raw_hash',
    docxHash: 'paper_piece.docx_hash',
    ownDocx: 'paper_piece.own_docx',
    amount: 'paper_piece.amount',
    problems: 'paper_piece.problems',
    remarks: 'paper_piece.remarks',
    heldWhy: 'paper_piece.held_why',
    ownBody: 'paper_piece.own_body',
    version: 'paper_piece.version',
    releasedAt: 'paper_piece.released_at',
    by: 'staff.name?',
    dispatchId: 'dispatch.id?',
    mailState: 'dispatch.state?',
    answer: 'dispatch.answer?',
    messageId: 'dispatch.logged_message_id?',
    printedAt: 'paper_piece.printed_at',
    packId: 'paper_piece.pack_id',
    documentId: 'document.id?',
  });
}

function asPiece(row: Awaited<ReturnType<typeof readRows>>[number], file: FileRef | null): PieceRow {
  const { id, client, clientId, state, way, pages, heldWhy, version, documentId } = row;
  const { dispatchId, mailState, answer, messageId } = row;
  return {
    ...{ id, client, clientId, file, state, way, pages, heldWhy, version, documentId },
    amount: row.amount === null ? null : Number(row.amount),
    people: fromJson('paper_piece.people', row.people),
    problems: fromJson('paper_piece.problems', row.problems),
    remarks: fromJson('paper_piece.remarks', row.remarks),
    pdf: row.hash !== null && !(row.docxHash?.equals(row.hash) ?? false),
    docx: row.docxHash !== null,
    own: row.ownBody !== null || row.ownDocx !== null,
    gone: row.releasedAt && {
      at: row.releasedAt.toISOString(),
      by: row.by ?? '',
      mail:
        mailState === null || dispatchId === null
          ? null
          : { dispatchId, state: mailState, answer, messageId },
      printedAt: row.printedAt?.toISOString() ?? null,
      packId: row.packId,
    },
  };
}

/** One piece, with its words and its address. @throws Refusal when there is none of that number */
export async function viewPiece(db: Knex, id: number): Promise<PieceView> {
  const [row] = await readPieces(db, [id]);
  const kept = await db('paper_piece').where({ id }).first('run_id', 'own_body', 'postal');
  if (!row || !kept) throw notFound('That piece');
  const run = await readRun(db, kept.run_id);
  return {
    ...withPages(row, await usualPages(db, kept.run_id)),
    body: fromJson('paper_run.body', kept.own_body ?? run.body),
    postal: fromJson('paper_piece.postal', kept.postal),
  };
}

/** The piece itself, as it is to go or went. @throws Refusal while it is not made */
export async function pieceContent(
  db: Knex,
  id: number,
  as: 'pdf' | 'docx' = 'pdf',
): Promise<{ filename: string; content: Buffer }> {
  const row = await selectFirst(
    db('paper_piece').join('paper_run', 'paper_run.id', 'paper_piece.run_id').where('paper_piece.id', id),
    { hash: 'paper_piece.raw_hash', docx: 'paper_piece.docx_hash', name: 'paper_run.name' },
  );
  if (!row) throw notFound('That piece');
  const hash = as === 'docx' ? row.docx : row.hash;
  if (!hash) throw new Refusal(409, 'It is not made yet.');
  return { filename: `${row.name}.${as}`, content: await readRaw(db, hash) };
}

/**
 * Changes one piece's words, way or addresses; it is made anew, and is to be read again.
 * @throws Refusal when somebody else changed it, or it was released
 */
export async function changePiece(
  db: Database,
  staff: StaffMember,
  id: number,
  { version, body, way, people, postal }: PieceChange,
): Promise<void> {
  await transact(db, async (trx) => {
    await heldPiece(trx, id, version);
    await trx('paper_piece')
      .where({ id })
      .update({
        ...(body === undefined ? {} : { own_body: body && toJson('paper_piece.own_body', body) }),
        ...(way ? { way } : {}),
        ...(people ? { people: toJson('paper_piece.people', people) } : {}),
        ...(postal
          ? {
              postal: toJson(
                'paper_piece.postal',
                postal.filter((line) => line.trim()),
              ),
            }
          : {}),
        ...MADE_ANEW,
        version: version + 1,
      });
    await noteAudit(trx, { staffId: staff.id, action: 'changed by hand', subject: 'paper piece', id });
    await noteChange(trx, 'paperwork');
  });
}

const MADE_ANEW = { state: 'waiting', tries: 0, lease_owner: null, lease_until: null } as const;

/**
 * Puts a document that was changed by hand in the place of the one a piece was made as; null: the made one again.
 * @throws Refusal when it is no document, somebody else changed it, or it was released
 */
export async function changeDocx(
  db: Database,
  staff: StaffMember,
  id: number,
  version: number,
  content: Uint8Array | null,
): Promise<void> {
  if (content) await readFields(content);
  const packed = content && (await packRaw(content));
  await transact(db, async (trx) => {
    const row = await heldPiece(trx, id, version);
    if (!row.docx_hash) throw new Refusal(409, 'It is not made of a word-processor template.');
    if (packed) await storeRaw(trx, [packed]);
    await trx('paper_piece')
      .where({ id })
      .update({ own_docx: packed?.hash ?? null, ...MADE_ANEW, version: version + 1 });
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'document changed by hand',
      subject: 'paper piece',
      id,
    });
    await noteChange(trx, 'paperwork');
  });
}

/** A piece that is to be changed. @throws Refusal */
async function heldPiece(trx: Transaction, id: number, version: number) {
  const row = await trx('paper_piece')
    .where({ id })
    .forUpdate()
    .first('state', 'version', 'run_id', 'docx_hash');
  if (!row) throw notFound('That piece');
  if (row.state === 'released') throw new Refusal(409, 'It was released already: it stays as it went.');
  if (row.version !== version)
    throw new Refusal(409, 'Somebody else changed this piece meanwhile. Read it again before you go on.');
  return row;
}

/** Marks some pieces of a run, or says how they go. @returns how many it was done to */
export async function actOnPieces(
  db: Database,
  staff: StaffMember,
  runId: number,
  { ids, act, why }: PiecesAct,
): Promise<number> {
  return transact(db, async (trx) => {
    const some = () => trx('paper_piece').where({ run_id: runId }).whereIn('id', ids);
    const done = await {
      read: () => some().where({ state: 'made' }).update({ state: 'read' }),
      unread: () => some().where({ state: 'read' }).update({ state: 'made' }),
      hold: () => some().whereIn('state', ['made', 'read']).update({ state: 'held', held_why: why }),
      drop: () =>
        some()
          .whereIn('state', [...ON_DESK])
          .update({ state: 'dropped', held_why: why }),
      'take up': () => some().whereIn('state', ['held', 'dropped']).update({ state: 'made', held_why: '' }),
      email: () => turned(trx, some(), 'email'),
      post: () => turned(trx, some(), 'post'),
      both: () => turned(trx, some(), 'both'),
    }[act]();
    if (!done) return 0;
    await noteAudit(trx, {
      staffId: staff.id,
      action: `pieces: ${act}`,
      subject: 'paper run',
      id: runId,
      after: { pieces: done, ...(why ? { why } : {}) },
    });
    await settleRun(trx, runId);
    await noteChange(trx, 'paperwork');
    return done;
  });
}

/** Another way may want another address, and says anew what is wrong. */
function turned(trx: Knex, some: Knex.QueryBuilder, way: 'email' | 'post' | 'both') {
  return some
    .whereIn('state', [...ON_DESK])
    .whereNot({ way })
    .update({ way, ...MADE_ANEW, version: trx.raw('version + 1') });
}

/**
 * Puts a piece that came back, or should go on paper too, among those that wait for the post.
 * @throws Refusal when it was not released by email alone, or there is no postal address
 */
export async function postToo(db: Database, staff: StaffMember, id: number): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('paper_piece')
      .where({ id })
      .forUpdate()
      .first('state', 'way', 'postal', 'raw_hash', 'docx_hash');
    if (!row) throw notFound('That piece');
    if (row.state !== 'released' || row.way !== 'email')
      throw new Refusal(409, 'It is not released, or goes by post already.');
    if (!fromJson('paper_piece.postal', row.postal).length)
      throw new Refusal(400, 'There is no postal address on it. Write it anew, with one.');
    if (row.raw_hash && row.docx_hash?.equals(row.raw_hash))
      throw new Refusal(400, `There is no PDF of it to be printed. ${WITHOUT_OFFICE}`);
    await trx('paper_piece').where({ id }).update({ way: 'both' });
    await noteAudit(trx, { staffId: staff.id, action: 'to be posted too', subject: 'paper piece', id });
    await noteChange(trx, 'paperwork');
  });
}

/** A run is done when each of its pieces has gone or was dropped. */
export async function settleRun(trx: Knex, runId: number): Promise<void> {
  const left = await trx('paper_piece')
    .where({ run_id: runId })
    .whereNotIn('state', ['released', 'dropped'])
    .first('id');
  await trx('paper_run')
    .where({ id: runId })
    .whereIn('state', ['made', 'done'])
    .update({ state: left ? 'made' : 'done' });
}
