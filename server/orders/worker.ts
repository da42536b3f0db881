import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import { dueAfter } from '../../core/orders/days.ts';
import { REACHING, type When } from '../../core/orders/order.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import {
  errorForLog,
  isDatabaseError,
  isRefusedContent,
  transact,
  type Transaction,
} from '../foundation/database.ts';
import { isSetUp, readFirm } from '../foundation/firm.ts';
import { Refusal } from '../foundation/refusal.ts';
import { Rounds } from '../foundation/rounds.ts';
import { select } from '../foundation/rows.ts';
import { takenAmong } from '../selection/query.ts';
import { checkDraft } from '../writing/checks.ts';
import { sendDraft } from '../writing/drafts.ts';
import { perform, type Course, type Done } from './acts.ts';
import { forgetHeard, hear, look } from './hear.ts';
import { orderCalendar, type Order } from './keep.ts';
import { Scene } from './scene.ts';
import { recordOf } from './whom.ts';

/** A step that fails by a fault of the program is tried so often. */
const MOST_TRIES = 3;
/** And not before so long, in minutes. */
const TRIED_AGAIN = 10;
/** So many steps are done in one transaction. */
const AT_ONCE = 20;
/** So many in one round, and so many messages sent. */
const STEPS_A_ROUND = 200;
/** Whoever fitted so short a time ago is not asked again, in milliseconds. */
const JUST_ASKED = 60_000;
/** What is long heard is forgotten so often, in milliseconds. */
const FORGETTING = 3600_000;

/**
 * Lets standing orders act: takes up what happened, looks what time has brought about, does the steps that are due and
 * sends what may go by itself. Any number of processes side by side; whatever one leaves unfinished, none of it was done.
 */
export class OrderWorker {
  private readonly rounds: Rounds;
  private forgot = 0;

  constructor(private readonly context: AppContext) {
    this.rounds = new Rounds(
      context,
      () => this.round(),
      ['records', 'mail', 'mailings', 'documents', 'timeline', 'orders', 'collection'],
      'standing orders could not act',
    );
  }

  start(): void {
    this.rounds.start();
  }

  async stop(): Promise<void> {
    await this.rounds.stop();
  }

  /** One look at all there is to do. @param now for tests @returns whether there may be more at once */
  async round(now: DateTime = DateTime.now()): Promise<boolean> {
    const { db } = this.context;
    if (!(await isSetUp(db))) return false;
    const heard = await hear(this.context, now);
    const begun = await look(this.context, now);
    let steps = 0;
    for (let done = AT_ONCE; done === AT_ONCE && steps < STEPS_A_ROUND && !this.rounds.ending; steps += done)
      done = await doSome(this.context, now);
    await sendPrepared(this.context);
    if (Date.now() - this.forgot > FORGETTING) {
      await forgetHeard(db);
      this.forgot = Date.now();
    }
    return heard || begun || steps > 0;
  }

  /** Goes on until nothing is left to do at a moment. */
  async settle(now: DateTime = DateTime.now()): Promise<void> {
    while (await this.round(now));
  }
}

/**
 * Does some of the steps that are due, in one transaction: all of them or none.
 * @returns how many
 */
async function doSome(context: AppContext, now: DateTime): Promise<number> {
  const calendar = orderCalendar(await readFirm(context.db));
  return transact(context.db, async (trx) => {
    const due = await trx('order_course')
      .where({ state: 'going' })
      .where('due_at', '<=', now.toJSDate())
      .whereNotIn('order_id', trx('standing_order').whereIn('state', ['paused', 'off']).select('id'))
      .orderBy(['due_at', 'id'])
      .limit(AT_ONCE)
      .forUpdate()
      .skipLocked()
      .select();
    const scene = new Scene(trx, calendar, now);
    for (const course of due) await doStep(context, scene, course);
    await scene.write();
    if (due.length) await noteChange(trx, 'orders');
    return due.length;
  });
}

