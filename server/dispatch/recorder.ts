import { noteDifference } from '../correspondence/differences.ts';
import { filingKnowledge } from '../filing/knowledge.ts';
import {
  errorForLog,
  isOwnFault,
  isRefusedContent,
  transact,
  type Transaction,
} from '../foundation/database.ts';
import type { AppContext } from '../foundation/context.ts';
import { noteChange } from '../foundation/changes.ts';
import { groupBy } from '../foundation/rows.ts';
import { readRaw } from '../foundation/sources.ts';
import { Turns } from '../foundation/turns.ts';
import { intakeTurn, recordMessages, storeSources } from '../intake/keep.ts';
import { prepare, type Prepared } from '../intake/prepare.ts';
import { readSource, unread } from '../reading/pool.ts';
import type { ClaimedRow, OutgoingKind } from './port.ts';

/** So many are put on record at once. */
const BATCH = 100;

interface LeftRow extends Pick<ClaimedRow, 'id' | 'kind' | 'mailing_id' | 'draft_id'> {
  raw_hash: Buffer;
  sent_at: Date;
}

/** Puts what has left on record, beside the sending: as a message on its file, the very bytes that left. */
export class Recorder {
  private running: Promise<void> | null = null;
  private recorded = 0;

  constructor(
    private readonly context: AppContext,
    private readonly kinds: readonly OutgoingKind[],
  ) {}

  /** Whether a round is under way. */
  get busy(): boolean {
    return this.running !== null;
  }

  /** Lets what is under way come to its end. */
  async close(): Promise<void> {
    await this.running;
  }

  /**
   * Begins a round unless one is under way.
   * @param whole until nothing is left to be put on record; else some
   * @returns how many were put on record since the last call
   */
  work(whole: boolean): number {
    const all = async () => {
      for (let count = await this.some(); count; count = whole ? await this.some() : 0)
        this.recorded += count;
    };
    this.running ??= all()
      .catch((error: unknown) =>
        this.context.log.error({ error: errorForLog(error) }, 'what has left could not be logged'),
      )
      .finally(() => (this.running = null));
    const { recorded } = this;
    this.recorded = 0;
    return recorded;
  }

  /** @returns how many of what has left were put on record */
  private async some(): Promise<number> {
    const rows: LeftRow[] = await this.context
      .db('dispatch')
      .whereIn('state', ['sent', 'returned'])
      .whereNull('logged_message_id')
      .whereNotNull('sent_at')
      .whereNotNull('raw_hash')
      .limit(BATCH)
      .select('id', 'kind', 'mailing_id', 'draft_id', 'raw_hash', 'sent_at');
    if (rows.length) await this.record(rows);
    return rows.length;
  }

  /** Logs some of what has left: when that is refused for what it holds, half by half, down to the one message. */
  private async record(rows: readonly LeftRow[], bare = false): Promise<void> {
    try {
      await this.recordTogether(rows, bare);
    } catch (error) {
      if (!isRefusedContent(error) && !isOwnFault(error)) throw error;
      if (rows.length > 1) {
        const half = Math.ceil(rows.length / 2);
        await this.record(rows.slice(0, half));
        await this.record(rows.slice(half));
      } else if (bare) throw error;
      else await this.record(rows, true);
    }
  }

  /** @param bare as sources and headers alone, for what cannot be kept whole */
  private async recordTogether(rows: readonly LeftRow[], bare: boolean): Promise<void> {
    const { db } = this.context;
    const knowledge = await filingKnowledge(this.context);
    const turns = new Turns();
    const prepared: Prepared[] = [];
    for (const row of rows) {
      const bytes = await readRaw(db, row.raw_hash);
      const reading = bare ? await unread(bytes, 'it could not be kept whole') : await readSource(bytes);
      prepared.push(
        prepare(knowledge.register, reading, bytes, {
          arrived: row.sent_at,
          ours: true,
          receiving: null,
          past: false,
        }),
      );
      await turns.pass();
    }
    await storeSources(db, prepared, { evenKnown: true });
    await transact(db, async (trx) => {
      await intakeTurn(trx);
      const ids = (await recordMessages(trx, knowledge, prepared)).map(({ id }) => id);
      await this.recordWhatLeft(trx, rows, ids);
      await this.tellKinds(trx, rows, ids);
      const which = rows.map((row, index) => [row.id, ids[index] ?? 0]);
      await trx.raw(
        `UPDATE dispatch SET logged_message_id = CASE id ${which.map(() => 'WHEN ? THEN ?').join(' ')} END WHERE id IN (${which.map(() => '?').join(', ')})`,
        [...which.flat(), ...rows.map((row) => row.id)],
      );
      await noteChange(trx, 'mail', 'message', ids);
    });
  }

  /** The record is what left: when a copy was taken in from Sent before, the bytes that left take its place. */
  private async recordWhatLeft(
    trx: Transaction,
    rows: readonly { raw_hash: Buffer }[],
    ids: readonly number[],
  ): Promise<void> {
    const kept = await trx('message').whereIn('id', ids).select('id', 'raw_hash');
    const recorded = new Map(kept.map((row) => [row.id, row.raw_hash]));
    for (const [index, row] of rows.entries()) {
      const id = ids[index] ?? 0;
      const other = recorded.get(id);
      if (!other || other.equals(row.raw_hash)) continue;
      await noteDifference(trx, id, await readRaw(trx, row.raw_hash), await readRaw(trx, other));
      await trx('message').where({ id }).update({ raw_hash: row.raw_hash });
    }
  }

  private async tellKinds(trx: Transaction, rows: readonly LeftRow[], ids: readonly number[]): Promise<void> {
    const recorded = rows.map((row, index) => ({ ...row, recordId: ids[index] ?? 0 }));
    const byKind = groupBy(recorded, (row) => row.kind);
    for (const kind of this.kinds) await kind.recorded(trx, byKind.get(kind.name) ?? []);
  }
}
