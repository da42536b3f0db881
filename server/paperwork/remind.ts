import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { z } from 'zod';
import type { RemindersPrepared, StaffMember } from '../../contract/index.ts';
import { selectionOf } from '../../core/selection/tree.ts';
import { TONES, type Tone } from '../../core/paperwork/reminding.ts';
import type { AppContext } from '../foundation/context.ts';
import { inSeconds, type Database } from '../foundation/database.ts';
import { isSetUp, readFirm, type Firm } from '../foundation/firm.ts';
import { Refusal } from '../foundation/refusal.ts';
import { Rounds } from '../foundation/rounds.ts';
import { makeRun } from './make.ts';
import { reach } from './reach.ts';
import { releasePieces } from './release.ts';
import { todayIn, whoReleases } from './reminders.ts';
import { countsOf, draftOfRun, readRun, reminderRun } from './runs.ts';

/** Whoever prepares a day's reminders holds the day so long, in seconds. */
const LEASE_SECONDS = 120;

/**
 * Lays today's reminders on the desk: a run for each tone that is due, in the words that the last of its tone had.
 * What lies on a desk already is not prepared again.
 * @param releasedFor in whose name they go by themselves once they are made; null: they are read first
 * @throws Refusal while another is at it
 */
export async function prepareReminders(
  context: AppContext,
  staff: StaffMember,
  releasedFor: StaffMember | null = null,
): Promise<z.output<typeof RemindersPrepared>> {
  const { db } = context;
  const today = todayIn(await readFirm(db));
  if (!(await holdDay(context, today)))
    throw new Refusal(409, 'Reminders are being prepared just now. They lie on the desk in a moment.');
  try {
    const runs = [];
    for (const tone of TONES) runs.push(...(await prepareTone(db, staff, tone, today, releasedFor)));
    return { runs };
  } finally {
    await db('reminder_day')
      .where({ day: today, lease_owner: context.process })
      .update({ lease_owner: null, lease_until: null });
  }
}

async function prepareTone(
  db: Database,
  staff: StaffMember,
  tone: Tone,
  today: string,
  releasedFor: StaffMember | null,
) {
  const asking = { kind: 'reminder' as const, tone, id: 0, owner_id: staff.id };
  const all = await reach(db, asking, { selection: selectionOf(), day: today });
  if (!all.length) return [];
  const { id, version } = await reminderRun(db, staff, tone, today);
  const run = await readRun(db, id);
  // Words that lie ready may be for some clients alone.
  if (!(await reach(db, run, draftOfRun(run))).length) return [];
  await db('paper_run')
    .where({ id })
    .update({ released_for: releasedFor?.id ?? null });
  return [{ id, name: run.name, pieces: await makeRun(db, staff, id, version) }];
}

/** Claims a day. @returns whether nobody else holds it */
async function holdDay({ db, process }: AppContext, day: string): Promise<boolean> {
  await db('reminder_day').insert({ day }).onConflict('day').ignore();
  const held = await db('reminder_day')
    .where({ day })
    .where((free) => free.whereNull('lease_until').orWhereRaw('lease_until < UTC_TIMESTAMP(3)'))
    .update({ lease_owner: process, lease_until: inSeconds(db, LEASE_SECONDS) });
  return held > 0;
}

/**
 * Prepares reminders once on each day that the firm has named, whichever process comes first; and lets those go by
 * themselves for which somebody allowed it.
 */
export class ReminderClock {
  private readonly rounds: Rounds;

  constructor(private readonly context: AppContext) {
    this.rounds = new Rounds(
      context,
      () => this.round(),
      ['paperwork', 'records'],
      'reminders could not be prepared',
    );
  }

  start(): void {
    this.rounds.start();
  }

  async stop(): Promise<void> {
    await this.rounds.stop();
  }

  /** Looks whether it is time. @param now for tests @returns false: there is never more at once */
  async round(now: DateTime = DateTime.now()): Promise<boolean> {
    const { db } = this.context;
    if (!(await isSetUp(db))) return false;
    const firm = await readFirm(db);
    if (isTime(firm, now)) await this.prepareDay(firm);
    await this.releaseMade();
    return false;
  }

  private async prepareDay(firm: Firm): Promise<void> {
    const { db, log } = this.context;
    const day = todayIn(firm);
    if (await db('reminder_day').where({ day }).whereNotNull('done_at').first('day')) return;
    const releaser = await whoReleases(db, firm);
    const owner = releaser ?? (await firstManager(db));
    if (!owner) return;
    try {
      const { runs } = await prepareReminders(this.context, owner, releaser);
      await db('reminder_day').where({ day }).update({ done_at: new Date() });
      if (runs.length) log.info({ day, runs }, 'reminders were prepared');
    } catch (error) {
      // Another process is at it, or somebody by hand: it is looked at again.
      if (!(error instanceof Refusal)) throw error;
    }
  }

  /** Lets those go that are made: once, since what was released is not ready any more. */
  private async releaseMade(): Promise<void> {
    const { db, log } = this.context;
    const runs = await db('paper_run')
      .whereNotNull('released_for')
      .where({ state: 'made' })
      .select('id', 'released_for');
    for (const { id, released_for } of runs) {
      const counts = (await countsOf(db, [id])).get(id);
      if (!counts || counts.waiting) continue;
      const staff = await db('staff')
        .where({ id: released_for ?? 0 })
        .whereNull('left_at')
        .first('id', 'name', 'email', 'role');
      try {
        if (staff && counts.ready)
          await releasePieces(db, staff, id, { what: 'all', expected: counts.ready });
      } catch (error) {
        if (!(error instanceof Refusal)) throw error;
        // Others are ready now: looked at again. Else a person has to see to it.
        if (error.status === 409) continue;
        log.warn({ run: id, why: error.message }, 'reminders could not go by themselves');
      }
      await db('paper_run').where({ id }).update({ released_for: null });
    }
  }
}

/** Whether reminders are to be prepared by now on a day. */
function isTime({ reminders, holidays, zone }: Firm, now: DateTime): boolean {
  const here = now.setZone(zone);
  return (
    reminders.daily &&
    reminders.days.includes(here.weekday) &&
    here.toFormat('HH:mm') >= reminders.at &&
    !holidays.some(({ day }) => day === here.toISODate())
  );
}

/** A rule that was changed counts from its next time on: nothing goes at the moment somebody keeps it. */
export async function fromNextTime(db: Database, now: DateTime = DateTime.now()): Promise<void> {
  const firm = await readFirm(db);
  if (!isTime(firm, now)) return;
  const done = { day: todayIn(firm), done_at: new Date() };
  await db('reminder_day').insert(done).onConflict('day').merge(['done_at']);
}

/** What lies on the desk without anybody's word belongs to the manager who is here longest. */
function firstManager(db: Knex) {
  return db('staff')
    .where({ role: 'manager' })
    .whereNull('left_at')
    .orderBy('id')
    .first('id', 'name', 'email', 'role');
}

/** The run in which the words of a tone are written before the next reminders go. @returns its number */
export async function writeTone(db: Database, staff: StaffMember, tone: Tone): Promise<number> {
  const { id } = await reminderRun(db, staff, tone, todayIn(await readFirm(db)));
  return id;
}
