import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { z } from 'zod';
import type { Sort, SortDone, SortTarget } from '../../contract/index.ts';
import { addressKey } from '../../core/address/address.ts';
import type { FilingRegister } from '../../core/filing/register.ts';
import { sortingGroup, type Evidence, type FilingState } from '../../core/filing/types.ts';
import { noteAudit } from '../foundation/audit.ts';
import { transact, type Transaction } from '../foundation/database.ts';
import { noteChange } from '../foundation/changes.ts';
import { readFirm } from '../foundation/firm.ts';
import { holdMessages } from '../correspondence/marks.ts';
import type { AppContext } from '../foundation/context.ts';
import { redecideAlike, redecideConversation } from './decide.ts';
import { teach } from './knowledge.ts';
import { liesInOwn, refuseUnlessReadable } from '../correspondence/access.ts';
import { noteMove, setStanding, standingOf, weighAnew } from './standing.ts';
import { countOf } from '../foundation/rows.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { filingKnowledge } from './knowledge.ts';
import { filingRegister } from '../records/filingRegister.ts';
import { fromJson, toJson, type Standing } from '../foundation/json.ts';

/** At this hour of the next working day a message put off comes back. */
const MORNING = 7;

/**
 * Carries out what a person settled about a message, about others named with it, and about the rest of its
 * conversation when asked; all of it one step, taken back as one. What was settled teaches filing at once.
 * @throws Refusal when a message or file is not here, or the person may not do that with it
 */
export async function sortMessage(
  context: AppContext,
  staffId: number,
  sort: z.output<typeof Sort>,
): Promise<SortDone> {
  const register = await filingRegister(context);
  const until = sort.to.kind === 'later' ? await nextMorning(context) : null;
  const done = await transact(context.db, async (trx) => {
    const message = await trx('message').where({ id: sort.messageId }).first('id', 'conversation_id');
    if (!message) throw notFound('That message');
    const rest: number[] = sort.restOfConversation
      ? await trx('message')
          .where({ conversation_id: message.conversation_id, state: 'suggested' })
          .pluck('id')
      : [];
    const ids = [...new Set([sort.messageId, ...sort.alsoIds, ...rest])];
    const words = await stepWords(trx, sort.to, ids.length);
    // Locked before the step has its number: of two who move one message the later number is the later move.
    await holdMessages(trx, ids);
    const [stepId = 0] = await trx('filing_step').insert({
      staff_id: staffId,
      at: new Date(),
      words: words.slice(0, 300),
      note: sort.note,
    });
    for (const id of [...ids].sort((a, b) => a - b))
      await moveOne(trx, register, { stepId, staffId, to: sort.to, words, until }, id);
    if (sort.addAddressTo !== null) {
      await addAddress(trx, staffId, sort.messageId, sort.addAddressTo);
      await noteChange(trx, 'records');
    }
    await noteChange(trx, 'sorting');
    return { stepId, words, messages: ids.length, conversationId: message.conversation_id as number };
  });
  const settledAlong = await redecideAfter(context, sort, done);
  return { stepId: done.stepId, words: done.words, messages: done.messages, settledAlong };
}

/** What was just learned may settle others that wait: of the conversation, and with the same people. */
async function redecideAfter(
  context: AppContext,
  sort: z.output<typeof Sort>,
  { stepId, conversationId }: { stepId: number; conversationId: number },
): Promise<number> {
  if (['sorting', 'later', 'private'].includes(sort.to.kind)) return 0;
  const knowledge = await filingKnowledge(context);
  return transact(context.db, async (trx) => {
    const inConversation = await redecideConversation(trx, knowledge, conversationId, stepId);
    const settled = inConversation + (await redecideAlike(trx, knowledge, sort.messageId, stepId));
    if (settled) await noteChange(trx, 'sorting');
    return settled;
  });
}

