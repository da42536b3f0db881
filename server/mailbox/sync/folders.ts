import type { ImapFlow, ListResponse } from 'imapflow';
import { transact, type Database, type Transaction } from '../../foundation/database.ts';
import { giveUp, isMeant, LOOKED_AT } from './pendingChanges.ts';
import { isRefusal, openFolder } from '../../mailserver/imap.ts';
import { holdMessages, refreshMarks } from '../../correspondence/marks.ts';
import type { Rows } from '../../foundation/tables.ts';

/**
 * A folder as we know it, with what its server last said of it: from `next_uid` on everything is new, below
 * `history_uid` it is still to be taken in (1 or less when done), and changes up to `modseq` are known (0 when the
 * server keeps no count of changes). `closed` says why it is not read though nobody chose so.
 */
export type FolderRow = Rows['folder'];

/** What a server says of a folder. */
export interface FolderState {
  messages: number;
  nextUid: number;
  modseq: number;
  unseen: number;
}

export interface ListedFolder {
  row: FolderRow;
  state: FolderState;
}

export const STATUS_QUERY = {
  messages: true,
  uidNext: true,
  uidValidity: true,
  unseen: true,
  highestModseq: true,
} as const;

const ROLES: Record<string, FolderRow['role']> = {
  '\\Inbox': 'inbox',
  '\\Sent': 'sent',
  '\\Drafts': 'drafts',
  '\\Trash': 'trash',
  '\\Junk': 'junk',
  '\\Archive': 'archive',
};
/** Folders whose mail is no correspondence yet, or no longer ours to judge. */
const PASSED_OVER = new Set(['drafts', 'junk']);
const ORDER = ['inbox', 'sent', 'archive', 'other', 'trash'];

/**
 * Lists a mailbox's folders and brings our record of them up to date: new ones, those renamed, told by UIDVALIDITY
 * and by what lies in them, those that are gone, those made anew, and those that are not to be read.
 * @param refused those that the server did not open though it lists them
 * @returns the folders to be read, the important first
 * @throws when the server lists no INBOX: that is a wrong answer, not a deletion
 */
export async function listFolders(
  db: Database,
  client: ImapFlow,
  mailboxId: number,
  personal: readonly string[],
  refused: ReadonlySet<number> = new Set(),
): Promise<ListedFolder[]> {
  const listed = (await client.list({ statusQuery: STATUS_QUERY })).filter(
    (folder) => !folder.flags.has('\\Noselect') && !folder.flags.has('\\NonExistent'),
  );
  // Every mailbox has an INBOX (RFC 3501 section 5.1): a list without it is a wrong answer, not a deletion.
  if (!listed.some((folder) => folder.path.toUpperCase() === 'INBOX'))
    throw new Error('The mail server did not list the folders as it should.');
  const known = await db('folder').where({ mailbox_id: mailboxId });
  const rows = (await follow(db, client, mailboxId, known, listed))
    ? await db<FolderRow>('folder').where({ mailbox_id: mailboxId })
    : known;
  const byPath = new Map(rows.map((row) => [row.path, row]));
  const own = new Set(personal.map((name) => name.toLowerCase()));
  const shown: ListedFolder[] = [];
  for (const folder of listed) {
    const row = byPath.get(folder.path);
    if (!row) continue;
    await noteState(db, row, folder, own, refused.has(row.id));
    if (!row.skipped && !row.closed && !PASSED_OVER.has(row.role))
      shown.push({ row, state: stateOf(folder.status ?? {}) });
  }
  return shown.sort((a, b) => ORDER.indexOf(a.row.role) - ORDER.indexOf(b.row.role));
}

/** Whether a server told how a folder stands: one that we may not open it does not. */
function isReadable(folder: ListResponse): boolean {
  return (
    folder.status !== undefined && !('error' in folder.status) && folder.status.uidValidity !== undefined
  );
}

/** Whether a listed folder is the one we know by that name; a number that goes down means another one, too. */
function isSame(row: FolderRow, folder: ListResponse): boolean {
  return (
    !isReadable(folder) ||
    (Number(row.uid_validity) === Number(folder.status?.uidValidity) &&
      Number(row.next_uid) <= Number(folder.status?.uidNext ?? 0))
  );
}

