import type { FetchMessageObject, ImapFlow } from 'imapflow';
import { transact, type Database, type Transaction } from '../../foundation/database.ts';
import { isRefusal, lastRefusal, openFolder } from '../../mailserver/imap.ts';
import { holdMessages, refreshMarks } from '../../correspondence/marks.ts';
import { noteUndone, type PendingChange } from './undone.ts';
import { groupBy, select } from '../../foundation/rows.ts';

const FLAGS = { seen: '\\Seen', flagged: '\\Flagged', answered: '\\Answered' } as const;
/** So many are carried out at once. */
const BATCH = 500;
/** What was refused this often is given up, and the message shown where it really is. */
const MOST_TRIES = 5;

interface ChangedFolder {
  id: number;
  path: string;
  uid_validity: number;
  next_uid: number;
}

/** What is known of the message that a change is meant for. */
interface Meant {
  message_id: number;
  /** Its Message-ID. */
  name: string | null;
  size: number | null;
}

/** A change whose message was moved on the server. @param uid its number in the new folder, as far as that is known */
interface Moved {
  change: PendingChange;
  to: number;
  uid: number | null;
}

/**
 * Carries out on the server what people did here, oldest first. Each change is bound to its folder, to that
 * folder's UIDVALIDITY and to the message, and all three are looked at in the session that carries it out; what
 * cannot be meant any more is given up, with a word to whoever wanted it. Doing one twice does no harm, so that
 * a process may die at any point.
 * @throws what a server refused, after everything else was done
 */
export async function carryOutChanges(db: Database, client: ImapFlow, mailboxId: number): Promise<void> {
  for (;;) {
    const changes = await db('mail_change')
      .where({ mailbox_id: mailboxId })
      .orderBy('id')
      .limit(BATCH)
      .select();
    if (!changes.length) return;
    let refused: unknown = null;
    for (const [folderId, own] of groupBy(changes, (change) => change.folder_id)) {
      const folder: ChangedFolder | undefined = await db('folder').where({ id: folderId }).first();
      if (!folder) continue;
      try {
        await new FolderChanges(db, client, folder).carryOut(own);
      } catch (error) {
        // One folder that refuses, or is gone, costs its own changes a try; the connection itself costs all.
        if (!client.usable) throw error;
        refused ??= error;
      }
    }
    if (refused) throw refused;
  }
}

/** The changes of one folder's messages. */
class FolderChanges {
  private readonly moved: Moved[] = [];
  private refused: Error | null = null;

  constructor(
    private readonly db: Database,
    private readonly client: ImapFlow,
    private readonly folder: ChangedFolder,
  ) {}

  /**
   * Tells the server of a folder's changes. @returns whether the folder was opened @throws when the connection fails
   */
  async carryOut(changes: readonly PendingChange[]): Promise<void> {
    const meant = await this.meant(changes);
    const begun = changes.filter(({ kind, going_to_id }) => kind === 'move' && going_to_id !== null);
    // Begun before and not finished: where did the server leave them?
    const arrived = await this.arrivals(begun, meant);
    const whole = await this.within(changes, meant, arrived);
    if (whole) await this.findMoved(meant);
    await this.confirmMoved();
    if (this.refused) throw this.refused;
  }

  /** All that is done while the folder is open. @returns false when it is another folder by now */
  private async within(
    changes: readonly PendingChange[],
    meant: ReadonlyMap<number, Meant>,
    arrived: ReadonlyMap<number, number>,
  ): Promise<boolean> {
    const { client, folder } = this;
    const lock = await this.open(folder.path, changes);
    try {
      // The folder was made again meanwhile: its numbers mean other messages now, and nothing is done to them.
      if (!client.mailbox || Number(client.mailbox.uidValidity) !== Number(folder.uid_validity)) {
        await this.giveUp(changes, 'The folder was made anew on the mail server.');
        this.refused = new Error('a folder was made anew');
        return false;
      }
      const { same, others, gone } = await this.look(changes, meant);
      await this.giveUp(others, 'Another message lies in its place on the mail server.');
      await this.finishMoves(same, gone, arrived);
      const left = same.filter((change) => !arrived.has(change.id));
      // Flags first: what is moved takes them along.
      for (const group of groups(left.filter(({ kind }) => kind !== 'move'))) await this.setFlag(group);
      for (const group of groups(left.filter(({ kind }) => kind === 'move'))) await this.move(group);
      return true;
    } finally {
      lock.release();
    }
  }

