import type { Addressees } from '../../contract/index.ts';
import type { DocNode, Facts } from '../../core/merge/document.ts';
import { meaningOf, waitBeforeNext, GIVE_UP_AFTER_SECONDS } from '../../core/delivery/attempts.ts';
import { returnKind, returnWords } from '../../core/delivery/report.ts';
import { addressKey, type Mailbox } from '../../core/address/address.ts';
import {
  errorForLog,
  isAway,
  inSeconds,
  isOwnFault,
  isRefusedContent,
  transact,
  type Transaction,
} from '../foundation/database.ts';
import { beat } from '../foundation/pulse.ts';
import { keepRaw, packRaw, readRaw, type RawRow } from '../foundation/sources.ts';
import { accessOf, connectionProblem, type MailboxRow } from '../mailserver/imap.ts';
import { intakeTurn, keepMessages, keepSources } from '../intake/keep.ts';
import { prepare, type Prepared } from '../intake/prepare.ts';
import { readSource, unread } from '../reading/pool.ts';
import { Turns } from '../foundation/turns.ts';
import { composeMessage } from '../mailing/compose.ts';
import type { Office } from '../foundation/office.ts';
import { composeDraft, type DraftRecord } from '../writing/compose.ts';
import { OutgoingConnection, type SmtpFault } from '../mailserver/smtp.ts';
import { SentCopies } from './sentCopies.ts';
import { insertAll } from '../foundation/rows.ts';
import { filingKnowledge } from '../filing/knowledge.ts';
import { noteDifference } from '../correspondence/differences.ts';

const LEASE_SECONDS = 60;
/** Messages claimed at once; each has its own lease. */
const CLAIM = 240;
const CONNECTIONS_PER_MAILBOX = 3;
const ROUND = 500;
/** With nothing on its way out it is looked after this often at least, in milliseconds. */
const IDLE_ROUND = 20_000;
const LEAST_PAUSE = 50;
const LOG_BATCH = 100;
/** Between two tries to write down what became of a message, in milliseconds. */
const LONGEST_WAIT = 3000;

interface DispatchRow {
  id: number;
  mailing_id: number | null;
  draft_id: number | null;
  mailbox_id: number;
  to_name: string;
  to_address: string;
  message_id: string;
  facts: string;
  attempts: number;
  raw_hash: Buffer | null;
  /** Of the mailing. */
  subject: string;
  body: string;
  released_at: Date | null;
  /** Of the written message. */
  people: string | null;
  send_at: Date | null;
  /** Set when the bytes were composed in this round. */
  raw?: Buffer;
}

interface LeftRow {
  id: number;
  message_id: string;
  raw_hash: Buffer;
  left_at: Date;
  draft_id: number | null;
  people: string | null;
  staff_id: number | null;
}

/** Whom a message goes to: a mailing's alone on the envelope, a written one's all together. */
function envelopeOf(row: DispatchRow): string[] {
  if (!row.people) return [row.to_address];
  const { to, cc, bcc } = JSON.parse(row.people) as Addressees;
  return [...new Set([...to, ...cc, ...bcc].map(({ email }) => email))];
}

/**
 * Sends what is on its way out. Any number of processes work side by side: each claims rows under a
 * lease and skips those that others hold. Before the text of a message is handed to a server, that is
 * written down; a message whose worker died before then is simply sent by another, one whose worker
 * died after it is uncertain and never sent again by itself.
 */
export class DispatchWorker {
  private stopped = false;
  private round: Promise<boolean> = Promise.resolve(false);
  private wake: (() => void) | null = null;
  private deaf: (() => void) | null = null;
  private readonly idle = new Map<number, OutgoingConnection[]>();
  /** Mailboxes that are sending now; a slow server holds up its own mailbox only. */
  private readonly busy = new Map<number, Promise<void>>();
  private readonly copies: SentCopies;
  private logging: Promise<void> | null = null;
  private loggedSince = 0;

  constructor(private readonly office: Office) {
    this.copies = new SentCopies(office);
  }

