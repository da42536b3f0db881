import type { Knex } from 'knex';
import { decideRow, refused, type Plan } from '../../../core/import/decide.ts';
import { understand, type Reckoning, type Wanted } from '../../../core/import/plan.ts';
import type { Doer } from '../../foundation/audit.ts';
import { noteChange } from '../../foundation/changes.ts';
import type { AppContext } from '../../foundation/context.ts';
import { inSeconds, isRefusedContent, transact, type Transaction } from '../../foundation/database.ts';
import { fromJson } from '../../foundation/json.ts';
import { Refusal } from '../../foundation/refusal.ts';
import type { Rows } from '../../foundation/tables.ts';
import { Rounds } from '../../foundation/rounds.ts';
import { Turns } from '../../foundation/turns.ts';
import { changeWithin } from '../changing.ts';
import { undoFee } from '../feeNotes.ts';
import { Known, reckoning } from './known.ts';
import { isMadeBy, removeMade, workedOn, writePlan } from './write.ts';

/** A claim lasts this long unless it is renewed, in seconds. */
const LEASE_SECONDS = 30;
/** So many rows are worked out, or brought in, in one transaction. */
const CHECKED_AT_ONCE = 500;
const WRITTEN_AT_ONCE = 100;
const UNDONE_AT_ONCE = 200;
/** So many sentences of what could not be taken back are kept. */
const LONGEST_PROBLEM = 480;

/** Told of a list while something keeps failing that is ours to mend. */
const STOPPED =
  'It cannot go on at the moment. It is tried again by itself; if this stays, tell whoever runs Patient Clerk.';

type Run = Rows['import_run'];
const AT_WORK = ['checking', 'running', 'undoing'] as const;

/**
 * Works out what lists would do, brings them in, and takes them back. Any number of processes work side by side: each
 * claims a list under a lease, goes on where the last stopped, and keeps each batch with how far it is in one
 * transaction, so that a kill costs nothing and nothing is done twice.
 */
export class ImportWorker {
  private readonly rounds: Rounds;

  constructor(private readonly context: AppContext) {
    this.rounds = new Rounds(context, () => this.round(), ['imports'], 'a list could not be brought in');
  }

  /** Works until it is stopped. */
  start(): void {
    this.rounds.start();
  }

  /** Begins nothing more; resolves when the batch at hand is through. */
  async stop(): Promise<void> {
    await this.rounds.stop();
  }

  /** One list, to its end. @returns whether there was any */
  async round(): Promise<boolean> {
    const run = await this.claim();
    if (!run) return false;
    const { db, process } = this.context;
    const own = () => db('import_run').where({ id: run.id, lease_owner: process });
    try {
      if (run.problem === STOPPED) await own().update({ problem: null });
      if (run.state === 'checking') await this.check(run);
      else if (run.state === 'running') await this.bringIn(run);
      else await this.takeBack(run);
    } catch (error) {
      await own()
        .whereNull('problem')
        .update({ problem: STOPPED })
        .catch(() => undefined);
      throw error;
    } finally {
      await own().update({ lease_owner: null, lease_until: null });
    }
    return true;
  }

  private async claim(): Promise<Run | null> {
    const { db, process } = this.context;
    return transact(db, async (trx) => {
      const run = await trx('import_run')
        .whereIn('state', [...AT_WORK])
        .where((free) => free.whereNull('lease_until').orWhereRaw('lease_until < UTC_TIMESTAMP(3)'))
        .orderBy('id')
        .forUpdate()
        .skipLocked()
        .first();
      if (!run) return null;
      await trx('import_run')
        .where({ id: run.id })
        .update({ lease_owner: process, lease_until: inSeconds(trx, LEASE_SECONDS) });
      return run;
    });
  }

  /** Within the transaction of a batch: whether the list is still ours, and how far it is now. */
  private async keep(trx: Transaction, id: number, change: Partial<Run>): Promise<void> {
    const ours = await trx('import_run')
      .where({ id, lease_owner: this.context.process })
      .update({ ...change, lease_until: inSeconds(trx, LEASE_SECONDS) });
    if (!ours) throw new Error('another process has taken this list over');
    await noteChange(trx, 'imports', 'import', [id]);
  }

  /** What each row would do, worked out from the first on: rows before are part of what a row finds. */
  private async check(run: Run): Promise<void> {
    const { db } = this.context;
    const by = await reckoning(db);
    const known = new Known(db);
    for (let line = 0; !this.rounds.ending && line < run.row_count; line += CHECKED_AT_ONCE) {
      const { rows, plans } = await this.plan(db, run, line, CHECKED_AT_ONCE, by, known);
      const last = line + CHECKED_AT_ONCE >= run.row_count;
      await transact(db, async (trx) => {
        await noteOutcomes(trx, run.id, rows, plans);
        await this.keep(trx, run.id, { position: line + rows.length, ...(last ? { state: 'checked' } : {}) });
      });
    }
  }

  private async plan(db: Knex, run: Run, after: number, most: number, by: Reckoning, known: Known) {
    const columns = fromJson('import_run.columns', run.columns);
    const rows = await db('import_row')
      .where({ import_id: run.id })
      .where('line', '>', after)
      .orderBy('line')
      .limit(most)
      .select('line', 'cells');
    const understood = rows.map(({ cells }) => understand(fromJson('import_row.cells', cells), columns, by));
    await known.read(understood.flatMap(({ wanted }) => wanted ?? []));
    const turns = new Turns();
    const plans: Plan[] = [];
    for (const { wanted, problems } of understood) {
      plans.push(wanted ? decide(wanted, known, run, by) : refused(...(problems ?? [])));
      await turns.pass();
    }
    return { rows, plans };
  }

