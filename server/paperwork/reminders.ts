import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import {
  may,
  type OverdueNote,
  type RemindersPage,
  type RemindersShow,
  type RemindStep,
  type StaffMember,
} from '../../contract/index.ts';
import type { FeeNoteLine } from '../../core/paperwork/account.ts';
import { daysBetween } from '../../core/paperwork/ageing.ts';
import {
  remindState,
  ruleFor,
  toneOf,
  type RemindRule,
  type RemindState,
  type Tone,
} from '../../core/paperwork/reminding.ts';
import { readFirm, type Firm } from '../foundation/firm.ts';
import { jsonOrNull } from '../foundation/json.ts';
import { groupBy, select } from '../foundation/rows.ts';

/** A fee note that is over its day, and where reminding stands of it. */
export interface Overdue extends FeeNoteLine {
  id: number;
  clientId: number;
  client: string;
  step: number;
  remindedOn: string | null;
  answerId: number | null;
  rule: RemindRule;
  own: boolean;
  state: RemindState;
}

/** Asked about so many fee notes at a time. */
const CHUNK = 1000;

/**
 * All fee notes that are over their day and not paid, by client and day, and where reminding stands of each.
 * @param day as of which
 * @param of narrows them
 */
export async function overdueNotes(
  db: Knex,
  firm: Pick<Firm, 'reminders'>,
  day: string,
  of: (notes: Knex.QueryBuilder) => void = () => undefined,
): Promise<Overdue[]> {
  const over = db('fee_note')
    .join('client', 'client.id', 'fee_note.client_id')
    .leftJoin('file', 'file.id', 'fee_note.file_id')
    .where('fee_note.due_on', '<', day)
    .where('fee_note.issued_on', '<=', day)
    .where((unpaid) => unpaid.whereNull('fee_note.paid_on').orWhere('fee_note.paid_on', '>', day))
    .orderBy(['client.name', 'client.id', 'fee_note.due_on', 'fee_note.id']);
  of(over);
  const notes = await select(over, {
    id: 'fee_note.id',
    clientId: 'fee_note.client_id',
    client: 'client.name',
    number: 'fee_note.number',
    words: 'fee_note.words',
    issuedOn: 'fee_note.issued_on',
    dueOn: 'fee_note.due_on',
    amount: 'fee_note.amount',
    tax: 'fee_note.tax',
    paidOn: 'fee_note.paid_on',
    fileNumber: 'file.number?',
    heard: 'fee_note.heard_step',
    ofNote: 'fee_note.reminding',
    ofClient: 'client.reminding',
  });
  const steps = groupBy(
    await stepsOf(
      db,
      notes.map(({ id }) => id),
    ),
    ({ noteId }) => noteId,
  );
  return notes.map(({ ofNote, ofClient, heard, ...note }) => {
    const [client, own] = [
      jsonOrNull('client.reminding', ofClient),
      jsonOrNull('fee_note.reminding', ofNote),
    ];
    const rule = ruleFor(firm.reminders, client, own);
    const gone = steps.get(note.id) ?? [];
    const last = gone.at(-1);
    const answered = gone.filter(({ step, answerId }) => step > heard && answerId !== null).at(-1);
    const line = { ...note, amount: Number(note.amount), tax: Number(note.tax) };
    const said = { step: last?.step ?? 0, remindedOn: last?.day ?? null };
    const state = remindState({ ...line, ...said, answered: answered !== undefined }, rule, day);
    return {
      ...line,
      ...said,
      rule,
      state,
      answerId: answered?.answerId ?? null,
      own: Boolean(client ?? own),
    };
  });
}

/** The reminders that have gone of fee notes, the first of each first, with what was answered. */
async function stepsOf(db: Knex, noteIds: readonly number[]) {
  const found = [];
  for (let at = 0; at < noteIds.length; at += CHUNK)
    found.push(
      ...(await select(
        db('reminder_step')
          .leftJoin('dispatch', 'dispatch.piece_id', 'reminder_step.piece_id')
          .whereIn('reminder_step.fee_note_id', noteIds.slice(at, at + CHUNK))
          .orderBy(['reminder_step.fee_note_id', 'reminder_step.step']),
        {
          noteId: 'reminder_step.fee_note_id',
          step: 'reminder_step.step',
          day: 'reminder_step.day',
          answerId: 'dispatch.answered_message_id?',
        },
      )),
    );
  return found;
}

