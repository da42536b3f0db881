import { countOf } from '../../foundation/rows.ts';
import type { FetchMessageObject, ImapFlow } from 'imapflow';
import { noteChange } from '../../foundation/changes.ts';
import { isDatabaseError, transact, type Database, type Transaction } from '../../foundation/database.ts';
import type { AppContext } from '../../foundation/context.ts';
import { carryOutChanges } from './pendingChanges.ts';
import { imapClient, isRefusal, openFolder } from '../../mailserver/imap.ts';
import { compareFolder, takeOverFlags, takeOverNamed } from './flags.ts';
import {
  listFolders,
  stateOf,
  STATUS_QUERY,
  type FolderRow,
  type FolderState,
  type ListedFolder,
} from './folders.ts';
import { IntakeLine } from '../../intake/line.ts';
import { pool } from '../../reading/pool.ts';
import type { Arrival } from '../../intake/prepare.ts';
import { accessOf, type MailboxRow } from '../../mailserver/access.ts';
import { connectionProblem } from '../../mailserver/problem.ts';

/** UIDs of history asked for at once. */
const SLICE = 2000;
/** A batch is handed on when it holds this many messages or bytes, so that memory stays bounded. */
const BATCH_MESSAGES = 400;
const BATCH_BYTES = 8 * 1024 * 1024;
/** That a mailbox is in step is written down this often at least, in milliseconds. */
const IN_STEP_NOTED = 30_000;
/** So long after something was done here its server is told in each round, and this often in any case. */
const STIRRED = 10_000;
const TOLD_ROUND = 60_000;
/** The names of personal folders are asked for again after this long. */
const PERSONAL_ROUND = 60_000;
/** A folder that its server does not open is tried again after this long. */
const REFUSED_ROUND = 10 * 60_000;
/** How long to wait for IDLE before looking at the busy folders, in milliseconds. */
const LOOK_ROUND = 2000;
/** All folders are listed again after this long, or after twenty times as long as listing them takes. */
const LIST_ROUND = 10_000;
/** Every message of a folder is compared after this long. */
const COMPARE_ROUND = 10 * 60_000;
/** Where a server keeps no count of changes, it is after this long for each message of it, and no sooner than that. */
const COMPARE_EACH = 20;
const COMPARE_SOONEST = 20_000;
/** While history is being taken in, changes made elsewhere are taken over this often. */
const CHANGES_ROUND = 30_000;

/**
 * Something done in a mailbox beside keeping it in step.
 * @param alone carries out a part of it; what fails costs that part only
 */
export type Chore = (
  db: Database,
  client: ImapFlow,
  mailboxId: number,
  alone: (work: () => Promise<void>) => Promise<void>,
) => Promise<void>;

/** Keeps one mailbox in step, both ways, over one connection, until stopped or broken off. */
export class MailboxSync {
  private readonly client: ImapFlow;
  private readonly line: IntakeLine;
  private stopped = false;
  private worked = false;
  private wake: (() => void) | null = null;
  private folders: ListedFolder[] = [];
  private listAgainAt = 0;
  /** Names of folders kept for personal mail, and until when they are believed. */
  private personal: readonly string[] = [];
  private personalUntil = 0;
  /** When it was last written down that the mailbox is in step. */
  private notedAt = 0;
  /** Until when the server is told in each round of what is done here, and when it is in any case. */
  private stirredUntil = Date.now() + STIRRED;
  private tellAt = 0;
  /** Folders the server did not open: how often, and when last. */
  private readonly refused = new Map<number, { times: number; at: number }>();
  /** What was last compared of each folder, as the server told it. */
  private readonly compared = new Map<number, string>();
  /** UIDs a server lists but does not give. */
  private readonly hopeless = new Set<number>();
  /** UIDs the server said have vanished from the folder looked at. */
  private vanished: number[] = [];
  private lookedAt = '';

