import type { ImapFlow } from 'imapflow';
import { errorForLog, inSeconds, transact } from '../foundation/database.ts';
import { readRaw, readRaws } from '../foundation/sources.ts';
import { takeAway } from '../intake/ownCopies.ts';
import { imapClient, isRefusal, openFolder } from '../mailserver/imap.ts';
import type { AppContext } from '../foundation/context.ts';
import { groupBy } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { accessOf, readMailbox, type MailboxRow } from '../mailserver/access.ts';
import { connectionProblem } from '../mailserver/problem.ts';

const LEASE_SECONDS = 60;
const CLAIM = 90;
const RETRY = 30_000;
/** Looked for, and written down, so many at once. */
const TOGETHER = 20;
/** So long a server is given to lay what was sent into Sent itself, in milliseconds. */
const PATIENCE = 10_000;

type CopyRow = Pick<Rows['dispatch'], 'id' | 'mailbox_id' | 'message_id' | 'state' | 'lease_owner'> & {
  raw_hash: Buffer;
};

/**
 * Sees to it that each message that left lies in its mailbox's Sent folder, once: looked for there by
 * its Message-ID after a while and added only when it is missing; should the server lay one there later still, ours
 * is taken away again. What is uncertain is looked for in the same way; a
 * copy found there means that it left.
 */
export class SentCopies {
  private readonly clients = new Map<number, ImapFlow>();
  private readonly notBefore = new Map<number, number>();
  private running: Promise<void> | null = null;
  private settled = 0;
  private closing = false;
  /** Whether there are any that are too young to be looked for. */
  waiting = false;

  constructor(private readonly context: AppContext) {}

  /** Lets what is under way come to its end, and closes the connections. */
  async close(): Promise<void> {
    this.closing = true;
    await this.running;
    for (const client of this.clients.values()) client.close();
    this.clients.clear();
  }

  /** Whether a round is under way. */
  get busy(): boolean {
    return this.running !== null;
  }

  /**
   * Begins a round unless one is under way, beside whatever else goes on.
   * @param whole until none is left to be settled; else some
   * @returns how many were settled since the last call
   */
  work(whole: boolean): number {
    this.running ??= this.round(whole).finally(() => (this.running = null));
    const { settled } = this;
    this.settled = 0;
    return settled;
  }

  private async round(whole: boolean): Promise<void> {
    try {
      for (let rows = await this.claim(); rows.length && !this.closing; rows = await this.claim()) {
        const mailboxes = groupBy(rows, (row) => row.mailbox_id);
        // None is left at work behind the back of the next round.
        const ends = await Promise.allSettled([...mailboxes].map(([id, own]) => this.settle(id, own)));
        for (const end of ends) if (end.status === 'rejected') throw end.reason;
        if (!whole) return;
      }
    } catch (error) {
      this.context.log.error({ error: errorForLog(error) }, 'copies for Sent failed');
    }
  }

  private async claim(): Promise<CopyRow[]> {
    const { db, process, config } = this.context;
    const now = Date.now();
    const resting = [...this.notBefore].filter(([, until]) => until > now).map(([id]) => id);
    const open = () =>
      db('dispatch')
        .whereIn('state', ['sent', 'returned', 'uncertain'])
        .whereNull('sent_copy_at')
        .whereNotNull('handed_at')
        .whereNotNull('raw_hash')
        .whereNotIn('mailbox_id', resting)
        .where((free) => free.whereNull('lease_until').orWhereRaw('lease_until < UTC_TIMESTAMP(3)'));
    const some = await open().limit(1).select('sent_at');
    this.waiting = some.length > 0;
    if (!some.length) return [];
    return transact(db, async (trx) => {
      const rows: CopyRow[] = await open()
        .transacting(trx)
        .where((ripe) =>
          ripe.whereNull('sent_at').orWhere('sent_at', '<', new Date(now - PATIENCE * config.waitScale)),
        )
        .limit(CLAIM)
        .forUpdate()
        .skipLocked()
        .select('id', 'mailbox_id', 'message_id', 'raw_hash', 'state', 'lease_owner');
      if (rows.length) {
        await trx('dispatch')
          .whereIn(
            'id',
            rows.map((row) => row.id),
          )
          .update({ lease_owner: process, lease_until: inSeconds(db, LEASE_SECONDS) });
      }
      return rows;
    });
  }

  private async settle(mailboxId: number, rows: readonly CopyRow[]): Promise<void> {
    const { db, log } = this.context;
    const mailbox = await readMailbox(db, mailboxId);
    const sent = await db('folder').where({ mailbox_id: mailboxId, role: 'sent' }).first('path');
    const open = new Set(rows);
    let layingOne: CopyRow | null = null;
    try {
      if (!sent) throw new Error('the mailbox has no Sent folder yet');
      const client = await this.client(mailbox);
      const lock = await openFolder(client, sent.path);
      try {
        for (let at = 0; at < rows.length; at += TOGETHER) {
          const some = rows.slice(at, at + TOGETHER);
          const there = await whichAreThere(
            client,
            some.filter(({ lease_owner }) => lease_owner === null),
          );
          const sources = await readRaws(
            db,
            some
              .filter((row) => row.state !== 'uncertain' && !there.has(row.message_id))
              .map((row) => row.raw_hash),
          );
          const done: Done[] = [];
          try {
            for (const row of some) {
              // A slow server may have taken so long that another process has the rest by now.
              if (!(await this.stillOurs(row))) continue;
              layingOne = row;
              done.push({ row, ...(await this.settleOne(client, sent.path, row, there, sources)) });
              layingOne = null;
            }
          } finally {
            await this.write(done);
            for (const { row } of done) open.delete(row);
          }
        }
      } finally {
        lock.release();
      }
    } catch (error) {
      log.info({ mailbox: mailbox.address, problem: connectionProblem(error).words }, 'copies for Sent wait');
      this.clients.get(mailboxId)?.close();
      this.clients.delete(mailboxId);
      this.notBefore.set(mailboxId, Date.now() + RETRY * this.context.config.waitScale);
      // Another process may have better luck meanwhile, but not with one that may be on its way into the folder yet.
      await this.giveBack([...open].filter((row) => row !== layingOne || isRefusal(error)));
    }
  }

