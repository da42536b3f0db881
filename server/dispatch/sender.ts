import { addressKey } from '../../core/address/address.ts';
import { meaningOf, waitBeforeNext, GIVE_UP_AFTER_SECONDS } from '../../core/delivery/attempts.ts';
import { returnKind, returnWords, statusIn } from '../../core/delivery/report.ts';
import { errorForLog, transact } from '../foundation/database.ts';
import type { AppContext } from '../foundation/context.ts';
import { groupBy } from '../foundation/rows.ts';
import { storeRaw, readRaw } from '../foundation/sources.ts';
import { OutgoingConnection, type SmtpFault } from '../mailserver/smtp.ts';
import type { Claims } from './claims.ts';
import type { ClaimedRow, Outgoing, OutgoingKind } from './port.ts';
import { accessOf, type MailboxRow } from '../mailserver/access.ts';
import { connectionProblem } from '../mailserver/problem.ts';

const CONNECTIONS_PER_MAILBOX = 3;
/** With fewer than so many still to send a mailbox is given more, so that its connections need not wait for them. */
const FEW = 100;

/** So many are composed at once before it is known how large they are, and of large ones so many bytes. */
const FIRST_PORTION = 24;
const PORTION_BYTES = 64 * 1024 * 1024;
/** Larger messages are not held in the queue, but read again when it is their turn. */
const HELD_BYTES = 256 * 1024;

/** Another has the message by now. */
class LeaseLost extends Error {}

/** What a mailbox has still to send, and the connections at work on it. */
interface Queue {
  rows: Going[];
  lanes: Set<Promise<void>>;
}

/** A claimed row with what its kind says of it. */
interface Going extends ClaimedRow {
  outgoing: Outgoing;
  /** Set when the bytes were composed in this round. */
  raw?: Buffer;
}

/**
 * Sends what was claimed. Before the text of a message is handed to a server, that is written down; a message whose
 * worker died before then is simply sent by another, one whose worker died after it is uncertain and never sent again
 * by itself.
 */
export class Sender {
  private readonly idle = new Map<number, OutgoingConnection[]>();
  /** What each mailbox has still to send; a slow server holds up its own mailbox only. */
  private readonly queues = new Map<number, Queue>();
  /** What lies in the queues or is being sent: never taken a second time by this process. */
  private readonly taken = new Set<number>();
  private wake: (() => void) | null = null;

  constructor(
    private readonly context: AppContext,
    private readonly claims: Claims,
    private readonly kinds: readonly OutgoingKind[],
  ) {}

  /** Mailboxes that have enough to send for now. */
  get busyMailboxes(): number[] {
    return [...this.queues].filter(([, { rows }]) => rows.length >= FEW).map(([id]) => id);
  }

  /** What this process is about to send, and is sending. */
  get held(): number[] {
    return [...this.taken];
  }

  /** Whether anything is being sent. */
  get working(): boolean {
    return this.queues.size > 0;
  }

  /** Until one of the mailboxes could be given more, or is through. */
  async moreWanted(): Promise<void> {
    await new Promise<void>((resolve) => (this.wake = resolve));
  }

  /** Lets what is under way come to its end, and closes the connections. */
  async close(): Promise<void> {
    await Promise.all([...this.queues.values()].flatMap(({ lanes }) => [...lanes]));
    for (const connection of [...this.idle.values()].flat()) connection.close();
    this.idle.clear();
  }

  /** Begins to send each mailbox's messages, some at a time, after those it has already. */
  async sendAll(claimed: readonly ClaimedRow[]): Promise<void> {
    // Claimed anew since its lease ran out in the queue: it is there already, and its lease is good again.
    const rows = await this.load(claimed.filter(({ id }) => !this.taken.has(id)));
    const mailboxes = new Map<number, MailboxRow>();
    for (const mailbox of await this.context
      .db('mailbox')
      .whereIn('id', [...new Set(rows.map((row) => row.mailbox_id))]))
      mailboxes.set(mailbox.id, mailbox);
    await this.fixBytes(rows, mailboxes);
    const ready = rows.filter((row) => row.raw ?? row.raw_hash);
    for (const mailbox of mailboxes.values()) {
      const queue: Queue = this.queues.get(mailbox.id) ?? { rows: [], lanes: new Set() };
      for (const row of ready.filter((each) => each.mailbox_id === mailbox.id)) {
        this.taken.add(row.id);
        queue.rows.push(row);
      }
      if (!queue.rows.length) continue;
      this.queues.set(mailbox.id, queue);
      this.fillLanes(mailbox, queue);
    }
  }