  constructor(
    private readonly context: AppContext,
    private readonly mailbox: MailboxRow,
    private readonly chores: readonly Chore[] = [],
  ) {
    this.line = new IntakeLine(context, mailbox.id);
    this.client = imapClient(accessOf(mailbox, context.config));
    this.client.on('error', () => this.wake?.());
    this.client.on('exists', () => this.wake?.());
    this.client.on('flags', () => this.wake?.());
    this.client.on('expunge', (event: { path: string; vanished?: boolean; uid?: number }) => {
      if (event.vanished && event.uid && event.path === this.lookedAt) this.vanished.push(event.uid);
      this.wake?.();
    });
    this.client.on('close', () => this.wake?.());
  }

  /** Runs until stopped. @throws when the connection fails or ends */
  async run(): Promise<void> {
    try {
      await this.connect();
      while (!this.stopped) {
        await this.round();
        await this.rest();
        if (!this.client.usable && !this.stopped)
          throw Object.assign(new Error('connection lost'), { code: 'NoConnection' });
      }
    } finally {
      this.client.close();
    }
  }

  /** Ends the connection; what is being taken in comes to its end. */
  stop(): void {
    this.stopped = true;
    this.wake?.();
    this.client.close();
  }

  get wasStopped(): boolean {
    return this.stopped;
  }

  /** Whether it got as far as taking new mail in: then the connection itself was good. */
  get wasAtWork(): boolean {
    return this.worked;
  }

  /** Something was done here that the server is to know. */
  stir(): void {
    this.stirredUntil = Date.now() + STIRRED;
    this.wake?.();
  }

  /** Brings the mailbox in step once, then ends. */
  async runOnce(): Promise<void> {
    try {
      await this.connect();
      await this.round();
    } finally {
      await this.client.logout().catch(() => this.client.close());
    }
  }

  private connect(): Promise<void> {
    // By the time something comes it can be read.
    pool.warm();
    return this.client.connect();
  }

  private async round(): Promise<void> {
    await this.present();
    await this.changes();
    await this.history();
    if (!this.stopped) await this.inStep();
  }

  /** What is wanted at once, however much history is still to come. */
  private async present(): Promise<void> {
    await this.look();
    await this.newMail();
    this.worked = true;
    if (Date.now() > this.stirredUntil && Date.now() < this.tellAt) return;
    this.tellAt = Date.now() + TOLD_ROUND;
    await this.chore(() => carryOutChanges(this.context.db, this.client, this.mailbox.id));
    for (const chore of this.chores)
      await chore(this.context.db, this.client, this.mailbox.id, (work) => this.chore(work));
  }

  /** What fails by itself costs itself and never the round; then the folders are looked at anew, since one may be gone. */
  private async chore(work: () => Promise<void>): Promise<void> {
    try {
      await work();
    } catch (error) {
      if (!this.client.usable || isDatabaseError(error)) throw error;
      this.context.log.info(
        { mailbox: this.mailbox.address, words: connectionProblem(error).words },
        'a change could not be carried out',
      );
      this.listAgainAt = 0;
    }
  }

  /** Asks how the folders stand: all of them when it is time for that, else the busy ones. */
  private async look(): Promise<void> {
    const started = Date.now();
    if (started >= this.listAgainAt) {
      if (started > this.personalUntil) {
        this.personal = (await this.context.firm()).personalFolders;
        this.personalUntil = started + PERSONAL_ROUND;
      }
      const closed = [...this.refused].filter(
        ([, { times, at }]) => times > 1 && started < at + REFUSED_ROUND,
      );
      this.folders = await listFolders(
        this.context.db,
        this.client,
        this.mailbox.id,
        this.personal,
        new Set(closed.map(([id]) => id)),
      );
      this.listAgainAt = Date.now() + Math.max(LIST_ROUND, 20 * (Date.now() - started));
      return;
    }
    for (const folder of this.folders) {
      if (!['inbox', 'sent'].includes(folder.row.role)) continue;
      const status = await this.client.status(folder.row.path, STATUS_QUERY);
      if (!status || Number(status.uidValidity) !== Number(folder.row.uid_validity)) this.listAgainAt = 0;
      else await this.told(folder, stateOf(status));
    }
  }