/** Follows what became of the folders themselves. @returns whether anything did */
async function follow(
  db: Database,
  client: ImapFlow,
  mailboxId: number,
  known: readonly FolderRow[],
  listed: readonly ListResponse[],
): Promise<boolean> {
  const byPath = new Map(listed.map((folder) => [folder.path, folder]));
  const settled = known.filter((row) => {
    const folder = byPath.get(row.path);
    return folder && isSame(row, folder);
  });
  const names = new Set(settled.map(({ path }) => path));
  const open = listed.filter((folder) => !names.has(folder.path));
  const loose = known.filter((row) => !settled.includes(row));
  if (!open.length && !loose.length) return false;
  const renamed = new Map<FolderRow, ListResponse>();
  for (const folder of open) {
    const row = await renamedFrom(
      db,
      client,
      loose.filter((each) => !renamed.has(each)),
      folder,
    );
    if (row) renamed.set(row, folder);
  }
  const taken = new Set([...renamed.values()].map(({ path }) => path));
  const remade = new Map(
    loose.flatMap((row) => {
      const folder = byPath.get(row.path);
      return folder && !renamed.has(row) && !taken.has(row.path) ? [[row, folder] as const] : [];
    }),
  );
  for (const row of loose) if (!renamed.has(row) && !remade.has(row)) await dropFolder(db, row);
  await rename(db, renamed);
  for (const [row, folder] of remade) await beginAnew(db, row, folder);
  const have = new Set([...taken, ...[...remade.values()].map(({ path }) => path)]);
  for (const folder of open) if (!have.has(folder.path)) await addFolder(db, mailboxId, folder);
  return true;
}

/** So many messages of a folder are looked at to know it again. */
const SAMPLE = 12;

/** The folder, no longer found under its name, that lies under this one now. */
async function renamedFrom(
  db: Database,
  client: ImapFlow,
  loose: readonly FolderRow[],
  folder: ListResponse,
): Promise<FolderRow | undefined> {
  if (!isReadable(folder)) return undefined;
  const alike = loose.filter((row) => isSame(row, folder));
  for (const row of alike) {
    const sample: Sample[] = await db('message_copy')
      .join('message', 'message.id', 'message_copy.message_id')
      .where({ folder_id: row.id })
      .orderBy('uid', 'desc')
      .limit(SAMPLE)
      .select('uid', 'message.message_id as name', 'message_copy.size');
    const fits = sample.length ? await isThere(client, folder.path, sample) : alike.length === 1;
    if (fits) return row;
  }
  return undefined;
}

interface Sample {
  uid: number;
  name: string | null;
  size: number | null;
}

/** Whether what we know of a folder lies in this one: what was deleted meanwhile is missing, but nothing is another. */
async function isThere(client: ImapFlow, path: string, sample: readonly Sample[]): Promise<boolean> {
  const lock = await openFolder(client, path, { readOnly: true }).catch((error: unknown) => {
    if (client.usable && isRefusal(error)) return null;
    throw error;
  });
  if (!lock) return false;
  try {
    const known = new Map(sample.map((each) => [Number(each.uid), each]));
    let alike = 0;
    for await (const found of client.fetch([...known.keys()].join(','), LOOKED_AT, { uid: true })) {
      if (!isMeant(found, known.get(found.uid))) return false;
      alike++;
    }
    return alike > 0;
  } finally {
    lock.release();
  }
}

/** Folders that change names with one another do so by way of names that no server has. */
async function rename(db: Database, renamed: ReadonlyMap<FolderRow, ListResponse>): Promise<void> {
  if (!renamed.size) return;
  await transact(db, async (trx) => {
    for (const { id } of renamed.keys())
      await trx('folder')
        .where({ id })
        .update({ path: `\u0000${id}` });
    for (const [{ id }, { path }] of renamed) await trx('folder').where({ id }).update({ path });
  });
}

/** What a server says of a folder, in numbers. */
export function stateOf(status: {
  messages?: number;
  uidNext?: number;
  unseen?: number;
  highestModseq?: bigint;
}): FolderState {
  return {
    messages: status.messages ?? 0,
    nextUid: Number(status.uidNext ?? 1),
    modseq: Number(status.highestModseq ?? 0),
    unseen: status.unseen ?? 0,
  };
}

function beginning(folder: ListResponse): Record<string, number | Date> {
  const { messages, nextUid, modseq } = stateOf(folder.status ?? {});
  return {
    uid_validity: Number(folder.status?.uidValidity ?? 0),
    next_uid: nextUid,
    history_uid: nextUid,
    modseq,
    on_server: messages,
    checked_at: new Date(),
  };
}

function roleOf(folder: ListResponse): FolderRow['role'] {
  return folder.path.toUpperCase() === 'INBOX' ? 'inbox' : (ROLES[folder.specialUse ?? ''] ?? 'other');
}

