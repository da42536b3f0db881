import { countOf } from '../../foundation/rows.ts';
import { errorForLog, inSeconds, transact } from '../../foundation/database.ts';
import { forgetChanges, noteChange } from '../../foundation/changes.ts';
import type { AppContext } from '../../foundation/context.ts';
import { MailboxSync, type Chore } from './sync.ts';
import { connectionProblem } from '../../mailserver/problem.ts';
import type { MailboxRow } from '../../mailserver/access.ts';

const LEASE_SECONDS = 30;
const ROUND = 5000;
const MOST_OFTEN = 500;
/** That this process is here is said this often, in milliseconds: well within a lease. */
const SAID_ROUND = 9000;
/** Processes that have not been heard of for long are forgotten this often, in milliseconds. */
const FORGET_ROUND = 10 * 60_000;
/** A connection that held for this long, in milliseconds, counts as a good one. */
const RAN_LONG = 60_000;
/** Growing waits after a failure, in milliseconds. */
const WAITS = [2000, 5000, 15_000, 60_000, 300_000];

interface Kept {
  sync: MailboxSync | null;
  /** How the connection is made, and what is taken over it. */
  way: string;
  failures: number;
  notBefore: number;
  failedAt: number;
  /** When the connection was begun. */
  since: number;
}

/**
 * Keeps every mailbox in step, each by one process at a time: a process holds a mailbox under a lease
 * and another takes over when it stops renewing it.
 */
export class MailboxSupervisor {
  private readonly kept = new Map<number, Kept>();
  private timer: NodeJS.Timeout | null = null;
  private stopped = false;
  private round: Promise<void> = Promise.resolve();

  private deaf: (() => void) | null = null;
  private forgetAt = 0;
  private saidAt = 0;

  constructor(
    private readonly context: AppContext,
    private readonly chores: readonly Chore[] = [],
  ) {}

  /** Claims its share of the mailboxes in each round until it is stopped. */
  start(): void {
    this.deaf = this.context.watch.listen((changes) => {
      for (const { topic, id } of changes) if (topic === 'pending') this.stir(id);
    });
    const next = () => {
      this.round = this.claim()
        .catch((error) =>
          this.context.log.error({ error: errorForLog(error) }, 'mailboxes could not be claimed'),
        )
        .then(() => {
          if (!this.stopped) this.timer = setTimeout(next, this.pause());
        });
    };
    next();
  }

  /** Until the next round, or until a mailbox that failed is to be tried again. */
  private pause(): number {
    const due = [...this.kept.values()]
      .filter(({ sync }) => !sync)
      .map(({ notBefore }) => notBefore - Date.now());
    return Math.max(MOST_OFTEN, Math.min(ROUND, ...due));
  }

  /** Something is to be told to a mailbox's server. @param mailboxId null: to any */
  private stir(mailboxId: number | null): void {
    for (const [id, { sync }] of this.kept) if (mailboxId === null || id === mailboxId) sync?.stir();
  }

  /** Ends every connection and gives up the leases. */
  async stop(): Promise<void> {
    this.stopped = true;
    this.deaf?.();
    if (this.timer) clearTimeout(this.timer);
    await this.round;
    for (const { sync } of this.kept.values()) sync?.stop();
    while ([...this.kept.values()].some(({ sync }) => sync))
      await new Promise((resolve) => setTimeout(resolve, 20));
    await this.context
      .db('mailbox')
      .where({ lease_owner: this.context.process })
      .update({ lease_owner: null, lease_until: null });
    await this.context.db('server_process').where({ id: this.context.process }).delete();
  }

  /** Renews our leases and takes mailboxes that nobody keeps: of all no more than our share among the processes there are. */
  private async claim(): Promise<void> {
    const { db, process } = this.context;
    const living = await this.living();
    const mailboxes = await db('mailbox')
      .whereNull('paused_at')
      .whereNull('disconnected_at')
      .orderByRaw('lease_owner <=> ? DESC, id', [process])
      .select();
    this.letGo(mailboxes.map((mailbox) => mailbox.id));
    const share = Math.ceil(mailboxes.length / living);
    const mine = mailboxes.filter((mailbox) => mailbox.lease_owner === process);
    const stays = new Set(mine.slice(0, share).map(({ id }) => id));
    for (const { id } of mine) if (!stays.has(id)) await this.handOver(id);
    const renewed = await this.renew([...stays]);
    let held = renewed.size;
    for (const mailbox of mailboxes) {
      if (mailbox.lease_owner === process && !stays.has(mailbox.id)) continue;
      const ours = renewed.has(mailbox.id) || (held < share && (await this.take(mailbox.id)));
      if (!ours) {
        this.kept.get(mailbox.id)?.sync?.stop();
        continue;
      }
      if (!renewed.has(mailbox.id)) held++;
      const kept = this.kept.get(mailbox.id) ?? {
        sync: null,
        way: '',
        failures: 0,
        notBefore: 0,
        failedAt: 0,
        since: 0,
      };
      this.kept.set(mailbox.id, kept);
      if (mailbox.retry_at && mailbox.retry_at.getTime() > kept.failedAt) kept.notBefore = 0;
      // A connection made the old way, or taking other mail than is wanted now, ends; the next is made anew.
      const way = wayOf(mailbox);
      if (kept.sync && kept.way !== way) kept.sync.stop();
      else if (!kept.sync && kept.notBefore <= Date.now() && !this.stopped) this.keep(mailbox, kept);
    }
  }

