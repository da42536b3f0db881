import type { AppContext } from '../foundation/context.ts';
import { inSeconds, isAway, transact } from '../foundation/database.ts';
import { nextFree, readAllowed, spent, withinAllowance } from './allowance.ts';
import { GroupedWrites } from './grouped.ts';
import type { Rows } from '../foundation/tables.ts';
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
   * Puts back what this process claimed without coming to send it: what it was needed for failed, or the database went
   * away before it could say that it is claimed.
   * @param held what this process is about to send
   */
  async putBack(held: readonly number[]): Promise<void> {
    const { db, process } = this.context;
    await db('dispatch')
      .where({ state: 'going', lease_owner: process })
      .whereNull('handed_at')
      .whereNotIn('id', held)
      .update({ state: 'waiting', attempts: db.raw('attempts - 1'), lease_owner: null, lease_until: null });
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
   * Writes down that messages are about to be handed over, those that are still ours: whoever finds them later, their
   * worker being dead, knows that they may have been sent.
   */
  private readonly handing = new GroupedWrites<{ id: number; at: Date }, boolean>(async (rows) => {
    const { db, process } = this.context;
    const ids = rows.map(({ id }) => id);
    const ours = () => db('dispatch').whereIn('id', ids).where({ state: 'going', lease_owner: process });
    const handed = await ours()
      .whereNull('handed_at')
      .whereRaw('lease_until > UTC_TIMESTAMP(3)')
      .update({
        handed_at: db.raw(
          `CASE id ${rows.map(() => 'WHEN ? THEN ?').join(' ')} END`,
          rows.flatMap(({ id, at }) => [id, at]),
        ),
        lease_until: inSeconds(db, LEASE_SECONDS),
      });
    if (handed === rows.length) return rows.map(() => true);
    // Some are not ours any more; or it was written down before, and the database went away before it could say so.
    const found = await ours().whereNotNull('handed_at').select('id', 'handed_at');
    const at = new Map(found.map((row) => [row.id, row.handed_at?.getTime()]));
    return rows.map((row) => at.get(row.id) === row.at.getTime());
  });

  /** Writes down that messages were sent. */
  private readonly sending = new GroupedWrites<Sent, null>((rows) =>
    this.patiently(async () => {
      const { db, process } = this.context;
      const cases = (column: 'answer' | 'refused') =>
        db.raw(
          `CASE id ${rows.map(() => 'WHEN ? THEN ?').join(' ')} END`,
          rows.flatMap((row) => [row.id, row[column]]),
        );
      await db('dispatch')
        .whereIn(
          'id',
          rows.map(({ id }) => id),
        )
        .where((mine) => mine.where({ state: 'going', lease_owner: process }).orWhere({ state: 'uncertain' }))
        .update({
          state: 'sent',
          sent_at: new Date(),
          answer: cases('answer'),
          refused: cases('refused'),
          lease_owner: null,
          lease_until: null,
        });
      return rows.map(() => null);
    }),
  );

  /** Writes down that a message is about to be handed over. @returns whether it is still ours: else not a byte may leave */
  hand(id: number): Promise<boolean> {
    return this.handing.ask({ id, at: new Date() });
  }

  /**
   * Writes down that a message was sent: also when it was given up as uncertain meanwhile, since nobody else can know.
   * Tried again, when the database is away, for as long as anybody could think of sending it anew.
   */
  async sent(row: Sent): Promise<void> {
    await this.sending.ask(row);
  }

  /** Writes down what else became of a message, if it is still ours; tried again as {@link sent} is. */
  async change(row: { id: number }, columns: Partial<Rows['dispatch']>): Promise<void> {
    const { db, process } = this.context;
    await this.patiently(async () => {
      await db('dispatch').where({ id: row.id, state: 'going', lease_owner: process }).update(columns);
    });
  }

  private async patiently<T>(write: () => Promise<T>): Promise<T> {
    const began = Date.now();
    for (let wait = 100; ; wait = Math.min(2 * wait, LONGEST_WAIT)) {
      try {
        return await write();
      } catch (error) {
        const late = Date.now() - began > 2 * LEASE_SECONDS * 1000;
        if (late || this.stopped || !isAway(error)) throw error;
        await new Promise((resolve) => setTimeout(resolve, wait));
      }
    }
  }
}

/** What a server said when it took a message. */
interface Sent {
  id: number;
  answer: string;
  /** Addresses it refused while it took others. */
  refused: string | null;
}
