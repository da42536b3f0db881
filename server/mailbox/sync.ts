import type { FetchMessageObject, ImapFlow, ListResponse } from 'imapflow';
import { beat } from '../database/pulse.ts';
import type { Office } from '../office.ts';
import { imapClient, type MailboxRow } from './connection.ts';
import { takeIn, type Arrival } from './intake.ts';

interface FolderRow {
  id: number;
  path: string;
  role: string;
  uid_validity: number;
  next_uid: number;
  history_uid: number;
}

/** UIDs of history asked for at once. */
const SLICE = 200;
/** A batch is handed on when it holds this many messages or bytes, so that memory stays bounded. */
const BATCH_MESSAGES = 100;
const BATCH_BYTES = 16 * 1024 * 1024;
/** How long to wait for IDLE before looking at the other folders, in milliseconds. */
const LOOK_ROUND = 4000;

const ROLES: Record<string, string> = {
  '\\Inbox': 'inbox',
  '\\Sent': 'sent',
  '\\Drafts': 'drafts',
  '\\Trash': 'trash',
  '\\Junk': 'junk',
  '\\Archive': 'archive',
};
/** Folders whose mail is no correspondence: drafts, and what was thrown away. */
const PASSED_OVER = new Set(['drafts', 'trash', 'junk']);

/** Keeps one mailbox in step over one connection, until stopped or broken off. */
export class MailboxSync {
  private readonly client: ImapFlow;
  private stopped = false;
  private wake: (() => void) | null = null;

  constructor(
    private readonly office: Office,
    private readonly mailbox: MailboxRow,
  ) {
    this.client = imapClient(mailbox, office.config.key);
    this.client.on('error', () => this.wake?.());
    this.client.on('exists', () => this.wake?.());
    this.client.on('close', () => this.wake?.());
  }

  /** Runs until stopped. @throws when the connection fails or ends */
  async run(): Promise<void> {
    try {
      await this.client.connect();
      for (let folders = await this.listFolders(); !this.stopped; folders = await this.listFolders()) {
        await this.newMail(folders);
        await this.history(folders);
        await this.inStep();
        await this.rest();
        if (!this.client.usable && !this.stopped)
          throw Object.assign(new Error('connection lost'), { code: 'NoConnection' });
      }
    } finally {
      this.client.close();
    }
  }

  stop(): void {
    this.stopped = true;
    this.wake?.();
    this.client.close();
  }

  /** Brings the mailbox in step once, then ends. */
  async runOnce(): Promise<void> {
    try {
      await this.client.connect();
      const folders = await this.listFolders();
      await this.newMail(folders);
      await this.history(folders);
      await this.inStep();
    } finally {
      await this.client.logout().catch(() => this.client.close());
    }
  }

  private async listFolders(): Promise<FolderRow[]> {
    const listed = await this.client.list({
      statusQuery: { messages: true, uidNext: true, uidValidity: true },
    });
    const db = this.office.db;
    const known: FolderRow[] = await db('folder').where({ mailbox_id: this.mailbox.id });
    const rows = new Map(known.map((row) => [row.path, row]));
    for (const folder of listed) {
      if (folder.flags.has('\\Noselect') || !folder.status) continue;
      await this.noteFolder(folder, rows.get(folder.path));
    }
    const now: FolderRow[] = await db('folder').where({ mailbox_id: this.mailbox.id });
    const { personalFolders } = await this.office.firm();
    const personal = new Set(personalFolders.map((name) => name.toLowerCase()));
    const own = (path: string, delimiter: string) =>
      path.split(delimiter || '/').some((part) => personal.has(part.toLowerCase()));
    // A colleague's personal folders are never opened, nor what lies in them.
    const present = new Set(
      listed.filter((folder) => !own(folder.path, folder.delimiter)).map((folder) => folder.path),
    );
    const order = ['inbox', 'sent', 'archive', 'other'];
    return now
      .filter((folder) => present.has(folder.path) && !PASSED_OVER.has(folder.role))
      .sort((a, b) => order.indexOf(a.role) - order.indexOf(b.role));
  }