  /**
   * Work in one folder. One that the server does not open may have gone or been renamed, so that they are listed anew;
   * if it still is not opened, it is passed over and said to be closed.
   */
  private async within({ row }: ListedFolder, work: () => Promise<void>): Promise<void> {
    if (row.closed) return;
    try {
      await work();
      this.refused.delete(row.id);
    } catch (error) {
      if (!this.client.usable || isDatabaseError(error) || !isRefusal(error) || row.role === 'inbox')
        throw error;
      this.refused.set(row.id, { times: (this.refused.get(row.id)?.times ?? 0) + 1, at: Date.now() });
      row.closed = 'refused';
      this.listAgainAt = 0;
    }
  }

  private async told(folder: ListedFolder, state: FolderState): Promise<void> {
    if (state.messages !== folder.state.messages)
      await this.context.db('folder').where({ id: folder.row.id }).update({ on_server: state.messages });
    folder.state = state;
  }

  /** Takes in what came since the last look, in every folder that has something new. */
  private async newMail(): Promise<void> {
    for (const folder of this.folders) {
      const { row, state } = folder;
      if (this.stopped) return;
      const next = state.nextUid;
      if (next <= Number(row.next_uid)) continue;
      await this.within(folder, async () => {
        await this.take(row, `${row.next_uid}:${next - 1}`, { to: next - 1 }, (trx) =>
          trx('folder').where({ id: row.id }).where('next_uid', '<', next).update({ next_uid: next }),
        );
        await this.line.done();
        row.next_uid = next;
      });
    }
  }

  /** Takes over what was done elsewhere to messages that are here: flags, moves, deletions. */
  private async changes(): Promise<void> {
    let different = false;
    for (const folder of this.folders) {
      if (this.stopped) return;
      const { row, state } = folder;
      const told = `${state.messages} ${state.nextUid} ${state.unseen} ${state.modseq}`;
      if (this.compared.get(row.id) === told && !this.compareDue(row)) continue;
      this.compared.set(row.id, told);
      await this.within(folder, async () => {
        different = (await this.changesIn(folder)) || different;
      });
    }
    if (different)
      await transact(this.context.db, (trx) => noteChange(trx, 'mail', 'mailbox', [this.mailbox.id]));
  }

  /** @returns whether anything was different in a folder */
  private async changesIn(folder: ListedFolder): Promise<boolean> {
    const { db } = this.context;
    const { row, state } = folder;
    const counted = state.modseq > 0 && Number(row.modseq) > 0;
    if (counted && state.modseq === Number(row.modseq) && !(await this.otherNumber(folder))) return false;
    if (!counted && !(await this.looksDifferent(folder))) return false;
    let different = false;
    // Opening it tells of some of them.
    this.vanished = [];
    this.lookedAt = row.path;
    const lock = await openFolder(this.client, row.path, { readOnly: true });
    try {
      // Made anew since it was listed: its numbers mean other messages.
      if (!this.client.mailbox || Number(this.client.mailbox.uidValidity) !== Number(row.uid_validity)) {
        this.listAgainAt = 0;
        return false;
      }
      different = await takeOverFlags(db, this.client, row, counted ? Number(row.modseq) : 0);
      if (this.vanished.length) await takeOverNamed(db, row, this.vanished);
      different = this.vanished.length > 0 || different;
      if (await this.otherNumber(folder)) different = (await this.compare(row)) || different;
    } finally {
      lock.release();
    }
    const checked = { modseq: state.modseq, checked_at: new Date() };
    await db('folder').where({ id: row.id }).update(checked);
    Object.assign(row, checked);
    return different;
  }

  /** Whether we know of another number of messages than lie in a folder that has been taken in. */
  private async otherNumber({ row, state }: ListedFolder): Promise<boolean> {
    // While history is being taken in, only the comparison of all messages tells.
    if (Number(row.history_uid) > 1) return this.compareDue(row);
    const known = await this.known(row);
    return this.mailbox.take_from ? known > state.messages : known !== state.messages;
  }

