import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import type { Released, RunRelease, StaffMember } from '../../contract/index.ts';
import type { z } from 'zod';
import { domainOf } from '../../core/address/address.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { fromJson, jsonOrNull } from '../foundation/json.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { insertAll, select } from '../foundation/rows.ts';
import { noteChange } from '../foundation/changes.ts';
import { contents } from '../documents/came.ts';
import { PAPERWORK } from './outgoing.ts';
import { withoutOvertaken } from './overtaken.ts';
import { RIGHT, settleRun } from './pieces.ts';
import { noted, readRun, type RunRecord } from './runs.ts';

const FILENAMES: Record<RunRecord['kind'], string> = {
  letter: 'Letter',
  'fee note': 'Fee note',
  statement: 'Statement',
  reminder: 'Reminder',
};

/** What a piece is called as a document. */
function filenameOf(
  kind: RunRecord['kind'],
  day: string,
  number: string | null,
  end: 'pdf' | 'docx',
): string {
  return `${FILENAMES[kind]} ${number ?? day}.${end}`;
}

const DOCX = 'application/vnd.openxmlformats-officedocument.wordprocessingml.document';

/** As what a piece goes: as the document it was printed from where the run says so and nothing is posted, or there is no PDF. */
function goesAs({ carries }: RunRecord, { way, hash, docxHash }: Pick<Ready, 'way' | 'hash' | 'docxHash'>) {
  const docx =
    docxHash !== null && ((carries === 'docx' && way === 'email') || docxHash.equals(hash ?? docxHash));
  return { hash: docx ? docxHash : hash, docx };
}

/**
 * Lets pieces go: those that were read, or all in whose way nothing stands. Each is laid on its client's file as the
 * very bytes it is; what goes by email is handed to dispatch, what goes by post waits to be printed. All or nothing;
 * nothing is released twice.
 * @throws Refusal when others would go than whoever releases them expects, or nobody can send them
 */
export async function releasePieces(
  db: Database,
  staff: StaffMember,
  runId: number,
  { what, expected }: RunRelease,
): Promise<z.output<typeof Released>> {
  return transact(db, async (trx) => {
    const held = await trx('paper_run').where({ id: runId }).forUpdate().first('state');
    if (!held) throw notFound('That run');
    const run = await readRun(trx, runId);
    const all = await readReady(trx, runId, what);
    if (all.length !== expected)
      throw new Refusal(
        409,
        `${all.length === 1 ? 'One piece is' : `${all.length} pieces are`} ready to go now, not ${expected}. Look at the list again.`,
      );
    const rows = await withoutOvertaken(trx, run, all);
    const now = new Date();
    await layOnFiles(trx, staff, run, rows, now);
    await noteSteps(trx, run, rows);
    const byEmail = rows.filter(({ way }) => way !== 'post');
    await insertAll(trx, 'dispatch', await copies(trx, run, byEmail, now));
    const ids = rows.map(({ id }) => id);
    await trx('paper_piece')
      .whereIn('id', ids)
      .update({ state: 'released', released_at: now, released_by: staff.id });
    await settleRun(trx, runId);
    const released = {
      released: rows.length,
      byEmail: byEmail.length,
      byPost: rows.filter(({ way }) => way !== 'email').length,
      overtaken: all.length - rows.length,
    };
    await noted(trx, staff.id, 'released', runId, released);
    await noteChange(trx, 'mailings');
    return released;
  });
}

type Ready = Awaited<ReturnType<typeof readReady>>[number];

/** The pieces of a run in whose way nothing stands, held with their fee notes until the end. */
function readReady(trx: Transaction, runId: number, what: RunRelease['what']) {
  const ready = trx('paper_piece')
    .leftJoin('fee_note', 'fee_note.id', 'paper_piece.fee_note_id')
    .join('client', 'client.id', 'paper_piece.client_id')
    .where('paper_piece.run_id', runId)
    .whereIn('paper_piece.state', what === 'read' ? ['read'] : ['made', 'read'])
    .whereRaw(RIGHT)
    .whereNotNull('paper_piece.raw_hash')
    .orderBy('paper_piece.id')
    .forUpdate();
  return select(ready, {
    id: 'paper_piece.id',
    clientId: 'paper_piece.client_id',
    fileId: 'paper_piece.file_id',
    personId: 'paper_piece.person_id',
    way: 'paper_piece.way',
    people: 'paper_piece.people',
    hash: 'paper_piece.raw_hash',
    docxHash: 'paper_piece.docx_hash',
    facts: 'paper_piece.facts',
    number: 'fee_note.number?',
    adviserId: 'client.adviser_id',
    feeNoteId: 'paper_piece.fee_note_id',
    amount: 'paper_piece.amount',
    steps: 'paper_piece.steps',
  });
}