  private async open(path: string, changes: readonly PendingChange[]) {
    try {
      return await openFolder(this.client, path);
    } catch (error) {
      if (this.client.usable && isRefusal(error))
        await this.refuse(changes, 'The mail server does not open the folder.');
      throw error;
    }
  }

  private async meant(changes: readonly PendingChange[]): Promise<Map<number, Meant>> {
    const copies = this.db('message_copy')
      .join('message', 'message.id', 'message_copy.message_id')
      .where('folder_id', this.folder.id)
      .whereIn(
        'uid',
        changes.map(({ uid }) => uid),
      );
    const rows = await select(copies, {
      uid: 'message_copy.uid',
      message_id: 'message_copy.message_id',
      name: 'message.message_id',
      size: 'message_copy.size',
    });
    return new Map(rows.map((row) => [row.uid, row]));
  }

  /** Parts changes by what lies at their numbers now. */
  private async look(changes: readonly PendingChange[], meant: ReadonlyMap<number, Meant>) {
    const there = new Map<number, boolean>();
    const uids = [...new Set(changes.map(({ uid }) => uid))].join(',');
    for await (const found of this.client.fetch(uids, LOOKED_AT, { uid: true }))
      there.set(found.uid, isMeant(found, meant.get(found.uid)));
    return {
      same: changes.filter(({ uid }) => there.get(uid) === true),
      others: changes.filter(({ uid }) => there.get(uid) === false),
      gone: changes.filter(({ uid }) => !there.has(uid)),
    };
  }

  /**
   * What was begun and broken off: copied but not taken away is taken away now, moved is moved. What is at neither
   * place was moved or deleted elsewhere, which counts for more.
   */
  private async finishMoves(
    same: readonly PendingChange[],
    gone: readonly PendingChange[],
    arrived: ReadonlyMap<number, number>,
  ): Promise<void> {
    const copied = same.filter(({ id }) => arrived.has(id));
    if (copied.length && !(await this.client.messageDelete(uidsOf(copied), { uid: true })))
      return this.refuse(copied);
    for (const change of [...copied, ...gone])
      if (arrived.has(change.id) && change.going_to_id !== null)
        this.moved.push({ change, to: change.going_to_id, uid: arrived.get(change.id) ?? null });
    await this.drop(gone.filter(({ id }) => !arrived.has(id)));
  }

  private async setFlag(changes: readonly PendingChange[]): Promise<void> {
    const [first] = changes;
    if (!first || first.kind === 'move') return;
    const flags = [FLAGS[first.kind]];
    const done = first.value
      ? await this.client.messageFlagsAdd(uidsOf(changes), flags, { uid: true, silent: true })
      : await this.client.messageFlagsRemove(uidsOf(changes), flags, { uid: true, silent: true });
    if (!done) return this.refuse(changes);
    await strike(this.db, changes);
  }

  private async move(changes: readonly PendingChange[]): Promise<void> {
    const [first] = changes;
    if (!first) return;
    if (first.to_folder_id === null) return this.deleteForGood(changes);
    // Taken back while it was under way, and it has not gone: all is as it was.
    if (first.to_folder_id === this.folder.id) return strike(this.db, changes);
    const to: ChangedFolder | undefined = await this.db('folder').where({ id: first.to_folder_id }).first();
    const going = to ? await this.setOut(changes, to) : [];
    if (!to || !going.length) return;
    const result = await this.client.messageMove(uidsOf(going), to.path, { uid: true });
    if (!result) return this.refuse(going);
    const known = Number(result.uidValidity ?? to.uid_validity) === Number(to.uid_validity);
    for (const change of going)
      this.moved.push({ change, to: to.id, uid: (known && result.uidMap?.get(change.uid)) || null });
  }

  /** Writes down that the server is about to be told: from now on nobody takes it back unseen. @returns those still wanted */
  private async setOut(changes: readonly PendingChange[], to: ChangedFolder): Promise<PendingChange[]> {
    const going: PendingChange[] = [];
    await transact(this.db, async (trx) => {
      going.length = 0;
      for (const change of changes) {
        const column = { going_to_id: to.id, going_uid: to.next_uid };
        if (await trx('mail_change').where(thisVersion(change)).update(column))
          going.push({ ...change, ...column });
      }
    });
    return going;
  }

