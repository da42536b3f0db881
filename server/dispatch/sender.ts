import { addressKey } from '../../core/address/address.ts';
import { meaningOf, waitBeforeNext, GIVE_UP_AFTER_SECONDS } from '../../core/delivery/attempts.ts';
import { returnKind, returnWords, statusIn } from '../../core/delivery/report.ts';
import { errorForLog, inSeconds, transact } from '../foundation/database.ts';
import type { AppContext } from '../foundation/context.ts';
import { groupBy } from '../foundation/rows.ts';
import { storeRaw, packRaw, readRaw, type RawRow } from '../foundation/sources.ts';
import { OutgoingConnection, type SmtpFault } from '../mailserver/smtp.ts';
import { LEASE_SECONDS, type Claims } from './claims.ts';
import type { ClaimedRow, Outgoing, OutgoingKind } from './port.ts';
import { accessOf, type MailboxRow } from '../mailserver/access.ts';
import { connectionProblem } from '../mailserver/problem.ts';

const CONNECTIONS_PER_MAILBOX = 3;

/** A claimed row with what its kind says of it. */
interface Leaving extends ClaimedRow {
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
  /** Mailboxes that are sending now; a slow server holds up its own mailbox only. */
  private readonly busy = new Map<number, Promise<void>>();

  constructor(
    private readonly context: AppContext,
    private readonly claims: Claims,
    private readonly kinds: readonly OutgoingKind[],
  ) {}

  get busyMailboxes(): number[] {
    return [...this.busy.keys()];
  }

  /** Until one of the mailboxes is through. */
  async oneThrough(): Promise<void> {
    await Promise.race(this.busy.values());
  }

  /** Lets what is under way come to its end, and closes the connections. */
  async close(): Promise<void> {
    await Promise.all(this.busy.values());
    for (const connection of [...this.idle.values()].flat()) connection.close();
    this.idle.clear();
  }

  /** Begins to send each mailbox's messages, some at a time. */
  async sendAll(claimed: readonly ClaimedRow[]): Promise<void> {
    const rows = await this.load(claimed);
    const mailboxes = new Map<number, MailboxRow>();
    for (const mailbox of await this.context
      .db('mailbox')
      .whereIn('id', [...new Set(rows.map((row) => row.mailbox_id))]))
      mailboxes.set(mailbox.id, mailbox);
    await this.fixBytes(rows, mailboxes);
    const ready = rows.filter((row) => row.raw ?? row.raw_hash);
    for (const mailbox of mailboxes.values()) {
      const own = ready.filter((row) => row.mailbox_id === mailbox.id);
      const lane = async () => {
        for (let row = own.shift(); row; row = own.shift()) await this.send(row, mailbox);
      };
      const lanes = Array.from({ length: CONNECTIONS_PER_MAILBOX }, lane);
      this.busy.set(
        mailbox.id,
        Promise.allSettled(lanes).then(() => void this.busy.delete(mailbox.id)),
      );
    }
  }

  private async load(claimed: readonly ClaimedRow[]): Promise<Leaving[]> {
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

  /** Sends one message and writes down what became of it. */
  private async send(row: Leaving, mailbox: MailboxRow): Promise<void> {
    const { db } = this.context;
    let handed = false;
    try {
      const raw = row.raw ?? (await readRaw(db, row.raw_hash ?? Buffer.alloc(0)));
      const connection = await this.connection(mailbox);
      const to = [...row.outgoing.envelope];
      const { response, rejected } = await connection.send({ from: mailbox.address, to }, raw, async () => {
        const until = inSeconds(db, LEASE_SECONDS);
        // If the lease has passed to somebody else meanwhile, not a byte leaves.
        if (!(await this.claims.change(row, { handed_at: new Date(), lease_until: until }, true)))
          throw new Error('the lease was lost');
        handed = true;
      });
      await this.claims.change(row, {
        state: 'sent',
        sent_at: new Date(),
        answer: response.slice(0, 500),
        refused: rejected.length ? rejected.join(', ').slice(0, 500) : null,
        lease_owner: null,
        lease_until: null,
      });
      this.giveBack(mailbox, connection);
    } catch (error) {
      await this.failed(row, error as SmtpFault, handed);
    }
  }

  /**
   * Composes the bytes of messages that have none yet, and keeps them in one go: they are fixed at the
   * first attempt and the same at every other.
   */
  private async fixBytes(
    rows: readonly Leaving[],
    mailboxes: ReadonlyMap<number, MailboxRow>,
  ): Promise<void> {
    const { db } = this.context;
    const fresh = rows.filter((row) => !row.raw_hash);
    if (!fresh.length) return;
    const staff = await db('staff').select('id', 'name');
    const names = new Map(staff.map((member) => [member.id, member.name]));
    const composed: { row: Leaving; packed: RawRow }[] = [];
    for (const row of fresh) {
      const mailbox = mailboxes.get(row.mailbox_id);
      const name = names.get(mailbox?.staff_id ?? 0) ?? '';
      try {
        row.raw = await row.outgoing.compose({ name, address: mailbox?.address ?? '' });
        composed.push({ row, packed: await packRaw(row.raw) });
      } catch (error) {
        await this.notComposed(row, error);
      }
    }
    if (!composed.length) return;
    await transact(db, async (trx) => {
      await storeRaw(
        trx,
        composed.map(({ packed }) => packed),
      );
      for (const { row, packed } of composed)
        await trx('dispatch').where({ id: row.id }).update({ raw_hash: packed.hash });
    });
  }

  /** A message of which no bytes can be made does not leave, and keeps no other from leaving. */
  private async notComposed(row: Leaving, error: unknown): Promise<void> {
    this.context.log.error(
      { dispatch: row.id, error: errorForLog(error) },
      'a message could not be composed',
    );
    await this.claims.change(row, {
      state: 'returned',
      return_kind: 'soft',
      answer: 'It could not be put together, so it has not left. Change it and send it again.',
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

  private async failed(row: Leaving, error: SmtpFault, handed: boolean): Promise<void> {
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