  private fillLanes(mailbox: MailboxRow, queue: Queue): void {
    while (queue.lanes.size < CONNECTIONS_PER_MAILBOX) this.addLane(mailbox, queue);
  }

  private addLane(mailbox: MailboxRow, queue: Queue): void {
    const work = async () => {
      // While it is written down that one was sent, the envelope of the next may go; not its text.
      let noted: Promise<unknown> = Promise.resolve();
      for (let row = queue.rows.shift(); row; row = queue.rows.shift()) {
        if (queue.rows.length === FEW - 1) this.wake?.();
        const { id } = row;
        try {
          noted = (await this.send(row, mailbox, noted)).noted;
        } catch (error) {
          // It stays claimed until its lease runs out, and costs no other anything.
          this.context.log.error({ dispatch: id, error: errorForLog(error) }, 'sending failed');
        }
        void noted.then(() => this.taken.delete(id));
      }
      await noted;
    };
    const lane: Promise<void> = work().then(() => {
      queue.lanes.delete(lane);
      if (queue.lanes.size) return;
      // Some may have been put in while the last lane came to its end.
      if (queue.rows.length) return this.fillLanes(mailbox, queue);
      this.queues.delete(mailbox.id);
      this.wake?.();
    });
    queue.lanes.add(lane);
  }

  private async load(claimed: readonly ClaimedRow[]): Promise<Going[]> {
    const byKind = groupBy(claimed, (row) => row.kind);
    const found = new Map<number, Outgoing>();
    for (const kind of this.kinds)
      for (const [id, outgoing] of await kind.load(this.context.db, byKind.get(kind.name) ?? []))
        found.set(id, outgoing);
    return claimed.flatMap((row) => {
      const outgoing = found.get(row.id);
      return outgoing ? [{ ...row, outgoing }] : [];
    });
  }

  /**
   * Sends one message and writes down what became of it.
   * @param before until this has come to its end its text is not handed over
   * @returns `noted`: until what became of it is written down, which never fails
   */
  private async send(
    row: Going,
    mailbox: MailboxRow,
    before: Promise<unknown>,
  ): Promise<{ noted: Promise<unknown> }> {
    const { db, log } = this.context;
    let handed = false;
    try {
      const raw = row.raw ?? (await readRaw(db, row.raw_hash ?? Buffer.alloc(0)));
      const connection = await this.connection(mailbox);
      const to = [...row.outgoing.envelope];
      const { response, rejected } = await connection.send({ from: mailbox.address, to }, raw, async () => {
        await before;
        // If the lease has passed to somebody else meanwhile, not a byte leaves.
        if (!(await this.claims.hand(row.id))) throw new LeaseLost('the lease was lost');
        handed = true;
      });
      this.giveBack(mailbox, connection);
      const noted = this.claims
        .sent({
          id: row.id,
          answer: response.slice(0, 500),
          refused: rejected.length ? rejected.join(', ').slice(0, 500) : null,
        })
        // Its lease runs out, and it is shown as uncertain.
        .catch((error: unknown) =>
          log.error({ dispatch: row.id, error: errorForLog(error) }, 'sent, and not written down'),
        );
      return { noted };
    } catch (error) {
      await before;
      // Whoever has it now writes down what becomes of it.
      if (error instanceof LeaseLost) return { noted: Promise.resolve() };
      await this.failed(row, error as SmtpFault, handed);
      return { noted: Promise.resolve() };
    }
  }

  /**
   * Composes the bytes of messages that have none yet, and keeps them in one go: they are fixed at the
   * first attempt and the same at every other.
   */
  private async fixBytes(rows: readonly Going[], mailboxes: ReadonlyMap<number, MailboxRow>): Promise<void> {
    const fresh = rows.filter((row) => !row.raw_hash);
    if (!fresh.length) return;
    const staff = await this.context.db('staff').select('id', 'name');
    const names = new Map(staff.map((member) => [member.id, member.name]));
    for (let at = 0, portion = FIRST_PORTION; at < fresh.length;) {
      const some = fresh.slice(at, at + portion);
      const largest = await this.fixSome(some, mailboxes, names);
      at += some.length;
      portion = Math.max(1, Math.floor(PORTION_BYTES / Math.max(1, largest)));
    }
  }