async function addFolder(db: Database, mailboxId: number, folder: ListResponse): Promise<void> {
  await db('folder')
    .insert({ mailbox_id: mailboxId, path: folder.path, role: roleOf(folder), ...beginning(folder) })
    .onConflict()
    .ignore();
}

/** Brings what we know of a folder in line with what its server says, and whether it is to be read at all. */
async function noteState(
  db: Database,
  row: FolderRow,
  folder: ListResponse,
  personal: ReadonlySet<string>,
  refused: boolean,
): Promise<void> {
  const parts = folder.path.split(folder.delimiter || '/');
  // A colleague's personal folders are never opened, nor what lies in them.
  const isOwn = parts.some((part) => personal.has(part.toLowerCase()));
  const now = {
    closed: isOwn ? ('personal' as const) : isReadable(folder) && !refused ? null : ('refused' as const),
    on_server: isReadable(folder) ? (folder.status?.messages ?? 0) : row.on_server,
    role: roleOf(folder),
  };
  if (now.closed === row.closed && now.on_server === row.on_server && now.role === row.role) return;
  await db('folder').where({ id: row.id }).update(now);
  Object.assign(row, now);
}

/** Another folder bears the name: it is read from the start, which logs nothing twice. */
async function beginAnew(db: Database, row: FolderRow, folder: ListResponse): Promise<void> {
  await giveUpWithin(db, row.id, 'The folder was made anew on the mail server.');
  await forgetCopies(db, row.id);
  await db('folder').where({ id: row.id }).update(beginning(folder));
}

async function giveUpWithin(db: Database, folderId: number, why: string): Promise<void> {
  await transact(db, async (trx) => {
    const lost = await trx('mail_change').where({ folder_id: folderId }).select();
    if (lost.length) await giveUp(trx, lost, why);
  });
}

/** A folder is gone: its messages stay, on the files they are on; what was on its way into it is shown where it lies. */
async function dropFolder(db: Database, { id }: FolderRow): Promise<void> {
  const why = 'The folder is gone from the mail server.';
  await transact(db, async (trx) => {
    const into = await trx('mail_change').where({ to_folder_id: id }).select();
    if (into.length) await giveUp(trx, into, why);
    const shown = await trx('message_copy')
      .where({ shown_in: id })
      .whereNot({ folder_id: id })
      .select('message_id');
    await trx('message_copy')
      .where({ shown_in: id })
      .whereNot({ folder_id: id })
      .update({ shown_in: trx.raw('folder_id') });
    await refreshMarks(
      trx,
      shown.map(({ message_id }) => message_id),
    );
  });
  await giveUpWithin(db, id, why);
  await forgetCopies(db, id);
  await db('folder').where({ id }).delete();
}

const CHUNK = 2000;

/**
 * Forgets what lay in a folder, some thousand copies at a time.
 * @param gone whether its server does not have it any more; else it is only not ours to read
 */
export async function forgetCopies(db: Database, folderId: number, gone = true): Promise<void> {
  for (;;) {
    const rows = await db('message_copy')
      .where({ folder_id: folderId })
      .limit(CHUNK)
      .select('uid', 'message_id');
    if (!rows.length) return;
    await forget(db, folderId, rows, gone);
  }
}

/** Forgets some copies of a folder; the messages themselves, and where they are filed, stay. */
export async function forget(
  db: Database,
  folderId: number,
  rows: readonly { uid: number; message_id: number }[],
  gone = true,
): Promise<void> {
  await transact(db, async (trx) => {
    const uids = rows.map((row) => row.uid);
    await holdMessages(
      trx,
      rows.map((row) => row.message_id),
    );
    if (gone) await noteGone(trx, folderId, uids);
    await trx('message_copy').where({ folder_id: folderId }).whereIn('uid', uids).delete();
    await trx('mail_change').where({ folder_id: folderId }).whereIn('uid', uids).delete();
    await refreshMarks(
      trx,
      rows.map((row) => row.message_id),
    );
  });
}

/** What its server does not have any more is told by the reckoning. */
async function noteGone(trx: Transaction, folderId: number, uids: readonly number[]): Promise<void> {
  await trx.raw(
    `INSERT INTO copy_gone (mailbox_id, folder_path, role, message_id, at)
      SELECT folder.mailbox_id, folder.path, folder.role, message_copy.message_id, message_copy.at
      FROM message_copy JOIN folder ON folder.id = message_copy.folder_id
      WHERE message_copy.folder_id = ? AND message_copy.uid IN (${uids.map(() => '?').join(', ')})`,
    [folderId, ...uids],
  );
}