async function doStep(context: AppContext, scene: Scene, course: Course): Promise<void> {
  const { trx, now, calendar } = scene;
  const order = await scene.order(course.order_id, course.version);
  const { steps } = order.told;
  const step = steps[course.step];
  // What reaches somebody asks what they were told already.
  if (step && REACHING.includes(step.act.do)) await scene.write();
  const done = await attempt(context, trx, course, async (inner) => {
    const why = await stopsWhy(scene, order, course);
    if (why || !step) return why ?? '';
    const at = now.setZone(calendar.zone);
    return perform({ context, scene, trx: inner, order, course, step: course.step, now: at }, step.act);
  });
  if (done === null) return failed(scene, course);
  if (typeof done === 'string') return end(trx, course, done);
  const next = steps[course.step + 1];
  scene.noteAct(
    course.id,
    { ...done, step: course.step, at: now.toJSDate(), words: done.words.slice(0, 300) },
    {
      ...{ step: course.step + 1, tries: 0, state: next ? 'going' : 'done' },
      due_at: next ? dueAfter(now, next.wait, calendar).toJSDate() : null,
    },
  );
}

/**
 * What is refused leaves nothing behind but why; what fails by a fault of the program leaves nothing at all.
 * @returns what was done; why there is nothing more to do, empty at its end; null when it failed so
 * @throws what the database throws when it broke the whole off
 */
async function attempt(
  { log }: AppContext,
  trx: Transaction,
  { id }: Course,
  act: (inner: Transaction) => Promise<Done | string>,
): Promise<(Done & { skipped?: number }) | string | null> {
  try {
    return await trx.transaction(act);
  } catch (error) {
    if (error instanceof Refusal) return { words: error.message, skipped: 1 };
    if (isDatabaseError(error) && !isRefusedContent(error)) throw error;
    log.error({ error: errorForLog(error), course: id }, 'a step of a standing order failed');
    return null;
  }
}

async function end(trx: Transaction, { id }: Course, why: string): Promise<void> {
  await trx('order_course')
    .where({ id })
    .update({ state: why ? 'stopped' : 'done', stopped_why: why.slice(0, 200), due_at: null });
}

/** Put off; and put before a person when it goes on failing. */
async function failed({ trx, now }: Scene, { id, tries }: Course): Promise<void> {
  const stopped = {
    ...{ state: 'stopped' as const, due_at: null },
    stopped_why: 'its step failed again and again; tell whoever looks after Patient Clerk',
  };
  const later = { due_at: now.plus({ minutes: TRIED_AGAIN }).toJSDate() };
  await trx('order_course')
    .where({ id })
    .update({ tries: tries + 1, ...(tries + 1 >= MOST_TRIES ? stopped : later) });
}

/** Why nothing more is to be done for somebody; null while there is nothing against it. */
async function stopsWhy(scene: Scene, order: Order, course: Course): Promise<string | null> {
  const { trx, now } = scene;
  if (course.client_id === null) return 'the client is not in the records any more';
  const over = await noLonger(trx, order.told.when, course);
  if (over) return over;
  const { selection, stops } = order.told;
  // Whom it has just begun for was asked a moment ago.
  const asked = course.step === 0 && now.toMillis() - course.begun_at.getTime() < JUST_ASKED;
  if (selection && stops.unfit && !asked) {
    const record = recordOf(selection.subject, {
      ...{ clientId: course.client_id, fileId: course.file_id, personId: course.person_id },
    });
    const running = await scene.running(order.owner_id);
    if (record === null || !(await takenAmong(trx, selection, running, [record])).has(record))
      return 'they fit the order no more';
  }
  if (!stops.answered) return null;
  const wrote = await trx('filing')
    .where({ client_id: course.client_id, spoken: 'client' })
    .where('at', '>', course.begun_at)
    .first('message_id');
  return wrote ? 'they have written to us since' : null;
}