  /** Forgets what is gone from the open folder, and fetches what a server left out when it was asked before. */
  private async compare(row: FolderRow): Promise<boolean> {
    const { changed, missing } = await compareFolder(this.context.db, this.client, row);
    const wanted = this.mailbox.take_from ? [] : missing.filter((uid) => !this.hopeless.has(uid));
    for (let at = 0; at < wanted.length; at += SLICE) {
      const uids = wanted.slice(at, at + SLICE);
      await this.fetch(row, uids.join(','), { to: Number(row.next_uid) - 1 });
      // What is not given even when asked for by name is not asked for again on this connection.
      for (const uid of uids) this.hopeless.add(uid);
    }
    await this.line.done();
    return changed || wanted.length > 0;
  }

  private async known(row: FolderRow): Promise<number> {
    return countOf(this.context.db('message_copy').where({ folder_id: row.id }));
  }

  private compareDue(row: FolderRow): boolean {
    const round =
      Number(row.modseq) > 0
        ? COMPARE_ROUND
        : Math.min(COMPARE_ROUND, Math.max(COMPARE_SOONEST, COMPARE_EACH * row.on_server));
    return !row.checked_at || Date.now() - row.checked_at.getTime() > round;
  }

  /** For servers that keep no count of changes: the number of messages or of unread ones differs, or it is time. */
  private async looksDifferent(folder: ListedFolder): Promise<boolean> {
    const { row, state } = folder;
    if (this.compareDue(row)) return true;
    if (Number(row.history_uid) > 1) return false;
    const unseen = await countOf(this.context.db('message_copy').where({ folder_id: row.id, seen: 0 }));
    return (await this.otherNumber(folder)) || unseen !== state.unseen;
  }

  /** Takes in older mail, newest first, a slice of each folder in turn; where it stands is kept with each slice. */
  private async history(): Promise<void> {
    const { db } = this.context;
    const unread = (folders: readonly ListedFolder[]) =>
      folders.filter(({ row }) => !row.closed && Number(row.history_uid) > 1);
    let left = unread(this.folders);
    const began = left.length > 0;
    let changesAt = Date.now() + CHANGES_ROUND;
    if (began) {
      this.notedAt = 0;
      await db('mailbox').where({ id: this.mailbox.id }).update({ filling_since: new Date(), filled: 0 });
    }
    const wanted = new Map<number, number[]>();
    for (; left.length && !this.stopped; left = unread(left)) {
      for (const folder of left) {
        const { row } = folder;
        const to = Number(row.history_uid) - 1;
        let from = Math.max(1, to - SLICE + 1);
        let range = `${from}:${to}`;
        const { take_from } = this.mailbox;
        if (take_from) {
          await this.within(folder, async () => {
            wanted.set(row.id, wanted.get(row.id) ?? (await this.since(row, take_from)));
          });
          const slice = (wanted.get(row.id) ?? []).filter((uid) => uid <= to).slice(-SLICE);
          from = slice.length === SLICE ? (slice[0] ?? 1) : 1;
          range = slice.join(',');
        }
        const progress = async (trx: Transaction) => {
          await trx('folder').where({ id: row.id }).update({ history_uid: from });
          await trx('mailbox')
            .where({ id: this.mailbox.id })
            .update({ filled: trx.raw('filled + ?', [to - from + 1]) });
          await noteChange(trx, 'mailboxes', 'mailbox', [this.mailbox.id]);
        };
        await this.within(folder, async () => {
          await this.take(row, range, { from, to }, progress);
          // Written down with its last batch; the line keeps the order, so reading on need not wait for it.
          if (!this.stopped) row.history_uid = from;
        });
        if (this.stopped) break;
      }
      if (this.stopped) break;
      await this.present();
      if (Date.now() > changesAt) {
        // A flag that changes between fetching and keeping must not be passed over.
        await this.line.done();
        await this.changes();
        changesAt = Date.now() + CHANGES_ROUND;
      }
    }
    await this.line.done();
    // The folders as listed meanwhile know less of what has been read than we do.
    if (began) this.listAgainAt = 0;
  }