async function stepWords(trx: Transaction, to: SortTarget, count: number): Promise<string> {
  const many = count > 1 ? ` (${count} messages)` : '';
  switch (to.kind) {
    case 'aside':
      return `Set aside as not client mail${many}`;
    case 'private':
      return `Marked as private${many}`;
    case 'later':
      return `Put off until the next working morning${many}`;
    case 'sorting':
      return `Put back into Sorting${many}`;
    case 'suggested':
      return `Filed as suggested${many}`;
    case 'right':
      return `Found rightly filed${many}`;
    case 'files': {
      const numbers: string[] = await trx('file').whereIn('id', to.fileIds).orderBy('number').pluck('number');
      if (numbers.length !== new Set(to.fileIds).size)
        throw new Refusal(400, 'That file does not exist.', 'fileIds');
      return `Filed to ${numbers.join(' and ')}${many}`;
    }
  }
}

async function nextMorning(context: AppContext): Promise<Date> {
  const { zone } = await readFirm(context.db);
  let morning = DateTime.now().setZone(zone).plus({ days: 1 }).startOf('day').set({ hour: MORNING });
  while (morning.weekday > 5) morning = morning.plus({ days: 1 });
  return morning.toJSDate();
}

interface Move {
  stepId: number;
  staffId: number;
  to: SortTarget;
  words: string;
  until: Date | null;
}

async function moveOne(trx: Transaction, register: FilingRegister, move: Move, id: number): Promise<void> {
  const before = await standingOf(trx, id);
  // Whoever may not read it may not move it to where everybody can.
  await refuseUnlessReadable(trx, move.staffId, { id, state: before.state });
  if (move.to.kind === 'private') await refuseUnlessTheirs(trx, move.staffId, id, before);
  const after = moved(before, move);
  await setStanding(trx, id, after);
  await teach(trx, register, id, after);
  await noteMove(trx, move.stepId, id, before, after);
}

/**
 * A message is made private by whose mailbox holds it, and by nobody once it was on a client's file: what
 * the firm's record has shown it goes on showing.
 */
async function refuseUnlessTheirs(
  trx: Transaction,
  staffId: number,
  id: number,
  before: Standing,
): Promise<void> {
  if (!(await liesInOwn(trx, staffId, id)))
    throw new Refusal(403, 'Only whose own mailbox holds a message can make it private.');
  const logged =
    before.state === 'logged' ||
    (await trx('filing_step_message')
      .join('filing_step', 'filing_step.id', 'filing_step_message.step_id')
      .where({ message_id: id })
      .whereNull('undone_at')
      .where('before_value', 'like', '{"state":"logged"%')
      .first('step_id'));
  if (logged)
    throw new Refusal(409, 'That message has been on a client’s file, so it stays in the firm’s record.');
  await noteAudit(trx, {
    staffId,
    action: 'made private',
    subject: 'message',
    id,
    before: { state: before.state },
    after: { state: 'private' },
  });
}

/** Where the message stands after the step. */
function moved(before: Standing, { to, staffId, words, until }: Move): Standing {
  const candidates = fromJson('message.candidates', before.candidates);
  const now = new Date().toISOString();
  if (to.kind === 'later') return { ...before, later_until: until?.toISOString() ?? null };
  if (to.kind === 'right') return { ...before, decided_by: staffId };
  const files = target(to, candidates);
  const evidence: Evidence[] = [{ kind: 'hand', side: 'for', words, weight: 0 }];
  const state: FilingState = files
    ? 'logged'
    : to.kind === 'aside' || to.kind === 'private'
      ? to.kind
      : 'suggested';
  const autoFiledPage = before.decided_by === null && before.state !== 'suggested';
  const elsewhere = state !== before.state || (files ?? []).join() !== before.fileIds.join();
  return {
    state,
    sorting: state === 'suggested' ? sortingGroup(candidates) : null,
    decided_at: now,
    decided_by: staffId,
    evidence: toJson('message.evidence', evidence),
    candidates: before.candidates,
    reason: before.reason,
    probability: before.probability,
    later_until: null,
    corrected_at: autoFiledPage && elsewhere ? now : before.corrected_at,
    fileIds: files ?? [],
  };
}