  /** @returns the bytes of the largest of them */
  private async fixSome(
    fresh: readonly Going[],
    mailboxes: ReadonlyMap<number, MailboxRow>,
    names: ReadonlyMap<number, string>,
  ): Promise<number> {
    const { db } = this.context;
    const composed = (
      await Promise.all(
        fresh.map(async (row) => {
          const mailbox = mailboxes.get(row.mailbox_id);
          const name = names.get(mailbox?.staff_id ?? 0) ?? '';
          try {
            const { raw, packed } = await row.outgoing.compose({ name, address: mailbox?.address ?? '' });
            return [{ row, raw, packed }];
          } catch (error) {
            await this.notComposed(row, error);
            return [];
          }
        }),
      )
    ).flat();
    if (!composed.length) return 0;
    await transact(db, async (trx) => {
      await storeRaw(
        trx,
        composed.map(({ packed }) => packed),
      );
      const ids = composed.map(({ row }) => row.id);
      const hashes = composed.flatMap(({ row, packed }) => [row.id, packed.hash]);
      await trx('dispatch')
        .whereIn('id', ids)
        .update({ raw_hash: trx.raw(`CASE id ${ids.map(() => 'WHEN ? THEN ?').join(' ')} END`, hashes) });
    });
    for (const { row, raw, packed } of composed) {
      row.raw_hash = packed.hash;
      if (raw.length <= HELD_BYTES) row.raw = raw;
    }
    return Math.max(...composed.map(({ raw }) => raw.length));
  }

  /** A message of which no bytes can be made does not leave, and keeps no other from leaving. */
  private async notComposed(row: Going, error: unknown): Promise<void> {
    this.context.log.error(
      { dispatch: row.id, error: errorForLog(error) },
      'a message could not be composed',
    );
    await this.claims.change(row, {
      state: 'returned',
      return_kind: 'soft',
      answer: 'It could not be put together, so it has not been sent. Change it and send it again.',
      lease_owner: null,
      lease_until: null,
    });
  }

  private async connection(mailbox: MailboxRow): Promise<OutgoingConnection> {
    for (let kept = this.idle.get(mailbox.id)?.pop(); kept; kept = this.idle.get(mailbox.id)?.pop())
      if (kept.usable) return kept;
    return OutgoingConnection.open(accessOf(mailbox, this.context.config));
  }

  private giveBack(mailbox: MailboxRow, connection: OutgoingConnection): void {
    const kept = this.idle.get(mailbox.id);
    if (kept) kept.push(connection);
    else this.idle.set(mailbox.id, [connection]);
  }

  private async failed(row: Going, error: SmtpFault, handed: boolean): Promise<void> {
    const { db, config, log } = this.context;
    const words = (error.response ?? connectionProblem(error).words).slice(0, 500);
    const free = { lease_owner: null, lease_until: null, answer: words };
    // Without an answer to the text nobody knows whether it was taken.
    if (handed && !error.responseCode) {
      await this.claims.change(row, { state: 'uncertain', ...free });
      return;
    }
    const tooLate = Date.now() - row.outgoing.since.getTime() > GIVE_UP_AFTER_SECONDS * 1000;
    const refused =
      error.code !== 'EAUTH' &&
      error.responseCode !== undefined &&
      meaningOf(error.responseCode) === 'returned';
    if (refused || tooLate) {
      const status = statusIn(words) || '5.0.0';
      const kind = returnKind(status, words);
      await this.claims.change(row, { state: 'returned', return_kind: kind, ...free });
      if (kind === 'hard' && refused && row.outgoing.envelope.length === 1) {
        await db('address')
          .where({ email_key: addressKey(row.to_address) })
          .update({ returned_at: new Date(), returned_why: returnWords(status) });
      }
      return;
    }
    log.info({ dispatch: row.id, words }, 'delayed');
    const wait = waitBeforeNext(row.attempts + 1) * 1000 * config.waitScale;
    await this.claims.change(row, {
      state: 'delayed',
      next_at: new Date(Date.now() + wait),
      handed_at: null,
      ...free,
    });
  }
}