  private async deleteForGood(changes: readonly PendingChange[]): Promise<void> {
    if (!(await this.client.messageDelete(uidsOf(changes), { uid: true }))) return this.refuse(changes);
    await this.drop(changes);
  }

  /** Where the server does not say which numbers moved messages have now (no UIDPLUS), they are looked for. */
  private async findMoved(meant: ReadonlyMap<number, Meant>): Promise<void> {
    const unknown = this.moved.filter(({ uid }) => uid === null);
    const found = await this.arrivals(
      unknown.map(({ change }) => change),
      meant,
    );
    for (const moved of unknown) moved.uid = found.get(moved.change.id) ?? null;
  }

  /** The numbers in their new folders of messages that the server was told to move there, by change. */
  private async arrivals(
    changes: readonly PendingChange[],
    meant: ReadonlyMap<number, Meant>,
  ): Promise<Map<number, number>> {
    const found = new Map<number, number>();
    for (const [folderId, own] of groupBy(changes, (change) => change.going_to_id ?? 0)) {
      const folder: ChangedFolder | undefined = await this.db('folder').where({ id: folderId }).first();
      if (folder) await this.arrivalsIn(folder, own, meant, found);
    }
    return found;
  }

  private async arrivalsIn(
    folder: ChangedFolder,
    changes: readonly PendingChange[],
    meant: ReadonlyMap<number, Meant>,
    found: Map<number, number>,
  ): Promise<void> {
    const { client, db } = this;
    const lock = await openFolder(client, folder.path, { readOnly: true }).catch((error: unknown) => {
      if (client.usable && isRefusal(error)) return null;
      throw error;
    });
    if (!lock) return;
    try {
      if (!client.mailbox || Number(client.mailbox.uidValidity) !== Number(folder.uid_validity)) return;
      const from = Math.min(...changes.map(({ going_uid }) => Number(going_uid ?? folder.next_uid)));
      const taken = new Set<number>(
        await db('mail_change').where({ folder_id: folder.id }).where('uid', '>=', from).pluck('uid'),
      );
      const open = [...changes];
      for await (const there of client.fetch(`${from}:*`, LOOKED_AT, { uid: true })) {
        if (there.uid < from || taken.has(there.uid)) continue;
        const at = open.findIndex(({ uid }) => isMeant(there, meant.get(uid)));
        const [change] = at < 0 ? [] : open.splice(at, 1);
        if (change) found.set(change.id, there.uid);
      }
    } finally {
      lock.release();
    }
  }

  private async confirmMoved(): Promise<void> {
    for (const moved of this.moved) await transact(this.db, (trx) => confirmMove(trx, moved));
  }

  /** The messages are not there any more: what was wanted of them falls, and they are shown there no longer. */
  private async drop(changes: readonly PendingChange[]): Promise<void> {
    if (!changes.length) return;
    await transact(this.db, async (trx) => {
      const places = changes.map(({ uid }) => uid);
      const own = () => trx('message_copy').where({ folder_id: this.folder.id }).whereIn('uid', places);
      const ids: number[] = await own().pluck('message_id');
      await holdMessages(trx, ids);
      await trx('mail_change').where({ folder_id: this.folder.id }).whereIn('uid', places).delete();
      await own().delete();
      await refreshMarks(trx, ids);
    });
  }

  /** Counts a refusal; what was refused too often is given up. */
  private async refuse(changes: readonly PendingChange[], words = ''): Promise<void> {
    const said = lastRefusal(this.client);
    const why = words || (said ? `The mail server says: “${said}”.` : 'The mail server refused it.');
    this.refused = new Error(why);
    const last = changes.filter(({ tries }) => tries + 1 >= MOST_TRIES);
    await this.giveUp(last, why);
    await this.db('mail_change')
      .whereIn(
        'id',
        changes.filter((change) => !last.includes(change)).map(({ id }) => id),
      )
      .increment('tries', 1);
  }

  private async giveUp(changes: readonly PendingChange[], why: string): Promise<void> {
    if (changes.length) await transact(this.db, (trx) => giveUp(trx, changes, why));
  }
}

/** What tells a message from others, when it is looked at on its server. */
export const LOOKED_AT = { uid: true, envelope: true, size: true } as const;