  /** Records a folder's state; a changed UIDVALIDITY means reading it again, which logs nothing twice. */
  private async noteFolder(folder: ListResponse, known: FolderRow | undefined): Promise<void> {
    const { db } = this.office;
    const validity = Number(folder.status?.uidValidity ?? 0);
    const next = Number(folder.status?.uidNext ?? 1);
    const onServer = folder.status?.messages ?? 0;
    const start = { uid_validity: validity, next_uid: next, history_uid: next };
    if (!known) {
      const role =
        folder.path.toUpperCase() === 'INBOX' ? 'inbox' : (ROLES[folder.specialUse ?? ''] ?? 'other');
      await db('folder')
        .insert({ mailbox_id: this.mailbox.id, path: folder.path, role, on_server: onServer, ...start })
        .onConflict()
        .ignore();
    } else if (Number(known.uid_validity) !== validity) {
      await db.transaction(async (trx) => {
        await trx('message_copy').where({ folder_id: known.id }).delete();
        await trx('folder')
          .where({ id: known.id })
          .update({ on_server: onServer, ...start });
      });
    } else {
      await db('folder')
        .where({ id: known.id })
        .whereNot({ on_server: onServer })
        .update({ on_server: onServer });
    }
  }

  /** Takes in what came since the last look, in every folder that has something new. */
  private async newMail(folders: FolderRow[]): Promise<void> {
    for (const folder of folders) {
      if (this.stopped) return;
      const status = await this.client.status(folder.path, { uidNext: true });
      const next = Number((status && status.uidNext) || 0);
      if (next <= Number(folder.next_uid)) continue;
      await this.take(folder, Number(folder.next_uid), next - 1);
      await this.office
        .db('folder')
        .where({ id: folder.id })
        .where('next_uid', '<', next)
        .update({ next_uid: next });
      folder.next_uid = next;
    }
  }

  /** Takes in older mail, newest first, a slice of each folder in turn; where it stands is kept after each slice. */
  private async history(folders: FolderRow[]): Promise<void> {
    for (
      let left = folders.filter((folder) => Number(folder.history_uid) > 1);
      left.length && !this.stopped;
      left = left.filter((folder) => Number(folder.history_uid) > 1)
    ) {
      for (const folder of left) {
        const to = Number(folder.history_uid) - 1;
        const from = Math.max(1, to - SLICE + 1);
        await this.take(folder, from, to);
        if (this.stopped) return;
        await this.office.db('folder').where({ id: folder.id }).update({ history_uid: from });
        folder.history_uid = from;
        await beat(this.office.db, 'mailboxes');
      }
      await this.newMail(folders);
    }
  }

  /** Fetches a range of UIDs and takes it in, reading on while the batch before is being kept. */
  private async take(folder: FolderRow, from: number, to: number): Promise<void> {
    const lock = await this.client.getMailboxLock(folder.path, { readOnly: true });
    try {
      let batch: Arrival[] = [];
      let bytes = 0;
      let keeping: Promise<void> = Promise.resolve();
      const hand = async () => {
        const full = batch;
        batch = [];
        bytes = 0;
        await keeping;
        keeping = takeIn(this.office, full);
        // Awaited with the next batch; until then a failure must not count as unhandled.
        keeping.catch(() => undefined);
      };
      for await (const message of this.client.fetch(
        `${from}:${to}`,
        { uid: true, source: true, flags: true, internalDate: true },
        { uid: true },
      )) {
        const arrival = asArrival(folder.id, message);
        if (!arrival || arrival.uid < from || arrival.uid > to) continue;
        batch.push(arrival);
        bytes += arrival.raw.length;
        if (batch.length >= BATCH_MESSAGES || bytes >= BATCH_BYTES) await hand();
        if (this.stopped) break;
      }
      await hand();
      await keeping;
    } finally {
      lock.release();
    }
  }

  private async inStep(): Promise<void> {
    await this.office
      .db('mailbox')
      .where({ id: this.mailbox.id })
      .update({ in_step_at: new Date(), failing_since: null, problem: null });
    await beat(this.office.db, 'mailboxes');
  }

  /** Waits for the server to tell of new mail, or until it is time to look at all folders again. */
  private async rest(): Promise<void> {
    if (this.stopped) return;
    const lock = await this.client.getMailboxLock('INBOX', { readOnly: true });
    try {
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, LOOK_ROUND);
        this.wake = () => {
          clearTimeout(timer);
          resolve();
        };
        if (this.client.capabilities.has('IDLE')) void this.client.idle().catch(() => undefined);
      });
    } finally {
      this.wake = null;
      lock.release();
    }
  }
}

function asArrival(folderId: number, message: FetchMessageObject): Arrival | null {
  if (!message.source) return null;
  const date = message.internalDate ? new Date(message.internalDate) : new Date();
  return {
    folderId,
    uid: message.uid,
    seen: message.flags?.has('\\Seen') ?? false,
    internalDate: Number.isNaN(date.getTime()) ? new Date() : date,
    raw: message.source,
  };
}
