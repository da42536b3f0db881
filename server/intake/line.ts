import { selectFirst } from '../foundation/rows.ts';
import {
  errorForLog,
  isOwnFault,
  isRefusedContent,
  transact,
  type Transaction,
} from '../foundation/database.ts';
import { noteChange } from '../foundation/changes.ts';
import { holdMessages, refreshMarks } from '../correspondence/marks.ts';
import type { AppContext } from '../foundation/context.ts';
import { readSources, unread, type Reading } from '../reading/pool.ts';
import { Turns } from '../foundation/turns.ts';
import { compareSent } from './compare.ts';
import { intakeTurn, recordCopies, recordMessages, storeSources, teachingOf } from './keep.ts';
import { teachHistory } from '../filing/history.ts';
import { takeAwayOurs } from './ownCopies.ts';
import { prepare, type Arrival, type Prepared, type Receiving } from './prepare.ts';
import { noteServers, receivingServer } from './senders.ts';
import { byRecords } from '../../core/filing/certain.ts';
import type { FilingKnowledge } from '../../core/filing/decide.ts';
import { filingKnowledge, isCurrent } from '../filing/knowledge.ts';
import { weighAnew } from '../filing/standing.ts';

/** So many batches are read or wait to be kept at once, so that memory stays bounded. */
const IN_LINE = 4;

type Progress = (trx: Transaction) => Promise<unknown>;

/** Takes batches of one mailbox in one after another, while the next is being read and the one after it fetched. */
export class IntakeLine {
  private tail: Promise<unknown> = Promise.resolve();
  private failure: { error: unknown } | null = null;
  private readonly waiting = new Set<Promise<unknown>>();

  constructor(
    private readonly context: AppContext,
    private readonly mailboxId: number,
  ) {}

  /**
   * Hands a batch over, once it may be: then the next can be fetched while this one is read.
   * @param progress what to write down in the same transaction about how far the folder has been read
   * @throws what went wrong with an earlier batch
   */
  async hand(arrivals: readonly Arrival[], progress?: Progress): Promise<void> {
    while (this.waiting.size >= IN_LINE) await Promise.race(this.waiting);
    const before = this.tail;
    const work = Promise.all([this.read(arrivals), before]).then(async ([batch]) => {
      // What comes after a failure waits for the next attempt: progress must not run ahead of it.
      if (!this.failure) await takeIn(this.context, batch, progress);
    });
    this.tail = work.catch((error: unknown) => {
      this.failure ??= { error };
    });
    const settled: Promise<unknown> = this.tail.then(() => this.waiting.delete(settled));
    this.waiting.add(settled);
    if (this.failure) await this.done();
  }

  private async read(arrivals: readonly Arrival[]): Promise<Batch> {
    const receiving = await receivingServer(this.context.db, this.mailboxId);
    const readings = await readSources(arrivals.map((arrival) => arrival.raw));
    const batch = await prepared(this.context, receiving, arrivals, readings);
    // What cannot be kept beforehand is found out, message by message, when its turn comes.
    await storeSources(this.context.db, batch.prepared).catch((error: unknown) => {
      if (!isRefusedContent(error)) throw error;
    });
    return batch;
  }

  /** Waits until everything handed over has been kept. @throws what went wrong with one of the batches */
  async done(): Promise<void> {
    await this.tail;
    const { failure } = this;
    this.failure = null;
    if (failure) throw failure.error;
  }
}

interface Batch {
  knowledge: FilingKnowledge;
  receiving: Receiving;
  arrivals: readonly Arrival[];
  prepared: readonly Prepared[];
}

async function prepared(
  context: AppContext,
  receiving: Receiving,
  arrivals: readonly Arrival[],
  readings: readonly Reading[],
): Promise<Batch> {
  const knowledge = await filingKnowledge(context);
  const turns = new Turns();
  const ready: Prepared[] = [];
  for (const [index, arrival] of arrivals.entries()) {
    const reading = readings[index];
    if (!reading) continue;
    const { internalDate: arrived, sent: ours, past } = arrival;
    const origin = { arrived, ours, receiving, past };
    const message = prepare(knowledge.register, reading, arrival.raw, origin);
    if (past) message.byRecords = byRecords(knowledge, message.filing);
    ready.push(message);
    await turns.pass();
  }
  return { knowledge, receiving, arrivals, prepared: ready };
}

/**
 * Takes a batch in: each message once, whatever mailboxes hold it, decided on and kept with its evidence, in
 * one transaction. Taking the same batch in again changes nothing. A batch that the database refuses for
 * what it holds is halved, down to the one message; that is kept as its source with its headers, and says why.
 */
async function takeIn(context: AppContext, batch: Batch, progress?: Progress): Promise<void> {
  const { arrivals, receiving } = batch;
  try {
    await recordBatch(context, batch, progress);
  } catch (error) {
    if (!isRefusedContent(error) && !isOwnFault(error)) throw error;
    if (arrivals.length > 1) {
      const half = Math.ceil(arrivals.length / 2);
      await takeIn(context, part(batch, 0, half));
      await takeIn(context, part(batch, half), progress);
      return;
    }
    const [arrival] = arrivals;
    if (!arrival || batch.prepared[0]?.read.problem) throw error;
    context.log.warn(
      { mailbox: receiving.mailboxId, error: errorForLog(error) },
      'a message could not be kept whole',
    );
    const reading = await unread(arrival.raw, 'our database does not take what it holds');
    const bare = await prepared(context, receiving, arrivals, [reading]);
    await storeSources(context.db, bare.prepared);
    await recordBatch(context, bare, progress);
  }
}

function part(batch: Batch, from: number, to?: number): Batch {
  return { ...batch, arrivals: batch.arrivals.slice(from, to), prepared: batch.prepared.slice(from, to) };
}

async function recordBatch(
  context: AppContext,
  { knowledge, receiving, arrivals, prepared }: Batch,
  progress?: Progress,
): Promise<void> {
  await transact(context.db, async (trx) => {
    if (arrivals.length) {
      await intakeTurn(trx);
      const current = await isCurrent(trx, knowledge);
      const newest = (await selectFirst(trx('message'), { id: trx.raw<number | null>('MAX(id)') }))?.id ?? 0;
      const recorded = await recordMessages(trx, knowledge, prepared, arrivals);
      const ids = recorded.map(({ id }) => id);
      // Somebody was entered in the records, or a rule made, since the batch was prepared.
      if (!current) await weighAnew(trx, trx('message').whereIn('id', ids));
      // What was here before may be read or moved at this moment; what is new nobody knows yet.
      const known = ids.filter((id) => id <= newest);
      await holdMessages(trx, known);
      await recordCopies(trx, arrivals, recorded);
      // What is new has its marks already.
      await refreshMarks(trx, known);
      await compareSent(trx, arrivals, prepared, ids);
      await takeAwayOurs(trx, arrivals, prepared);
      await noteServers(trx, receiving, prepared);
      await noteChange(trx, 'mail', 'mailbox', [receiving.mailboxId]);
      await teachHistory(trx, teachingOf(recorded));
    }
    await progress?.(trx);
  });
}
