import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { jsonOrNull } from '../foundation/json.ts';
import { select } from '../foundation/rows.ts';
import { settleRun } from './pieces.ts';
import { overdueNotes, todayIn } from './reminders.ts';

/**
 * Takes back released reminders that have not left yet though something they ask for was paid, answered or switched
 * off since: they are dropped, and what is left of them is reminded of anew when its day comes.
 */
export async function stopReminders(db: Database): Promise<void> {
  const waits = await select(
    db('dispatch')
      .join('paper_piece', 'paper_piece.id', 'dispatch.piece_id')
      .whereIn('dispatch.state', ['waiting', 'delayed'])
      .whereNotNull('paper_piece.steps'),
    STOPPABLE,
  );
  const toPrint = await select(
    db('paper_piece')
      .where('paper_piece.state', 'released')
      .whereIn('paper_piece.way', ['post', 'both'])
      .whereNull('paper_piece.printed_at')
      .whereNull('paper_piece.pack_id')
      .whereNotNull('paper_piece.steps'),
    STOPPABLE,
  );
  const rows = [...new Map([...waits, ...toPrint].map((row) => [row.id, row])).values()];
  if (!rows.length) return;
  const firm = await readFirm(db);
  const noteIds = rows.flatMap(({ steps }) =>
    (jsonOrNull('paper_piece.steps', steps) ?? []).map(({ feeNoteId }) => feeNoteId),
  );
  const notes = await overdueNotes(db, firm, todayIn(firm), (some) => some.whereIn('fee_note.id', noteIds));
  const standing = new Set(
    notes.flatMap(({ id, state }) => (state.what === 'off' || state.what === 'answered' ? [] : [id])),
  );
  for (const { id, runId, steps } of rows) {
    const own = jsonOrNull('paper_piece.steps', steps) ?? [];
    if (own.every(({ feeNoteId }) => standing.has(feeNoteId))) continue;
    await transact(db, (trx) => stopOne(trx, id, runId));
  }
}

const STOPPABLE = { id: 'paper_piece.id', runId: 'paper_piece.run_id', steps: 'paper_piece.steps' } as const;

/** Of what has left by email already only the post is stopped. */
async function stopOne(trx: Transaction, id: number, runId: number): Promise<void> {
  const piece = await trx('paper_piece')
    .where({ id, state: 'released' })
    .forUpdate()
    .first('way', 'printed_at', 'pack_id');
  if (!piece) return;
  const mail = await trx('dispatch').where({ piece_id: id }).forUpdate().first('id', 'state');
  const left = mail && mail.state !== 'waiting' && mail.state !== 'delayed';
  if (left || piece.printed_at || piece.pack_id) {
    if (left && piece.way === 'both' && !piece.pack_id)
      await trx('paper_piece').where({ id }).update({ way: 'email' });
    return;
  }
  if (mail) await trx('dispatch').where({ id: mail.id }).delete();
  await trx('reminder_step').where({ piece_id: id }).delete();
  await trx('document').where({ piece_id: id }).update({ piece_id: null, gone_at: new Date() });
  await trx('paper_piece').where({ id }).update({
    state: 'dropped',
    held_why: 'Paid, answered or switched off before it left.',
    released_at: null,
    released_by: null,
  });
  await settleRun(trx, runId);
  await noteChange(trx, 'paperwork');
  await noteChange(trx, 'documents');
}