/** Lays each piece on its client's file, as the very bytes it is. */
async function layOnFiles(
  trx: Transaction,
  staff: StaffMember,
  run: RunRecord,
  rows: readonly Ready[],
  now: Date,
): Promise<void> {
  const gone = new Map(rows.map((row) => [row.id, goesAs(run, row)]));
  const kept = [...gone.values()].flatMap(({ hash }) => (hash ? [{ hash }] : []));
  const hashes = kept.map(({ hash }) => hash);
  const sizes = new Map(
    (await trx('raw').whereIn('hash', hashes).select('hash', 'size')).map(({ hash, size }) => [
      hash.toString('hex'),
      size,
    ]),
  );
  const documents = rows.map(({ id, clientId, fileId, number }) => {
    const { hash = null, docx = false } = gone.get(id) ?? {};
    return {
      ...{ hash, raw_hash: hash },
      filename: filenameOf(run.kind, run.day, number, docx ? 'docx' : 'pdf'),
      mime_type: docx ? DOCX : 'application/pdf',
      ...{ size: sizes.get(hash?.toString('hex') ?? '') ?? 0, at: now },
      ...{ client_id: clientId, file_id: fileId, staff_id: staff.id, piece_id: id },
    };
  });
  await insertAll(trx, 'document', documents);
  await insertAll(trx, 'document_reading', contents(kept), { ignore: true });
  const clientIds = rows.map(({ clientId }) => clientId);
  await noteChange(trx, 'documents', 'client', clientIds);
}

/** Each reminder of each fee note goes once: their key says so. */
async function noteSteps(trx: Transaction, { day }: RunRecord, rows: readonly Ready[]): Promise<void> {
  await insertAll(
    trx,
    'reminder_step',
    rows.flatMap(({ id, steps }) =>
      (jsonOrNull('paper_piece.steps', steps) ?? []).map(({ feeNoteId, step }) => ({
        ...{ fee_note_id: feeNoteId, step, piece_id: id, day },
      })),
    ),
  );
}

/** The messages that carry pieces, each with its Message-ID fixed. */
async function copies(trx: Transaction, run: RunRecord, rows: readonly Ready[], now: Date) {
  if (!rows.length) return [];
  const senders = await sendersOf(trx, run.sender_id);
  return rows.map((row) => {
    const sender = senders(row.adviserId);
    if (!sender)
      throw new Refusal(
        400,
        'There is no verified mailbox to send some of them from. Say which one all come from.',
        'senderId',
      );
    const [first] = fromJson('paper_piece.people', row.people);
    return {
      kind: PAPERWORK,
      piece_id: row.id,
      client_id: row.clientId,
      person_id: row.personId,
      mailbox_id: sender.id,
      file_id: row.fileId,
      to_name: first?.name ?? '',
      to_address: first?.email ?? '',
      message_id: `${randomUUID()}@${domainOf(sender.address) || 'localhost'}`,
      facts: row.facts ?? '{"words":{}}',
      next_at: now,
    };
  });
}

/** From whom a client's pieces come: the one mailbox said, else their adviser's, else the office's. */
async function sendersOf(db: Knex, senderId: number | null) {
  const boxes = await db('mailbox')
    .whereNull('disconnected_at')
    .whereNotNull('verified_at')
    .orderBy('id')
    .select('id', 'address', 'staff_id', 'shared');
  const one = senderId === null ? undefined : boxes.find(({ id }) => id === senderId);
  const office = boxes.find(({ shared }) => shared);
  return (adviserId: number | null) =>
    senderId === null
      ? (boxes.find(({ staff_id, shared }) => !shared && staff_id === adviserId) ?? office)
      : one;
}