/** Why what began it does not hold any more. */
async function noLonger(trx: Knex, { on }: When, course: Course): Promise<string | null> {
  if (on === 'fee note due' || on === 'fee note overdue') {
    const note = await trx('fee_note').where('id', course.fee_note_id).first('paid_on');
    return note && note.paid_on === null ? null : 'the fee note was paid, or is gone';
  }
  if (on === 'answer owed') {
    const message = await trx('message').where('id', course.message_id).first('waits');
    return message?.waits === 'we' ? null : 'no answer is owed any more';
  }
  if (on === 'mailing unanswered' || on === 'mailing unopened') {
    const row = await trx('dispatch')
      .where('id', course.dispatch_id)
      .first('answered_message_id', 'answered_text_id', 'opened_at');
    const answer = row?.answered_message_id ?? row?.answered_text_id ?? null;
    const told = on === 'mailing unanswered' ? answer : (row?.opened_at ?? null);
    return row && told === null ? null : 'they have answered or opened it since';
  }
  if (on === 'wanted') {
    const wanted = await trx('collection_wanted')
      .where('id', course.wanted_id)
      .first('page_id', 'file_id', 'asked_at');
    // Of what was asked for together, anything may still be missing.
    const open =
      wanted &&
      (await trx('collection_wanted').where(wanted).whereNull('came_at').whereNull('closed_at').first('id'));
    return open ? null : 'all of it has come, or is wanted no more';
  }
  if (on === 'meeting over') {
    const entry = await trx('timeline').where('id', course.timeline_id).first('state', 'gone_at');
    return entry && entry.state !== 'off' && entry.gone_at === null ? null : 'the meeting was called off';
  }
  if (course.message_id !== null) {
    const filed = await trx('filing')
      .where({ message_id: course.message_id, client_id: course.client_id ?? 0 })
      .first('file_id');
    return filed ? null : 'the message does not lie with this client any more';
  }
  return null;
}

/**
 * Sends the messages that may go by themselves, as their writer would: what gives pause waits for a person. Whoever
 * comes first sends it; a message leaves its draft once.
 */
async function sendPrepared(context: AppContext): Promise<void> {
  const { db } = context;
  const rows = await select(
    db('order_act')
      .join('draft', 'draft.id', 'order_act.draft_id')
      .join('order_course', 'order_course.id', 'order_act.course_id')
      .join('standing_order', 'standing_order.id', 'order_course.order_id')
      .where('order_act.sends', 1)
      .limit(STEPS_A_ROUND),
    {
      ...{ courseId: 'order_act.course_id', step: 'order_act.step', draftId: 'draft.id' },
      ...{ staffId: 'draft.staff_id', version: 'draft.version', state: 'draft.state' },
      ...{ sends: 'standing_order.sends_by', turned: 'standing_order.state' },
    },
  );
  for (const row of rows) {
    if (row.turned === 'paused') continue;
    const waits =
      row.state === 'draft' ? await trySend(context, row).catch(couldNot(context, row.draftId)) : '';
    if (waits)
      await db('draft')
        .where({ id: row.draftId, state: 'draft' })
        .update({ waits: waits.slice(0, 300) });
    await db('order_act').where({ course_id: row.courseId, step: row.step }).update({ sends: 0 });
    await transact(db, (trx) => noteChange(trx, 'orders'));
  }
}

/** A fault of ours with one message leaves it to a person, and stops no other; the database's own is everybody's. */
const couldNot =
  ({ log }: AppContext, draft: number) =>
  (error: unknown): string => {
    if (isDatabaseError(error)) throw error;
    log.error({ error: errorForLog(error), draft }, 'a prepared message could not be sent');
    return 'It could not be sent by itself. Read it, and send it.';
  };

/** @returns why it waits for a person; empty when it is on its way */
async function trySend(
  context: AppContext,
  row: { staffId: number; draftId: number; version: number; sends: number | null },
): Promise<string> {
  if (row.sends === null) return 'The order does not send by itself any more.';
  const warnings = await checkDraft(context, row.staffId, row.draftId);
  if (warnings[0]) return warnings[0].words;
  try {
    await sendDraft(context, row.staffId, row.draftId, row.version, null, true);
    return '';
  } catch (error) {
    if (error instanceof Refusal) return error.message;
    throw error;
  }
}
