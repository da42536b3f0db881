import type { Knex } from 'knex';
import type { Sort, SortDone } from '../../contract/index.ts';
import { sortingGroup, type Candidate, type Evidence, type FilingState } from '../../core/filing/types.ts';
import { transact, type Transaction } from '../database/database.ts';
import { beat } from '../database/pulse.ts';
import { notFound, Refusal } from '../http/problems.ts';
import type { Office } from '../office.ts';
import { redecideConversations } from './decide.ts';

/** Where a message is and why: all that a step changes, so that undoing restores it exactly. */
interface Standing {
  state: FilingState;
  sorting: string | null;
  decided_at: string;
  decided_by: number | null;
  evidence: string;
  fileIds: number[];
}

/** Carries out what a person settled about a message, and about the rest of its conversation when asked. */
export async function sortMessage(office: Office, staffId: number, sort: Sort): Promise<SortDone> {
  const register = await office.filingRegister();
  const done = await transact(office.db, async (trx) => {
    const message = await trx('message')
      .where({ id: sort.messageId })
      .forUpdate()
      .first('id', 'conversation_id', 'subject');
    if (!message) throw notFound('That message');
    const words = await stepWords(trx, sort);
    const rest: number[] = sort.restOfConversation
      ? await trx('message')
          .where({ conversation_id: message.conversation_id, state: 'suggested' })
          .whereNot({ id: message.id })
          .pluck('id')
      : [];
    const [stepId = 0] = await trx('filing_step').insert({
      staff_id: staffId,
      at: new Date(),
      words: words.slice(0, 300),
    });
    for (const id of [message.id as number, ...rest]) await moveOne(trx, stepId, staffId, id, sort.to, words);
    if (sort.to.kind !== 'sorting') await redecideConversations(trx, register, [message.conversation_id]);
    return { stepId, words, messages: 1 + rest.length };
  });
  await beat(office.db, 'sorting', 'mail');
  return done;
}

async function stepWords(trx: Transaction, sort: Sort): Promise<string> {
  if (sort.to.kind === 'aside') return 'Set aside as not client mail';
  if (sort.to.kind === 'sorting') return 'Put back into Sorting';
  const numbers: string[] = await trx('file')
    .whereIn('id', sort.to.fileIds)
    .orderBy('number')
    .pluck('number');
  if (numbers.length !== new Set(sort.to.fileIds).size)
    throw new Refusal(400, 'That file does not exist.', 'fileIds');
  return `Filed to ${numbers.join(' and ')}`;
}

async function standing(
  trx: Transaction,
  id: number,
): Promise<{ standing: Standing; at: Date; candidates: Candidate[] }> {
  const row = await trx('message').where({ id }).forUpdate().first();
  const fileIds: number[] = await trx('filing').where({ message_id: id }).orderBy('file_id').pluck('file_id');
  const { state, sorting, decided_by, evidence } = row;
  return {
    standing: { state, sorting, decided_at: row.decided_at.toISOString(), decided_by, evidence, fileIds },
    at: row.at,
    candidates: JSON.parse(row.candidates),
  };
}

async function moveOne(
  trx: Transaction,
  stepId: number,
  staffId: number,
  id: number,
  to: Sort['to'],
  words: string,
): Promise<void> {
  const { standing: before, at, candidates } = await standing(trx, id);
  const evidence: Evidence[] = [{ kind: 'hand', side: 'for', words }];
  const after: Standing = {
    state: to.kind === 'files' ? 'logged' : to.kind === 'aside' ? 'aside' : 'suggested',
    sorting: to.kind === 'sorting' ? sortingGroup(candidates) : null,
    decided_at: new Date().toISOString(),
    decided_by: staffId,
    evidence: JSON.stringify(evidence),
    fileIds: to.kind === 'files' ? [...new Set(to.fileIds)].sort((a, b) => a - b) : [],
  };
  await place(trx, id, at, after);
  await trx('filing_step_message').insert({
    step_id: stepId,
    message_id: id,
    before_value: JSON.stringify(before),
    after_value: JSON.stringify(after),
  });
}

async function place(trx: Transaction, id: number, at: Date, to: Standing): Promise<void> {
  const { fileIds, decided_at, ...columns } = to;
  await trx('message')
    .where({ id })
    .update({ ...columns, decided_at: new Date(decided_at) });
  await trx('filing').where({ message_id: id }).delete();
  if (fileIds.length)
    await trx('filing').insert(fileIds.map((fileId) => ({ message_id: id, file_id: fileId, at })));
}

/** The step of this person that Undo would take back now. */
export async function lastStep(db: Knex, staffId: number): Promise<{ id: number; words: string } | null> {
  const row: { id: number; words: string } | undefined = await db('filing_step')
    .where({ staff_id: staffId })
    .whereNull('undone_at')
    .orderBy('id', 'desc')
    .first('id', 'words');
  return row ?? null;
}

/**
 * Takes a step back: every message of it returns to exactly where it was.
 * @throws when another step has moved one of them since
 */
export async function undoStep(office: Office, staffId: number, stepId: number): Promise<SortDone> {
  const done = await transact(office.db, async (trx) => {
    const step = await trx('filing_step')
      .where({ id: stepId, staff_id: staffId })
      .whereNull('undone_at')
      .forUpdate()
      .first();
    if (!step) throw new Refusal(409, 'That step has been taken back already.');
    const moved: { message_id: number; before_value: string }[] = await trx('filing_step_message').where({
      step_id: stepId,
    });
    const later = await trx('filing_step_message')
      .join('filing_step', 'filing_step.id', 'filing_step_message.step_id')
      .whereIn(
        'message_id',
        moved.map((row) => row.message_id),
      )
      .where('step_id', '>', stepId)
      .whereNull('undone_at')
      .first();
    if (later)
      throw new Refusal(409, 'A colleague has moved that message since, so the step cannot be taken back.');
    for (const row of moved) {
      const { at } = await standing(trx, row.message_id);
      await place(trx, row.message_id, at, JSON.parse(row.before_value));
    }
    await trx('filing_step').where({ id: stepId }).update({ undone_at: new Date() });
    return { stepId, words: `Taken back: ${step.words}`, messages: moved.length };
  });
  await beat(office.db, 'sorting', 'mail');
  return done;
}
