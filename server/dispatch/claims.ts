import type { AppContext } from '../foundation/context.ts';
import { inSeconds, isAway, transact } from '../foundation/database.ts';
import { nextFree, readAllowed, spent, withinAllowance } from './allowance.ts';
import { CLAIMED, type ClaimedRow, type OutgoingKind } from './port.ts';

/** A claim lasts this long unless it is renewed, in seconds. */
export const LEASE_SECONDS = 60;
/** Messages claimed at once; each has its own lease. */
const CLAIM = 240;
/** Between two tries to write down what became of a message, in milliseconds. */
const LONGEST_WAIT = 3000;

/** Who holds which row of `dispatch`: any number of processes claim rows under a lease and skip those that others hold. */
export class Claims {
  /** With the end of the process nothing is waited for any more. */
  stopped = false;
  private readonly kinds: readonly OutgoingKind[];

  constructor(
    private readonly context: AppContext,
    kinds: readonly OutgoingKind[],
  ) {
    this.kinds = [...kinds].sort((a, b) => a.priority - b.priority);
  }

  /** Takes back what a process left lying: safe to send again if nothing was handed over, uncertain if it was. */
  async recover(): Promise<void> {
    const { db } = this.context;
    const expired = () => db('dispatch').where({ state: 'going' }).whereRaw('lease_until < UTC_TIMESTAMP(3)');
    const ids: number[] = await expired().pluck('id');
    for (const id of ids) {
      await transact(db, async (trx) => {
        const row = await expired().transacting(trx).where({ id }).forUpdate().first('handed_at');
        if (!row) return;
        const state = row.handed_at ? 'uncertain' : 'waiting';
        await trx('dispatch').where({ id }).update({ state, lease_owner: null, lease_until: null });
      });
    }
  }

  /**
   * Claims what is due.
   * @param busy mailboxes that are sending already
   * @returns rows in the order in which they are to leave
   */
  async claim(busy: readonly number[]): Promise<ClaimedRow[]> {
    const { db, process, config } = this.context;
    const ready = await Promise.all(this.kinds.map(async (kind) => ({ kind, narrow: await kind.ready(db) })));
    if (this.stopped) return [];
    const now = new Date();
    const waiting = await spent(db);
    const due = () =>
      db('dispatch')
        .whereIn('state', ['waiting', 'delayed'])
        .where((any) => {
          for (const { kind, narrow } of ready)
            any.orWhere((own) => {
              own.where({ kind: kind.name });
              if (kind.limited) own.whereNotIn('mailbox_id', waiting);
              narrow(own);
            });
        })
        .whereNotIn('mailbox_id', busy)
        .where('next_at', '<=', now);
    if (!(await due().first('id'))) return [];
    const names = this.kinds.map(({ name }) => name);
    const limited = new Set(this.kinds.flatMap((kind) => (kind.limited ? kind.name : [])));
    const byPriority = `FIELD(kind, ${names.map(() => '?').join(', ')}), next_at`;
    return transact(db, async (trx) => {
      const some = await due()
        .transacting(trx)
        .orderByRaw(byPriority, names)
        .limit(CLAIM)
        .forUpdate()
        .skipLocked()
        .select('id', 'kind', 'mailbox_id');
      const rows = some.map((row) => ({ ...row, limited: limited.has(row.kind) }));
      const allowed = await readAllowed(trx, config.sendGap);
      const ids = (await withinAllowance(trx, rows, allowed)).map(({ id }) => id);
      if (!ids.length) return [];
      await trx('dispatch')
        .whereIn('id', ids)
        .update({
          state: 'going',
          attempts: trx.raw('attempts + 1'),
          lease_owner: process,
          lease_until: inSeconds(trx, LEASE_SECONDS),
          handed_at: null,
        });
      return trx('dispatch')
        .whereIn('id', ids)
        .orderByRaw(byPriority, names)
        .select<ClaimedRow[]>([...CLAIMED]);
    });
  }

  /** In how many milliseconds the next is due, or a mailbox may send again; null when nothing waits for its time. */
  async nextDue(): Promise<number | null> {
    const now = new Date();
    const [row] = await this.context
      .db('dispatch')
      .whereIn('state', ['waiting', 'delayed'])
      .where('next_at', '>', now)
      .min<{ at: Date | null }[]>('next_at as at');
    const waits = [row?.at ? row.at.getTime() - now.getTime() : null, await nextFree(this.context.db)];
    const known = waits.filter((wait) => wait !== null);
    return known.length ? Math.min(...known) : null;
  }

  /**
   * Writes down what became of a message, if it is still ours; tried again, when the database is away, for as
   * long as anybody could think of sending it anew. What a server has said it took is written down even if the
   * message was given up as uncertain meanwhile: nobody else can know.
   * @param alive whether the lease must last still
   * @returns whether it was ours
   * @throws what the database throws, when it is not away or the process ends
   */
  async change(row: { id: number }, columns: Record<string, unknown>, alive = false): Promise<boolean> {
    const { db, process } = this.context;
    const began = Date.now();
    for (let wait = 100; ; wait = Math.min(2 * wait, LONGEST_WAIT)) {
      try {
        const changed = await transact(db, (trx) => {
          const ours = trx('dispatch')
            .where({ id: row.id })
            .where((mine) => {
              mine.where({ state: 'going', lease_owner: process });
              if (columns.state === 'sent') mine.orWhere({ state: 'uncertain' });
            });
          if (alive) ours.whereRaw('lease_until > UTC_TIMESTAMP(3)');
          return ours.update(columns);
        });
        return changed > 0;
      } catch (error) {
        const late = Date.now() - began > 2 * LEASE_SECONDS * 1000;
        // Before anything was handed over there is no hurry to write down that it will be.
        if (late || alive || this.stopped || !isAway(error)) throw error;
        await new Promise((resolve) => setTimeout(resolve, wait));
      }
    }
  }
}