/** What one client is to be reminded of in one piece. */
export interface Reminder {
  clientId: number;
  tone: Tone;
  /** Whose next reminder goes with it. */
  steps: RemindStep[];
  /** All that stands in it: whatever of the client is over its day, unless it is off or was answered. */
  notes: Overdue[];
}

/** What each client would be reminded of: one piece a client, in the firmest tone that is due. */
export function remindersOf(notes: readonly Overdue[]): Map<number, Reminder> {
  const found = new Map<number, Reminder>();
  for (const [clientId, own] of groupBy(notes, (note) => note.clientId)) {
    const steps = own.flatMap(({ id, state }) =>
      state.what === 'now' ? [{ feeNoteId: id, step: state.step }] : [],
    );
    if (!steps.length) continue;
    found.set(clientId, {
      clientId,
      steps,
      tone: toneOf(Math.max(...steps.map(({ step }) => step))),
      notes: own.filter(({ state }) => state.what !== 'off' && state.what !== 'answered'),
    });
  }
  return found;
}

/** On which desk a reminder of a client lies already. @param but that run alone is not asked about */
export async function onDesks(db: Knex, but = 0): Promise<Map<number, number>> {
  const rows = await select(
    db('paper_run')
      .join('paper_piece', 'paper_piece.run_id', 'paper_run.id')
      .where('paper_run.kind', 'reminder')
      .where('paper_run.state', 'made')
      .whereNot('paper_run.id', but)
      .whereNotIn('paper_piece.state', ['released', 'dropped']),
    { clientId: 'paper_piece.client_id', runId: 'paper_run.id' },
  );
  return new Map(rows.map(({ clientId, runId }) => [clientId, runId]));
}

/** Today, in the firm's zone. */
export const todayIn = ({ zone }: Pick<Firm, 'zone'>) => DateTime.now().setZone(zone).toISODate() ?? '';

/** In whose name reminders go by themselves: whoever was named for it, while they may release paperwork. */
export async function whoReleases(
  db: Knex,
  { reminders }: Pick<Firm, 'reminders'>,
): Promise<StaffMember | null> {
  if (reminders.releasedBy === null) return null;
  const member = await db('staff')
    .where({ id: reminders.releasedBy })
    .whereNull('left_at')
    .first('id', 'name', 'email', 'role');
  return member && may(member.role, 'release paperwork') ? member : null;
}

const SHOWN: Record<OverdueNote['what'], RemindersShow> = {
  now: 'now',
  desk: 'now',
  later: 'later',
  off: 'stopped',
  answered: 'stopped',
  'all sent': 'stopped',
};

/** What is over its day, a page of it; and what would be prepared now. Overdue fee notes are few, and weighed together. */
export async function listReminders(
  db: Knex,
  { show, offset, limit }: { show: RemindersShow; offset: number; limit: number },
): Promise<RemindersPage> {
  const firm = await readFirm(db);
  const today = todayIn(firm);
  const [notes, desks, releaser] = await Promise.all([
    overdueNotes(db, firm, today),
    onDesks(db),
    whoReleases(db, firm),
  ]);
  const rows = notes.flatMap((note) => asRow(note, today, desks.get(note.clientId) ?? null));
  const of = (each: RemindersShow) => rows.filter(({ what }) => SHOWN[what] === each);
  const shown = of(show);
  return {
    total: shown.length,
    rows: shown.slice(offset, offset + limit),
    counts: { now: of('now').length, later: of('later').length, stopped: of('stopped').length },
    pieces: [...remindersOf(notes).keys()].filter((clientId) => !desks.has(clientId)).length,
    rule: firm.reminders,
    trouble:
      firm.reminders.releasedBy !== null && !releaser
        ? 'Whoever lets reminders go by themselves may do so no more: they are left on the desk. Name another in Settings.'
        : '',
  };
}

function asRow(note: Overdue, today: string, runId: number | null): OverdueNote[] {
  const { state, rule } = note;
  if (state.what === 'paid' || state.what === 'not due') return [];
  const next = state.what === 'now' || state.what === 'later' ? state : null;
  const desk = state.what === 'now' && runId !== null;
  const { id, number, words, clientId, client, dueOn, amount, step, remindedOn, answerId, own } = note;
  return [
    {
      ...{ id, number, words, clientId, client, dueOn, amount, step, remindedOn, answerId, own },
      over: daysBetween(dueOn, today),
      most: rule.most,
      what: desk ? 'desk' : state.what,
      on: next?.on ?? null,
      tone: next ? toneOf(next.step) : null,
      runId: desk ? runId : null,
    },
  ];
}