  /** UIDs of the messages that arrived on a day or later, in order. */
  private async since(row: FolderRow, day: string): Promise<number[]> {
    const lock = await openFolder(this.client, row.path, { readOnly: true });
    try {
      const found = await this.client.search({ since: new Date(`${day}T00:00:00Z`) }, { uid: true });
      if (!Array.isArray(found)) throw new Error('The mail server could not say which mail is how old.');
      return found.sort((a, b) => a - b);
    } finally {
      lock.release();
    }
  }

  /** Fetches messages by UID and hands them to be taken in, reading on while earlier batches are being kept. */
  private async take(
    folder: FolderRow,
    range: string,
    bounds: { from?: number; to: number },
    progress: (trx: Transaction) => Promise<unknown>,
  ): Promise<void> {
    if (!range) return this.line.hand([], progress);
    const lock = await openFolder(this.client, folder.path, { readOnly: true });
    try {
      await this.fetch(folder, range, bounds, progress);
    } finally {
      lock.release();
    }
  }

  /** Fetches from the open folder. */
  private async fetch(
    folder: FolderRow,
    range: string,
    bounds: { from?: number; to: number },
    progress?: (trx: Transaction) => Promise<unknown>,
  ): Promise<void> {
    let batch: Arrival[] = [];
    let bytes = 0;
    for await (const message of this.client.fetch(
      range,
      { uid: true, source: true, flags: true, internalDate: true },
      { uid: true },
    )) {
      const arrival = asArrival(folder, message, bounds.from !== undefined);
      if (!arrival || arrival.uid < (bounds.from ?? 1) || arrival.uid > bounds.to) continue;
      // The last one goes with what is written down about how far the folder has been read.
      if (batch.length >= BATCH_MESSAGES || bytes >= BATCH_BYTES) {
        await this.line.hand(batch);
        batch = [];
        bytes = 0;
      }
      batch.push(arrival);
      bytes += arrival.raw.length;
      if (this.stopped) break;
    }
    // Where it stands is written down only when all of it came.
    if (!this.stopped && !this.client.usable)
      throw Object.assign(new Error('connection lost'), { code: 'NoConnection' });
    await this.line.hand(batch, this.stopped ? undefined : progress);
  }

  /** Written down when it was not so before, and now and then: not for every look at a mailbox at rest. */
  private async inStep(): Promise<void> {
    if (Date.now() - this.notedAt < IN_STEP_NOTED) return;
    const { db } = this.context;
    await transact(db, async (trx) => {
      await trx('mailbox').where({ id: this.mailbox.id }).update({
        in_step_at: new Date(),
        failing_since: null,
        problem: null,
        needs_person: 0,
        filling_since: null,
      });
      if (!this.notedAt) await noteChange(trx, 'mailboxes', 'mailbox', [this.mailbox.id]);
    });
    this.notedAt = Date.now();
  }

  /** Waits for the server to tell of something, for somebody to do something here, or until it is time to look again. */
  private async rest(): Promise<void> {
    if (this.stopped) return;
    const lock = await openFolder(this.client, 'INBOX', { readOnly: true });
    let timer: NodeJS.Timeout | undefined;
    try {
      await new Promise<void>((resolve) => {
        timer = setTimeout(resolve, LOOK_ROUND);
        this.wake = resolve;
        if (this.client.capabilities.has('IDLE')) void this.client.idle().catch(() => undefined);
      });
    } finally {
      clearTimeout(timer);
      this.wake = null;
      lock.release();
    }
  }
}

/** A fetched message as intake takes it. @param past whether it is history rather than new */
export function asArrival(folder: FolderRow, message: FetchMessageObject, past: boolean): Arrival | null {
  if (!message.source) return null;
  const date = message.internalDate ? new Date(message.internalDate) : new Date();
  return {
    folderId: folder.id,
    sent: folder.role === 'sent',
    uid: message.uid,
    seen: message.flags?.has('\\Seen') ?? false,
    flagged: message.flags?.has('\\Flagged') ?? false,
    internalDate: Number.isNaN(date.getTime()) ? new Date() : date,
    raw: message.source,
    past,
  };
}