  /** @returns which of the leases are still ours */
  private async renew(ids: readonly number[]): Promise<Set<number>> {
    const { db, process } = this.context;
    if (!ids.length) return new Set();
    const own = () => db('mailbox').whereIn('id', ids).where({ lease_owner: process });
    const renewed = await own().update({ lease_until: inSeconds(db, LEASE_SECONDS) });
    return new Set(renewed === ids.length ? ids : await own().pluck('id'));
  }

  /** Takes a mailbox that nobody keeps. @returns whether it is ours now */
  private async take(id: number): Promise<boolean> {
    const { db, process } = this.context;
    const taken = await db('mailbox')
      .where({ id })
      .where((free) => free.whereNull('lease_until').orWhereRaw('lease_until < UTC_TIMESTAMP(3)'))
      .update({ lease_owner: process, lease_until: inSeconds(db, LEASE_SECONDS) });
    return taken > 0;
  }

  /** Says that this process is here, when it is time to. @returns how many there are, this one among them */
  private async living(): Promise<number> {
    const { db, process } = this.context;
    const now = Date.now();
    if (now > this.saidAt + SAID_ROUND) {
      await db.raw(
        'INSERT INTO server_process (id, seen_at) VALUES (?, UTC_TIMESTAMP(3)) ON DUPLICATE KEY UPDATE seen_at = UTC_TIMESTAMP(3)',
        [process],
      );
      this.saidAt = now;
    }
    if (now > this.forgetAt) {
      await db('server_process').whereRaw('seen_at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY').delete();
      await forgetChanges(db);
      this.forgetAt = now + FORGET_ROUND;
    }
    const alive = db('server_process').whereRaw('seen_at > UTC_TIMESTAMP(3) - INTERVAL ? SECOND', [
      LEASE_SECONDS,
    ]);
    return Math.max(1, await countOf(alive));
  }

  /** Leaves a mailbox to another process: its work here ends first, then it is free. */
  private async handOver(id: number): Promise<void> {
    const kept = this.kept.get(id);
    if (kept?.sync) return kept.sync.stop();
    this.kept.delete(id);
    await this.context
      .db('mailbox')
      .where({ id, lease_owner: this.context.process })
      .update({ lease_owner: null, lease_until: null });
  }

  /** Stops keeping what was paused or disconnected. */
  private letGo(ids: readonly number[]): void {
    for (const [id, { sync }] of this.kept) {
      if (ids.includes(id)) continue;
      sync?.stop();
      if (!sync) this.kept.delete(id);
    }
  }

  private keep(mailbox: MailboxRow, kept: Kept): void {
    let sync: MailboxSync;
    try {
      sync = new MailboxSync(this.context, mailbox, this.chores);
    } catch (error) {
      void this.failed(mailbox, kept, error).catch(() => undefined);
      return;
    }
    kept.sync = sync;
    kept.since = Date.now();
    kept.way = wayOf(mailbox);
    sync
      .run()
      .then(() => undefined)
      .catch((error: unknown) =>
        this.stopped || sync.wasStopped ? undefined : this.failed(mailbox, kept, error, sync.wasAtWork),
      )
      // The database may be away, too: then nothing can be written down, and the mailbox is tried again all the same.
      .catch((error: unknown) =>
        this.context.log.error(
          { error: errorForLog(error) },
          'a mailbox’s trouble could not be written down',
        ),
      )
      .finally(() => {
        kept.sync = null;
      });
  }

  private async failed(mailbox: MailboxRow, kept: Kept, error: unknown, ranWell = false): Promise<void> {
    kept.failedAt = Date.now();
    // Whoever was at work before is at once again; one that is thrown out each time is not asked without a pause.
    kept.failures = ranWell ? Math.min(kept.failures + 1, 2) : kept.failures + 1;
    if (ranWell && Date.now() - kept.since > RAN_LONG) kept.failures = 1;
    kept.notBefore = Date.now() + (WAITS[Math.min(kept.failures, WAITS.length) - 1] ?? 2000);
    const { words, needsPerson } = connectionProblem(error);
    this.context.log.warn({ mailbox: mailbox.address, words, error: errorForLog(error) }, 'mailbox failed');
    // One lost connection mends itself; it is told of the second.
    if (kept.failures < 2 && !needsPerson) return;
    await transact(this.context.db, async (trx) => {
      await trx('mailbox')
        .where({ id: mailbox.id })
        .update({
          problem: words.slice(0, 500),
          needs_person: needsPerson,
          failing_since: trx.raw('COALESCE(failing_since, UTC_TIMESTAMP(3))'),
        });
      await noteChange(trx, 'mailboxes', 'mailbox', [mailbox.id]);
    });
  }
}

function wayOf(mailbox: MailboxRow): string {
  const { imap_host, imap_port, imap_security, user, sealed_password, take_from } = mailbox;
  return [imap_host, imap_port, imap_security, user, sealed_password.toString('hex'), take_from].join(' ');
}