/** The files a step names, in order; null when it names none. */
function target(to: SortTarget, candidates: readonly { fileId: number }[]): number[] | null {
  if (to.kind === 'files') return [...new Set(to.fileIds)].sort((a, b) => a - b);
  if (to.kind !== 'suggested') return null;
  const first = candidates[0];
  if (!first) throw new Refusal(409, 'Nothing is suggested for one of these messages.');
  return [first.fileId];
}

/** Adds the address a message came from or went to, which nobody in the records has, to a person. */
async function addAddress(
  trx: Transaction,
  staffId: number,
  messageId: number,
  personId: number,
): Promise<void> {
  const person = await trx('person').where({ id: personId }).first('id');
  if (!person) throw notFound('That person');
  const firm = await readFirm(trx);
  const parties = await trx('message_party')
    .where({ message_id: messageId })
    .orderByRaw("FIELD(role, 'from', 'to', 'cc', 'bcc')")
    .select('email', 'email_key', 'domain');
  for (const party of parties) {
    if (firm.domains.includes(party.domain ?? '')) continue;
    if (await trx('address').where({ email_key: party.email_key }).first('id')) continue;
    await trx('address').insert({
      person_id: personId,
      email: party.email,
      email_key: addressKey(party.email),
      position: await countOf(trx('address').where({ person_id: personId })),
    });
    await noteAudit(trx, {
      staffId,
      action: 'address added',
      subject: 'person',
      id: personId,
      after: { email: party.email },
    });
    return;
  }
}

/** The step of this person that Undo would take back now. */
export async function lastStep(db: Knex, staffId: number): Promise<{ id: number; words: string } | null> {
  const row = await db('filing_step')
    .where({ staff_id: staffId })
    .whereNull('undone_at')
    .orderBy('id', 'desc')
    .first('id', 'words');
  return row ?? null;
}

/**
 * Takes a step back: every message of it returns to exactly where it was, and what it taught is unlearned.
 * @throws when another step has moved one of them since
 */
export async function undoStep(context: AppContext, staffId: number, stepId: number): Promise<SortDone> {
  const register = await filingRegister(context);
  return transact(context.db, async (trx) => {
    const step = await trx('filing_step')
      .where({ id: stepId, staff_id: staffId })
      .whereNull('undone_at')
      .forUpdate()
      .first();
    if (!step) throw new Refusal(409, 'That step has been taken back already.');
    const rows = await trx('filing_step_message').where({ step_id: stepId }).orderBy('message_id');
    await holdMessages(
      trx,
      rows.map((row) => row.message_id),
    );
    const later = new Set<number>(
      await trx('filing_step_message')
        .join('filing_step', 'filing_step.id', 'filing_step_message.step_id')
        .whereIn(
          'message_id',
          rows.map((row) => row.message_id),
        )
        .where('step_id', '>', stepId)
        .whereNull('undone_at')
        .pluck('message_id'),
    );
    if (rows.some((row) => !row.along && later.has(row.message_id)))
      throw new Refusal(409, 'A colleague has moved that message since, so the step cannot be taken back.');
    for (const row of rows.filter(({ message_id }) => !later.has(message_id))) {
      const before = fromJson('filing_step_message.before_value', row.before_value);
      await standingOf(trx, row.message_id);
      await setStanding(trx, row.message_id, before);
      await teach(trx, register, row.message_id, before);
    }
    await trx('filing_step').where({ id: stepId }).update({ undone_at: new Date() });
    // What evidence taught had given way to what is taken back.
    const undone = rows.map((row) => row.message_id);
    await weighAnew(trx, trx('message').whereIn('id', undone));
    await noteChange(trx, 'sorting');
    return {
      stepId,
      words: `Taken back: ${step.words}`,
      messages: rows.filter((row) => !row.along).length,
      settledAlong: 0,
    };
  });
}