/** Whether what lies at a number is the message that is meant: by Message-ID, or by size where it has none. */
export function isMeant(
  { envelope, size }: FetchMessageObject,
  meant: { name: string | null; size: number | null } | undefined,
): boolean {
  if (!meant) return true;
  const name = envelope?.messageId?.trim().replace(/^<|>$/g, '') ?? '';
  if (name && meant.name) return name === meant.name;
  return meant.size === null || size === undefined || Number(meant.size) === size;
}

function uidsOf(changes: readonly PendingChange[]): string {
  return changes.map(({ uid }) => uid).join(',');
}

/** Changes of one folder that can be said to the server in one command. */
function groups(changes: readonly PendingChange[]): PendingChange[][] {
  return [
    ...groupBy(changes, ({ kind, value, to_folder_id }) => `${kind} ${value} ${to_folder_id}`).values(),
  ];
}

function thisVersion({ id, version }: PendingChange) {
  return { id, version };
}

/** Strikes off what was carried out, unless something else is wanted meanwhile. */
async function strike(db: Database, changes: readonly PendingChange[]): Promise<void> {
  await db('mail_change')
    .whereIn(
      ['id', 'version'],
      changes.map(({ id, version }) => [id, version]),
    )
    .delete();
}

/**
 * A message was moved on the server. What was done to it here meanwhile, taken back, starred, moved on, follows
 * it to its new place: it is one history, and its last word counts.
 */
async function confirmMove(trx: Transaction, { change, to, uid }: Moved): Promise<void> {
  const where = { folder_id: change.folder_id, uid: change.uid };
  const before = await trx('message_copy').where(where).first();
  await holdMessages(trx, before ? [before.message_id] : []);
  const copy = await trx('message_copy').where(where).first();
  const pending = await trx('mail_change').where(where).select();
  await trx('mail_change').where(where).delete();
  if (!copy) return;
  await trx('message_copy').where(where).delete();
  if (uid !== null) {
    const place = { folder_id: to, uid };
    await trx('message_copy')
      .insert({ ...copy, ...place })
      .onConflict(['folder_id', 'uid'])
      .merge(['seen', 'flagged', 'shown_in']);
    const follow = pending
      .filter(({ kind }) => kind !== 'move')
      .map((each) => ({ ...again(each), ...place }));
    const last = pending.find(({ kind }) => kind === 'move');
    if (last && copy.shown_in !== to) follow.push({ ...again(last), ...place, to_folder_id: copy.shown_in });
    if (follow.length)
      await trx('mail_change').insert(follow).onConflict(['folder_id', 'uid', 'kind']).merge();
  }
  await refreshMarks(trx, [copy.message_id]);
}

/** A change as it is wanted of the message at its new place. */
function again({ mailbox_id, kind, value, staff_id, to_folder_id }: PendingChange) {
  return {
    mailbox_id,
    kind,
    value,
    staff_id,
    to_folder_id,
    at: new Date(),
    tries: 0,
    version: 1,
    going_to_id: null,
    going_uid: null,
  };
}

/**
 * Gives up what cannot be carried out, with a word to whoever wanted it: the messages are shown where they are, and
 * as they are there the next time their folder is compared.
 */
export async function giveUp(
  trx: Transaction,
  changes: readonly PendingChange[],
  why: string,
): Promise<void> {
  const places = changes.map(({ folder_id, uid }) => [folder_id, uid]);
  const copies = () => trx('message_copy').whereIn(['folder_id', 'uid'], places);
  const ids: number[] = await copies().pluck('message_id');
  await holdMessages(trx, ids);
  await noteUndone(trx, changes, why);
  const moves = changes.filter(({ kind }) => kind === 'move').map(({ folder_id, uid }) => [folder_id, uid]);
  if (moves.length)
    await trx('message_copy')
      .whereIn(['folder_id', 'uid'], moves)
      .update({ shown_in: trx.raw('folder_id') });
  await trx('mail_change')
    .whereIn(
      'id',
      changes.map(({ id }) => id),
    )
    .delete();
  // What was only wished of its flags is looked up anew.
  await trx('folder')
    .whereIn('id', [...new Set(changes.map(({ folder_id }) => folder_id))])
    .update({ checked_at: null, modseq: 0 });
  await refreshMarks(trx, ids);
}
