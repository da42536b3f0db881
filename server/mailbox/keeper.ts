import { errorForLog } from '../database/database.ts';
import { beat } from '../database/pulse.ts';
import type { Office } from '../office.ts';
import { connectionProblem, type MailboxRow } from './connection.ts';
import { MailboxSync } from './sync.ts';

const LEASE_SECONDS = 30;
const ROUND = 5000;
/** Growing waits after a failure, in milliseconds. */
const WAITS = [2000, 5000, 15_000, 60_000, 300_000];

interface Kept {
  sync: MailboxSync | null;
  /** How the connection is made, and what is taken over it. */
  way: string;
  failures: number;
  notBefore: number;
  failedAt: number;
}

/**
 * Keeps every mailbox in step, each by one process at a time: a process holds a mailbox under a lease
 * and another takes over when it stops renewing it.
 */
export class MailboxKeeper {
  private readonly kept = new Map<number, Kept>();
  private timer: NodeJS.Timeout | null = null;
  private stopped = false;
  private round: Promise<void> = Promise.resolve();

  constructor(private readonly office: Office) {}

  start(): void {
    const next = () => {
      this.round = this.claim()
        .catch((error) =>
          this.office.log.error({ error: errorForLog(error) }, 'mailboxes could not be claimed'),
        )
        .then(() => {
          if (!this.stopped) this.timer = setTimeout(next, ROUND);
        });
    };
    next();
  }

  async stop(): Promise<void> {
    this.stopped = true;
    if (this.timer) clearTimeout(this.timer);
    await this.round;
    for (const { sync } of this.kept.values()) sync?.stop();
    while ([...this.kept.values()].some(({ sync }) => sync))
      await new Promise((resolve) => setTimeout(resolve, 20));
    await this.office
      .db('mailbox')
      .where({ lease_owner: this.office.process })
      .update({ lease_owner: null, lease_until: null });
    await this.office.db('server_process').where({ id: this.office.process }).delete();
  }

  /** Renews our leases and takes mailboxes that nobody keeps: of all no more than our share among the processes there are. */
  private async claim(): Promise<void> {
    const { db, process } = this.office;
    const living = await this.living();
    const mailboxes: (MailboxRow & { lease_owner: string | null })[] = await db('mailbox')
      .whereNull('paused_at')
      .whereNull('disconnected_at')
      .orderByRaw('lease_owner <=> ? DESC, id', [process])
      .select();
    this.letGo(mailboxes.map((mailbox) => mailbox.id));
    const share = Math.ceil(mailboxes.length / living);
    let held = 0;
    for (const mailbox of mailboxes) {
      if (held >= share) {
        if (mailbox.lease_owner === process) await this.handOver(mailbox.id);
        continue;
      }
      const now = new Date();
      const ours = await db('mailbox')
        .where({ id: mailbox.id })
        .andWhere((query) =>
          query.where({ lease_owner: process }).orWhereNull('lease_until').orWhere('lease_until', '<', now),
        )
        .update({ lease_owner: process, lease_until: new Date(now.getTime() + LEASE_SECONDS * 1000) });
      if (ours) held++;
      const kept = this.kept.get(mailbox.id) ?? {
        sync: null,
        way: '',
        failures: 0,
        notBefore: 0,
        failedAt: 0,
      };
      this.kept.set(mailbox.id, kept);
      if (mailbox.retry_at && mailbox.retry_at.getTime() > kept.failedAt) kept.notBefore = 0;
      // A connection made the old way, or taking other mail than is wanted now, ends; the next is made anew.
      const way = wayOf(mailbox);
      if (!ours || (kept.sync && kept.way !== way)) kept.sync?.stop();
      else if (!kept.sync && kept.notBefore <= Date.now() && !this.stopped) this.keep(mailbox, kept);
    }
  }

  /** Says that this process is here. @returns how many there are, this one among them */
  private async living(): Promise<number> {
    const { db, process } = this.office;
    await db.raw(
      'INSERT INTO server_process (id, seen_at) VALUES (?, UTC_TIMESTAMP(3)) ON DUPLICATE KEY UPDATE seen_at = UTC_TIMESTAMP(3)',
      [process],
    );
    await db('server_process').whereRaw('seen_at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY').delete();
    const row = await db('server_process')
      .whereRaw('seen_at > UTC_TIMESTAMP(3) - INTERVAL ? SECOND', [LEASE_SECONDS])
      .count('* as count')
      .first();
    return Math.max(1, Number(row?.count ?? 1));
  }

  /** Leaves a mailbox to another process: its work here ends first, then it is free. */
  private async handOver(id: number): Promise<void> {
    const kept = this.kept.get(id);
    if (kept?.sync) return kept.sync.stop();
    this.kept.delete(id);
    await this.office
      .db('mailbox')
      .where({ id, lease_owner: this.office.process })
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
      sync = new MailboxSync(this.office, mailbox);
    } catch (error) {
      void this.failed(mailbox, kept, error).catch(() => undefined);
      return;
    }
    kept.sync = sync;
    kept.way = wayOf(mailbox);
    const started = Date.now();
    sync
      .run()
      .then(() => undefined)
      .catch((error: unknown) =>
        this.stopped || sync.wasStopped
          ? undefined
          : this.failed(mailbox, kept, error, Date.now() - started > 60_000),
      )
      // The database may be away, too: then nothing can be written down, and the mailbox is tried again all the same.
      .catch((error: unknown) =>
        this.office.log.error({ error: errorForLog(error) }, 'a mailbox’s trouble could not be written down'),
      )
      .finally(() => (kept.sync = null));
  }

  private async failed(mailbox: MailboxRow, kept: Kept, error: unknown, ranWell = false): Promise<void> {
    kept.failedAt = Date.now();
    kept.failures = ranWell ? 1 : kept.failures + 1;
    kept.notBefore = Date.now() + (WAITS[Math.min(kept.failures, WAITS.length) - 1] ?? 2000);
    const { words, needsPerson } = connectionProblem(error);
    this.office.log.warn({ mailbox: mailbox.address, words, error: errorForLog(error) }, 'mailbox failed');
    // One lost connection mends itself; it is told of the second.
    if (kept.failures < 2 && !needsPerson) return;
    const { db } = this.office;
    await db('mailbox')
      .where({ id: mailbox.id })
      .update({
        problem: words.slice(0, 500),
        needs_person: needsPerson,
        failing_since: db.raw('COALESCE(failing_since, UTC_TIMESTAMP(3))'),
      });
    await beat(db, 'mailboxes');
  }
}

function wayOf(mailbox: MailboxRow): string {
  const { imap_host, imap_port, imap_security, user, sealed_password, take_from } = mailbox;
  return [imap_host, imap_port, imap_security, user, sealed_password.toString('hex'), take_from].join(' ');
}