  start(): void {
    this.deaf = this.office.watch.listen((topics) => {
      if (topics.includes('mail') || topics.includes('mailings')) this.wake?.();
    });
    void (async () => {
      while (!this.stopped) {
        this.round = this.work().catch((error: unknown) => {
          this.office.log.error({ error: errorForLog(error) }, 'dispatch failed');
          return false;
        });
        if (!(await this.round)) await this.pause();
      }
    })();
  }

  /** Until something is due, somebody does something, or it is time to look again. */
  private async pause(): Promise<void> {
    const due = await this.nextDue().catch(() => ROUND);
    if (this.stopped) return;
    await new Promise<void>((resolve) => {
      const timer = setTimeout(resolve, Math.max(LEAST_PAUSE, due));
      this.wake = () => {
        clearTimeout(timer);
        resolve();
      };
    });
    this.wake = null;
  }

  /** @returns in how many milliseconds to look again at the latest */
  private async nextDue(): Promise<number> {
    if (this.logging || this.copies.busy) return ROUND;
    const now = new Date();
    const [row] = await this.office
      .db('dispatch')
      .whereIn('state', ['waiting', 'delayed'])
      .where('next_at', '>', now)
      .min<{ at: Date | null }[]>('next_at as at');
    const next = row?.at ? row.at.getTime() - now.getTime() : IDLE_ROUND;
    return Math.min(next, this.copies.waiting ? ROUND : IDLE_ROUND);
  }

  async stop(): Promise<void> {
    this.stopped = true;
    this.deaf?.();
    this.wake?.();
    await this.round;
    await Promise.all(this.busy.values());
    await this.logging;
    for (const connection of [...this.idle.values()].flat()) connection.close();
    this.idle.clear();
    await this.copies.close();
  }

  /** One round: recover, send, log, put copies into Sent. @returns whether there may be more at once */
  async work(): Promise<boolean> {
    await this.recover();
    const claimed = await this.claim();
    if (claimed.length) await this.sendAll(claimed);
    // As soon as one mailbox is through, or after a while, what has left is logged and more is claimed.
    if (this.busy.size)
      await Promise.race([...this.busy.values(), new Promise((resolve) => setTimeout(resolve, ROUND))]);
    const logged = this.log();
    const copied = this.copies.work();
    const finished = await this.finish();
    if (claimed.length || logged || copied || finished) await beat(this.office.db, 'mailings');
    return claimed.length > 0 || this.busy.size > 0;
  }

  /** Takes back what a process left lying: safe to send again if nothing was handed over, uncertain if it was. */
  private async recover(): Promise<void> {
    const { db } = this.office;
    const expired: number[] = await db('dispatch')
      .where({ state: 'leaving' })
      .whereRaw('lease_until < UTC_TIMESTAMP(3)')
      .pluck('id');
    for (const id of expired) {
      await transact(db, async (trx) => {
        const row = await trx('dispatch')
          .where({ id, state: 'leaving' })
          .whereRaw('lease_until < UTC_TIMESTAMP(3)')
          .forUpdate()
          .first('handed_at');
        if (!row) return;
        const state = row.handed_at ? 'uncertain' : 'waiting';
        await trx('dispatch').where({ id }).update({ state, lease_owner: null, lease_until: null });
      });
    }
  }

  private async claim(): Promise<DispatchRow[]> {
    const { db, process } = this.office;
    const leaving: number[] = await db('mailing').where({ state: 'leaving' }).pluck('id');
    if (this.stopped) return [];
    const now = new Date();
    const due = () =>
      db('dispatch')
        .whereIn('state', ['waiting', 'delayed'])
        .where((any) => any.whereIn('mailing_id', leaving).orWhereNotNull('draft_id'))
        .whereNotIn('mailbox_id', [...this.busy.keys()])
        .where('next_at', '<=', now);
    if (!(await due().first('id'))) return [];
    return transact(db, async (trx) => {
      const ids: number[] = await due()
        .transacting(trx)
        // What somebody has just written does not queue behind a mailing.
        .orderByRaw('draft_id IS NULL, next_at')
        .limit(CLAIM)
        .forUpdate()
        .skipLocked()
        .pluck('id');
      if (!ids.length) return [];
      await trx('dispatch')
        .whereIn('id', ids)
        .update({
          state: 'leaving',
          attempts: trx.raw('attempts + 1'),
          lease_owner: process,
          lease_until: inSeconds(trx, LEASE_SECONDS),
          handed_at: null,
        });
      return trx('dispatch')
        .leftJoin('mailing', 'mailing.id', 'dispatch.mailing_id')
        .leftJoin('draft', 'draft.id', 'dispatch.draft_id')
        .whereIn('dispatch.id', ids)
        .orderByRaw('draft_id IS NULL, dispatch.next_at')
        .select<DispatchRow[]>(
          'dispatch.id',
          'dispatch.mailing_id',
          'dispatch.draft_id',
          'dispatch.mailbox_id',
          'to_name',
          'to_address',
          'dispatch.message_id',
          'facts',
          'attempts',
          'raw_hash',
          'mailing.subject',
          'mailing.body',
          'mailing.released_at',
          'draft.people',
          'draft.send_at',
        );
    });
  }