  private async giveBack(rows: readonly CopyRow[]): Promise<void> {
    const { db, process } = this.context;
    await db('dispatch')
      .whereIn(
        'id',
        rows.map(({ id }) => id),
      )
      .where({ lease_owner: process })
      .whereNull('sent_copy_at')
      .update({ lease_owner: null, lease_until: null });
  }

  /** Renews the lease of one row. @returns whether it is still to be done, and by us */
  private async stillOurs(row: CopyRow): Promise<boolean> {
    const { db, process } = this.context;
    const renewed = await db('dispatch')
      .where({ id: row.id, lease_owner: process })
      .whereNull('sent_copy_at')
      .update({ lease_until: inSeconds(db, LEASE_SECONDS) });
    return renewed > 0;
  }

  /** Sees to one: what is uncertain is looked for only. @returns what is to be written down of it */
  private async settleOne(
    client: ImapFlow,
    path: string,
    row: CopyRow,
    there: ReadonlySet<string>,
    sources: ReadonlyMap<string, Buffer>,
  ): Promise<Omit<Done, 'row'>> {
    // What another process held may have been on its way into the folder: it is looked for at the last moment.
    const late = row.lease_owner === null ? there : await whichAreThere(client, [row]);
    if (late.has(row.message_id)) return { found: true, uid: null };
    if (row.state === 'uncertain') return { found: false, uid: null };
    const source =
      sources.get(row.raw_hash.toString('hex')) ?? (await readRaw(this.context.db, row.raw_hash));
    const laid = await client.append(path, source, ['\\Seen'], new Date());
    return { found: true, uid: (laid && laid.uid) || null };
  }

  /**
   * Writes down what lies in Sent now. Should the process die before, they are found there the next time. What is
   * uncertain and was found there has been sent; what was not is looked for once more each minute, and a person may
   * settle it sooner.
   */
  private async write(done: readonly Done[]): Promise<void> {
    const { db } = this.context;
    const now = new Date();
    const free = { lease_owner: null, lease_until: null };
    const ids = (of: readonly Done[]) => of.map(({ row }) => row.id);
    const uncertain = done.filter(({ row }) => row.state === 'uncertain');
    const lie = done.filter(({ row }) => row.state !== 'uncertain');
    const laid = lie.filter(({ uid }) => uid !== null);
    if (!done.length) return;
    await transact(db, async (trx) => {
      if (lie.length)
        await trx('dispatch')
          .whereIn('id', ids(lie))
          .update({ sent_copy_at: now, sent_uid: null, ...free });
      if (laid.length) {
        const cases = laid.flatMap(({ row, uid }) => [row.id, uid]);
        await trx('dispatch')
          .whereIn('id', ids(laid))
          .update({ sent_uid: trx.raw(`CASE id ${laid.map(() => 'WHEN ? THEN ?').join(' ')} END`, cases) });
        await takeAway(
          trx,
          laid.map(({ row }) => row.message_id),
        );
      }
      const open = () => trx('dispatch').where({ state: 'uncertain' });
      const found = uncertain.filter((each) => each.found);
      if (found.length)
        await open()
          .whereIn('id', ids(found))
          .update({
            state: 'sent',
            sent_at: now,
            sent_copy_at: now,
            answer: 'found in the Sent folder',
            ...free,
          });
      const missing = uncertain.filter((each) => !each.found);
      if (missing.length)
        await open()
          .whereIn('id', ids(missing))
          .update({ lease_owner: null, lease_until: inSeconds(db, 60) });
    });
    this.settled += done.length;
  }

  private async client(mailbox: MailboxRow): Promise<ImapFlow> {
    const kept = this.clients.get(mailbox.id);
    if (kept?.usable) return kept;
    const client = imapClient(accessOf(mailbox, this.context.config));
    client.on('error', () => this.clients.delete(mailbox.id));
    await client.connect();
    this.clients.set(mailbox.id, client);
    return client;
  }
}

/** What is to be written down of one: whether it lies in Sent, and under which number if we laid it there. */
interface Done {
  row: CopyRow;
  found: boolean;
  uid: number | null;
}

/** Which messages lie in the open folder already, by Message-ID: asked for all at once. */
async function whichAreThere(client: ImapFlow, rows: readonly CopyRow[]): Promise<Set<string>> {
  const header = (row: CopyRow) => ({ header: { 'message-id': `<${row.message_id}>` } });
  const [first] = rows;
  if (!first) return new Set();
  const found = await client.search(rows.length > 1 ? { or: rows.map(header) } : header(first), {
    uid: true,
  });
  if (!Array.isArray(found)) throw new Error('the mail server could not look for a message');
  if (!found.length) return new Set();
  const there = new Set<string>();
  for await (const { envelope } of client.fetch(found.join(','), { envelope: true }, { uid: true }))
    if (envelope?.messageId) there.add(envelope.messageId.trim().replace(/^<|>$/g, ''));
  return there;
}