  /** Brings the rows in, from where the last process stopped. */
  private async bringIn(run: Run): Promise<void> {
    const { db } = this.context;
    const doer: Doer = { staffId: run.staff_id, importId: run.id };
    let at = run.position;
    while (!this.rounds.ending && at < run.row_count) {
      const from = at;
      const count = Math.min(WRITTEN_AT_ONCE, run.row_count - from);
      await transact(db, async (trx) => this.bringInBatch(trx, run, doer, from, count)).catch(
        async (error: unknown) => {
          // One row that the database does not take is told from the others, and refused alone.
          if (!(error instanceof Refusal) && !isRefusedContent(error)) throw error;
          for (let line = from; line < from + count; line++)
            await transact(db, (trx) => this.bringInBatch(trx, run, doer, line, 1)).catch(
              async (alone: unknown) => {
                if (!(alone instanceof Refusal) && !isRefusedContent(alone)) throw alone;
                const why =
                  alone instanceof Refusal ? alone.message : 'Our database does not take what it holds.';
                await transact(db, async (trx) => {
                  await noteOutcomes(trx, run.id, [{ line: line + 1 }], [refused(why)]);
                  await this.keep(trx, run.id, { position: line + 1 });
                });
              },
            );
        },
      );
      at = from + count;
    }
    if (at >= run.row_count)
      await transact(db, (trx) => this.keep(trx, run.id, { state: 'done', ended_at: new Date() }));
  }

  private async bringInBatch(
    trx: Transaction,
    run: Run,
    doer: Doer,
    from: number,
    count: number,
  ): Promise<void> {
    const by = await reckoning(trx);
    const { rows, plans } = await this.plan(trx, run, from, count, by, new Known(trx));
    const clientIds: (number | null)[] = [];
    for (const plan of plans)
      clientIds.push(plan.outcome === 'refused' ? null : await writePlan(trx, doer, plan));
    await noteOutcomes(trx, run.id, rows, plans, clientIds);
    await noteChange(trx, 'records');
    await this.keep(trx, run.id, { position: from + rows.length });
  }

  /** Takes back what a list brought in, the last first; what somebody has worked on since stays, and is told. */
  private async takeBack(run: Run): Promise<void> {
    const { db } = this.context;
    const doer: Doer = { staffId: run.staff_id, importId: run.id };
    for (let position = run.position; !this.rounds.ending;) {
      const steps = await db('audit')
        .where({ import_id: run.id })
        .where('id', '<', position)
        .orderBy('id', 'desc')
        .limit(UNDONE_AT_ONCE);
      if (!steps.length) {
        await transact(db, (trx) => this.keep(trx, run.id, { state: 'undone', ended_at: new Date() }));
        return;
      }
      position = steps.at(-1)?.id ?? 0;
      await transact(db, async (trx) => {
        const stays: string[] = [];
        for (const step of steps) stays.push(...(await undoStep(trx, doer, step)));
        const before = (await trx('import_run').where({ id: run.id }).first('problem'))?.problem ?? '';
        const problem = [before, ...stays].filter(Boolean).join(' ').slice(0, LONGEST_PROBLEM) || null;
        await noteChange(trx, 'records');
        await this.keep(trx, run.id, { position, problem });
      });
    }
  }
}

function decide(wanted: Wanted, known: Known, run: Run, { country }: Reckoning): Plan {
  const plan = decideRow(wanted, known.meant(wanted), run.existing, country);
  const { client, person, file, fee } = plan;
  if (client) known.note(client.known, person?.known ?? null, file?.known ?? null, fee?.known ?? null);
  return plan;
}

async function noteOutcomes(
  trx: Transaction,
  importId: number,
  rows: readonly { line: number }[],
  plans: readonly Plan[],
  clientIds: readonly (number | null)[] = [],
): Promise<void> {
  if (!rows.length) return;
  await trx.raw(
    `INSERT INTO import_row (import_id, line, cells, outcome, words, client_id)
      VALUES ${rows.map(() => "(?, ?, '', ?, ?, ?)").join(', ')}
      ON DUPLICATE KEY UPDATE outcome = VALUES(outcome), words = VALUES(words), client_id = VALUES(client_id)`,
    rows.flatMap(({ line }, at) => [
      importId,
      line,
      plans[at]?.outcome ?? 'refused',
      (plans[at]?.words ?? []).join(' ').slice(0, 4000),
      clientIds[at] ?? plans[at]?.client?.known.id ?? null,
    ]),
  );
}

/** @returns why something stays, in sentences */
async function undoStep(trx: Transaction, doer: Doer, step: Rows['audit']): Promise<string[]> {
  const subject = step.subject as 'client' | 'person' | 'file';
  const id = step.subject_id ?? 0;
  if (step.subject === 'fee note') return undoFee(trx, { staffId: doer.staffId }, step);
  if (step.action.endsWith(' changed')) {
    const there = await trx(subject as 'client')
      .where({ id })
      .first('id');
    if (!there) return [];
    // A client that stays keeps what the list said of it.
    const importId = doer.importId ?? 0;
    const whole = subject === 'client' && (await isMadeBy(trx, id, importId));
    if (whole && (await workedOn(trx, id, importId))) return [];
    const values = (text: string | null) => JSON.parse(text ?? '{}') as Record<string, unknown>;
    const change = { before: values(step.after_value), after: values(step.before_value) };
    try {
      await changeWithin(trx, { staffId: doer.staffId }, subject, id, change, `${subject} taken back`);
      return [];
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      return [`A change of ${subject} ${id} stays: it was changed again since.`];
    }
  }
  if (!/ (?:made|opened)$/.test(step.action)) return [];
  const why = await removeMade(trx, doer, subject, id);
  return why ? [why] : [];
}