  /** Begins to send each mailbox's messages, some at a time. */
  private async sendAll(rows: readonly DispatchRow[]): Promise<void> {
    const mailboxes = new Map<number, MailboxRow>();
    for (const mailbox of await this.office
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

  /** Sends one message and writes down what became of it. */
  private async send(row: DispatchRow, mailbox: MailboxRow): Promise<void> {
    const { db } = this.office;
    let handed = false;
    try {
      const raw = row.raw ?? (await readRaw(db, row.raw_hash ?? Buffer.alloc(0)));
      const connection = await this.connection(mailbox);
      const to = envelopeOf(row);
      const { response, rejected } = await connection.send({ from: mailbox.address, to }, raw, async () => {
        const until = inSeconds(db, LEASE_SECONDS);
        // If the lease has passed to somebody else meanwhile, not a byte leaves.
        if (!(await this.change(row, { handed_at: new Date(), lease_until: until }, true)))
          throw new Error('the lease was lost');
        handed = true;
      });
      await this.change(row, {
        state: 'left',
        left_at: new Date(),
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
    rows: readonly DispatchRow[],
    mailboxes: ReadonlyMap<number, MailboxRow>,
  ): Promise<void> {
    const { db } = this.office;
    const fresh = rows.filter((row) => !row.raw_hash);
    if (!fresh.length) return;
    const staff: { id: number; name: string }[] = await db('staff').select('id', 'name');
    const names = new Map(staff.map((member) => [member.id, member.name]));
    const composed: { row: DispatchRow; packed: RawRow }[] = [];
    for (const row of fresh) {
      const mailbox = mailboxes.get(row.mailbox_id);
      const name = names.get(mailbox?.staff_id ?? 0) ?? '';
      try {
        row.raw = await this.compose(row, { name, address: mailbox?.address ?? '' });
        composed.push({ row, packed: await packRaw(row.raw) });
      } catch (error) {
        await this.notComposed(row, error);
      }
    }
    if (!composed.length) return;
    await transact(db, async (trx) => {
      await keepRaw(
        trx,
        composed.map(({ packed }) => packed),
      );
      for (const { row, packed } of composed)
        await trx('dispatch').where({ id: row.id }).update({ raw_hash: packed.hash });
    });
  }

  private async compose(row: DispatchRow, from: Mailbox): Promise<Buffer> {
    if (row.draft_id) {
      const draft: DraftRecord = await this.office.db('draft').where({ id: row.draft_id }).first();
      return composeDraft(this.office.db, draft, new Date());
    }
    const { raw } = await composeMessage(
      JSON.parse(row.subject) as DocNode,
      JSON.parse(row.body) as DocNode,
      JSON.parse(row.facts) as Facts,
      {
        from,
        to: { name: row.to_name, address: row.to_address },
        messageId: row.message_id,
        date: new Date(),
      },
    );
    return raw;
  }

  /** A message of which no bytes can be made does not leave, and keeps no other from leaving. */
  private async notComposed(row: DispatchRow, error: unknown): Promise<void> {
    this.office.log.error({ dispatch: row.id, error: errorForLog(error) }, 'a message could not be composed');
    await this.change(row, {
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
    return OutgoingConnection.open(accessOf(mailbox, this.office.config));
  }

  private giveBack(mailbox: MailboxRow, connection: OutgoingConnection): void {
    const kept = this.idle.get(mailbox.id);
    if (kept) kept.push(connection);
    else this.idle.set(mailbox.id, [connection]);
  }

  private async failed(row: DispatchRow, error: SmtpFault, handed: boolean): Promise<void> {
    const { db, config, log } = this.office;
    const words = (error.response ?? connectionProblem(error).words).slice(0, 500);
    const free = { lease_owner: null, lease_until: null, answer: words };
    // Without an answer to the text nobody knows whether it was taken.
    if (handed && !error.responseCode) {
      await this.change(row, { state: 'uncertain', ...free });
      return;
    }
    const released = row.released_at ?? row.send_at ?? new Date();
    const tooLate = Date.now() - released.getTime() > GIVE_UP_AFTER_SECONDS * 1000;
    const refused =
      error.code !== 'EAUTH' &&
      error.responseCode !== undefined &&
      meaningOf(error.responseCode) === 'returned';
    if (refused || tooLate) {
      const status = /\b[245]\.\d{1,3}\.\d{1,3}\b/.exec(words)?.[0] ?? '5.0.0';
      const kind = returnKind(status);
      await this.change(row, { state: 'returned', return_kind: kind, ...free });
      if (kind === 'hard' && refused && envelopeOf(row).length === 1) {
        await db('address')
          .where({ email_key: addressKey(row.to_address) })
          .update({ returned_at: new Date(), returned_why: returnWords(status) });
      }
      return;
    }
    log.info({ dispatch: row.id, words }, 'delayed');
    const wait = waitBeforeNext(row.attempts + 1) * 1000 * config.waitScale;
    await this.change(row, {
      state: 'delayed',
      next_at: new Date(Date.now() + wait),
      handed_at: null,
      ...free,
    });
  }

  /**
   * Writes down what became of a message, if it is still ours; tried again, when the database is away, for as
   * long as anybody could think of sending it anew. What a server has said it took is written down even if the
   * message was given up as uncertain meanwhile: nobody else can know.
   * @param alive whether the lease must last still
   * @returns whether it was ours
   */
  private async change(row: DispatchRow, columns: Record<string, unknown>, alive = false): Promise<boolean> {
    const { db, process } = this.office;
    const began = Date.now();
    for (let wait = 100; ; wait = Math.min(2 * wait, LONGEST_WAIT)) {
      try {
        const changed = await transact(db, (trx) => {
          const ours = trx('dispatch')
            .where({ id: row.id })
            .where((mine) => {
              mine.where({ state: 'leaving', lease_owner: process });
              if (columns.state === 'left') mine.orWhere({ state: 'uncertain' });
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

  /** Logs what has left, beside the sending. @returns how many were logged since the last call */
  private log(): number {
    const all = async () => {
      for (let count = await this.logLeft(); count; count = await this.logLeft()) this.loggedSince += count;
    };
    this.logging ??= all()
      .catch((error) =>
        this.office.log.error({ error: errorForLog(error) }, 'what has left could not be logged'),
      )
      .finally(() => (this.logging = null));
    const logged = this.loggedSince;
    this.loggedSince = 0;
    return logged;
  }

  /** Puts what has left on the client files, as the bytes that left. */
  private async logLeft(): Promise<number> {
    const { db } = this.office;
    const rows: LeftRow[] = await db('dispatch')
      .leftJoin('draft', 'draft.id', 'dispatch.draft_id')
      .whereIn('dispatch.state', ['left', 'returned'])
      .whereNull('logged_message_id')
      .whereNotNull('left_at')
      .whereNotNull('raw_hash')
      .limit(LOG_BATCH)
      .select(
        'dispatch.id',
        'dispatch.message_id',
        'raw_hash',
        'left_at',
        'dispatch.draft_id',
        'draft.people',
        'draft.staff_id',
      );
    if (rows.length) await this.logRows(rows);
    return rows.length;
  }

  /** Logs some of what has left: when that is refused for what it holds, half by half, down to the one message. */
  private async logRows(rows: readonly LeftRow[], bare = false): Promise<void> {
    try {
      await this.logTogether(rows, bare);
    } catch (error) {
      if (!isRefusedContent(error) && !isOwnFault(error)) throw error;
      if (rows.length > 1) {
        const half = Math.ceil(rows.length / 2);
        await this.logRows(rows.slice(0, half));
        await this.logRows(rows.slice(half));
      } else if (bare) throw error;
      else await this.logRows(rows, true);
    }
  }

  /** @param bare as sources and headers alone, for what cannot be kept whole */
  private async logTogether(rows: readonly LeftRow[], bare: boolean): Promise<void> {
    const { db } = this.office;
    const mind = await filingKnowledge(this.office);
    const turns = new Turns();
    const prepared: Prepared[] = [];
    for (const row of rows) {
      const bytes = await readRaw(db, row.raw_hash);
      const reading = bare ? await unread(bytes, 'it could not be kept whole') : await readSource(bytes);
      prepared.push(
        prepare(mind.register, reading, bytes, {
          arrived: row.left_at,
          ours: true,
          receiving: null,
          past: false,
        }),
      );
      await turns.pass();
    }
    await keepSources(db, prepared, { evenKnown: true });
    await transact(db, async (trx) => {
      await intakeTurn(trx);
      const ids = await keepMessages(trx, mind, prepared);
      await this.recordWhatLeft(trx, rows, ids);
      await this.recordWritten(trx, rows, ids);
      const which = rows.map((row, index) => [row.id, ids[index] ?? 0]);
      await trx.raw(
        `UPDATE dispatch SET logged_message_id = CASE id ${which.map(() => 'WHEN ? THEN ?').join(' ')} END WHERE id IN (${which.map(() => '?').join(', ')})`,
        [...which.flat(), ...rows.map((row) => row.id)],
      );
      await beat(trx, 'mail');
    });
  }

  /** The record is what left: when a copy was taken in from Sent before, the bytes that left take its place. */
  private async recordWhatLeft(
    trx: Transaction,
    rows: readonly { raw_hash: Buffer }[],
    ids: readonly number[],
  ): Promise<void> {
    const kept: { id: number; raw_hash: Buffer }[] = await trx('message')
      .whereIn('id', ids)
      .select('id', 'raw_hash');
    const recorded = new Map(kept.map((row) => [row.id, row.raw_hash]));
    for (const [index, row] of rows.entries()) {
      const id = ids[index] ?? 0;
      const other = recorded.get(id);
      if (!other || other.equals(row.raw_hash)) continue;
      await noteDifference(trx, id, await readRaw(trx, row.raw_hash), await readRaw(trx, other));
      await trx('message').where({ id }).update({ raw_hash: row.raw_hash });
    }
  }

  /** A written message is no draft any more; who had a hidden copy is known to us alone, and who wrote it. */
  private async recordWritten(
    trx: Transaction,
    rows: readonly LeftRow[],
    ids: readonly number[],
  ): Promise<void> {
    for (const [index, row] of rows.entries()) {
      const id = ids[index] ?? 0;
      if (!row.draft_id || !id) continue;
      await trx('draft').where({ id: row.draft_id }).update({ state: 'sent', saved_at: row.left_at });
      // Whoever wrote it chose its file, too.
      await trx('message').where({ id }).update({ handler_id: row.staff_id });
      await trx('message').where({ id, state: 'logged' }).update({ decided_by: row.staff_id });
      const { bcc } = JSON.parse(row.people ?? '{"bcc":[]}') as Addressees;
      await insertAll(
        trx,
        'message_party',
        bcc.map(({ name, email }) => ({
          message_id: id,
          role: 'bcc',
          email_key: addressKey(email),
          email,
          name,
        })),
        { ignore: true },
      );
    }
  }

  /** Closes mailings of which nothing is left to send. */
  private async finish(): Promise<number> {
    const { db } = this.office;
    return db('mailing')
      .where({ state: 'leaving' })
      .whereNotExists(
        db('dispatch')
          .whereRaw('dispatch.mailing_id = mailing.id')
          .whereIn('state', ['waiting', 'leaving', 'delayed'])
          .select(db.raw('1')),
      )
      .update({ state: 'finished', finished_at: new Date() });
  }
}
