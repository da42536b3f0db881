import { isDeepStrictEqual } from 'node:util';
import { hundredths } from '../../core/paperwork/money.ts';
import { readFirm } from '../foundation/firm.ts';
import { jsonOrNull } from '../foundation/json.ts';
import type { Transaction } from '../foundation/database.ts';
import { groupBy } from '../foundation/rows.ts';
import { overdueNotes, remindersOf } from './reminders.ts';
import type { RunRecord } from './runs.ts';

/** A piece about to go, as far as it may have been overtaken. */
interface AboutToGo {
  id: number;
  clientId: number;
  feeNoteId: number | null;
  amount: number | null;
  steps: string | null;
}

/**
 * Keeps back what was overtaken since it was made: fee notes that another run has sent are dropped, pieces whose
 * figures are others now (paid meanwhile, changed) are made anew; of reminders those with nothing left to remind of.
 * The fee notes are held until the end.
 */
export async function withoutOvertaken<P extends AboutToGo>(
  trx: Transaction,
  run: RunRecord,
  rows: readonly P[],
): Promise<P[]> {
  if (run.kind === 'letter') return [...rows];
  const mark = (some: readonly P[], as: object) =>
    trx('paper_piece')
      .whereIn(
        'id',
        some.map(({ id }) => id),
      )
      .update(as);
  if (run.kind === 'reminder') {
    const { over, other } = await remindersNow(trx, run, rows);
    await mark(over, { state: 'dropped', held_why: 'Paid, answered or reminded of meanwhile.' });
    await mark(other, { state: 'waiting', tries: 0 });
    return rows.filter((row) => !over.includes(row) && !other.includes(row));
  }
  const noteIds = rows.flatMap(({ feeNoteId }) => feeNoteId ?? []);
  const sent = new Set<number | null>(
    await trx('paper_piece')
      .whereIn('fee_note_id', noteIds)
      .where({ state: 'released' })
      .forUpdate()
      .pluck('fee_note_id'),
  );
  const twice = rows.filter(({ feeNoteId }) => feeNoteId !== null && sent.has(feeNoteId));
  const open = await openNow(trx, run, rows);
  const other = rows.filter(
    (row) => !twice.includes(row) && hundredths(Number(row.amount ?? 0)) !== (open.get(row.id) ?? 0n),
  );
  await mark(twice, { state: 'dropped', held_why: 'Another run has sent it meanwhile.' });
  await mark(other, { state: 'waiting', tries: 0 });
  return rows.filter((row) => !twice.includes(row) && !other.includes(row));
}

/** Reminders in which nothing is left, and those that would say something else. */
async function remindersNow<P extends AboutToGo>(trx: Transaction, run: RunRecord, rows: readonly P[]) {
  const clientIds = rows.map(({ clientId }) => clientId);
  await trx('fee_note').whereIn('client_id', clientIds).forUpdate().select('id');
  const notes = await overdueNotes(trx, await readFirm(trx), run.day, (some) =>
    some.whereIn('fee_note.client_id', clientIds),
  );
  const now = remindersOf(notes);
  const left = (row: P) => {
    const reminder = now.get(row.clientId);
    return reminder && reminder.tone === run.tone ? reminder : null;
  };
  const same = (row: P) => {
    const { steps = [], notes: said = [] } = left(row) ?? {};
    const sum = said.reduce((total, { amount }) => total + hundredths(amount), 0n);
    return (
      isDeepStrictEqual(jsonOrNull('paper_piece.steps', row.steps), steps) &&
      hundredths(Number(row.amount ?? 0)) === sum
    );
  };
  return {
    over: rows.filter((row) => !left(row)),
    other: rows.filter((row) => left(row) && !same(row)),
  };
}

/** What each piece would ask for now, in hundredths, by its number. */
async function openNow(
  trx: Transaction,
  { kind, day }: RunRecord,
  rows: readonly AboutToGo[],
): Promise<Map<number, bigint>> {
  const notes = trx('fee_note')
    .where('issued_on', '<=', day)
    .where((unpaid) => unpaid.whereNull('paid_on').orWhere('paid_on', '>', day));
  const ids = (of: (row: AboutToGo) => number | null) => rows.flatMap((row) => of(row) ?? []);
  const found = await (
    kind === 'fee note'
      ? notes.whereIn(
          'id',
          ids(({ feeNoteId }) => feeNoteId),
        )
      : notes.whereIn(
          'client_id',
          ids(({ clientId }) => clientId),
        )
  ).select('id', 'client_id', 'amount');
  const sum = (own: typeof found) =>
    own.reduce((total, { amount }) => total + hundredths(Number(amount)), 0n);
  const by = groupBy(found, (note) => (kind === 'fee note' ? note.id : note.client_id));
  return new Map(
    rows.map((row) => [row.id, sum(by.get((kind === 'fee note' ? row.feeNoteId : row.clientId) ?? 0) ?? [])]),
  );
}
