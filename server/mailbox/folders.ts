import type { ImapFlow, ListResponse } from 'imapflow';
import type { Database } from '../database/database.ts';
import { transact } from '../database/database.ts';
import { refreshMarks } from './marks.ts';

/** A folder as we know it, with what its server last said of it. */
export interface FolderRow {
  id: number;
  mailbox_id: number;
  path: string;
  role: string;
  uid_validity: number;
  /** Everything from here on is new. */
  next_uid: number;
  /** Everything below here is still to be taken in; 1 or less when done. */
  history_uid: number;
  /** Changes up to here are known; 0 when the server keeps no count of changes. */
  modseq: number;
  on_server: number;
  skipped: number;
  checked_at: Date | null;
}

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

const ROLES: Record<string, string> = {
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
 * Lists a mailbox's folders and brings our record of them up to date: new ones, renamed ones (told by
 * UIDVALIDITY and their newest message), those that are gone, and those that were begun anew.
 * @returns the folders to be read, the important first
 */
export async function listFolders(
  db: Database,
  client: ImapFlow,
  mailboxId: number,
  personal: readonly string[],
): Promise<ListedFolder[]> {
  const listed = (await client.list({ statusQuery: STATUS_QUERY })).filter(
    (folder) => !folder.flags.has('\\Noselect') && folder.status && !('error' in folder.status),
  );
  // Every mailbox has an INBOX (RFC 3501 section 5.1): a list without it is a wrong answer, not a deletion.
  if (!listed.some((folder) => folder.path.toUpperCase() === 'INBOX'))
    throw new Error('The mail server did not list the folders as it should.');
  const known: FolderRow[] = await db('folder').where({ mailbox_id: mailboxId });
  const byPath = new Map(known.map((row) => [row.path, row]));
  const gone = known.filter((row) => !listed.some((folder) => folder.path === row.path));
  for (const folder of listed) {
    const row = byPath.get(folder.path);
    if (row) await noteState(db, row, folder);
    else if (!(await noteRename(db, client, gone, folder))) await addFolder(db, mailboxId, folder);
  }
  for (const row of gone) await dropFolder(db, row.id);
  const own = new Set(personal.map((name) => name.toLowerCase()));
  const isOwn = ({ path, delimiter }: ListResponse) =>
    path.split(delimiter || '/').some((part) => own.has(part.toLowerCase()));
  const rows: FolderRow[] = await db('folder').where({ mailbox_id: mailboxId });
  const now = new Map(rows.map((row) => [row.path, row]));
  return listed
    .flatMap((folder) => {
      const row = now.get(folder.path);
      // A colleague's personal folders are never opened, nor what lies in them.
      return row && !row.skipped && !PASSED_OVER.has(row.role) && !isOwn(folder)
        ? [{ row, state: stateOf(folder.status ?? {}) }]
        : [];
    })
    .sort((a, b) => ORDER.indexOf(a.row.role) - ORDER.indexOf(b.row.role));
}

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

async function addFolder(db: Database, mailboxId: number, folder: ListResponse): Promise<void> {
  const role = folder.path.toUpperCase() === 'INBOX' ? 'inbox' : (ROLES[folder.specialUse ?? ''] ?? 'other');
  await db('folder')
    .insert({ mailbox_id: mailboxId, path: folder.path, role, ...beginning(folder) })
    .onConflict()
    .ignore();
}

/** A changed UIDVALIDITY means reading the folder again from the start, which logs nothing twice. */
async function noteState(db: Database, row: FolderRow, folder: ListResponse): Promise<void> {
  const onServer = folder.status?.messages ?? 0;
  if (Number(row.uid_validity) === Number(folder.status?.uidValidity ?? 0)) {
    if (row.on_server !== onServer) await db('folder').where({ id: row.id }).update({ on_server: onServer });
    return;
  }
  await forgetCopies(db, row.id);
  await db('mail_change').where({ folder_id: row.id }).delete();
  await db('folder').where({ id: row.id }).update(beginning(folder));
}

/** A folder that appears as another is gone, with the same UIDVALIDITY and the same message at its end, was renamed. */
async function noteRename(
  db: Database,
  client: ImapFlow,
  gone: FolderRow[],
  folder: ListResponse,
): Promise<boolean> {
  for (const [place, row] of gone.entries()) {
    if (Number(row.uid_validity) !== Number(folder.status?.uidValidity ?? 0)) continue;
    if (Number(row.next_uid) > Number(folder.status?.uidNext ?? 0)) continue;
    const last: { uid: number; message_id: string | null } | undefined = await db('message_copy')
      .join('message', 'message.id', 'message_copy.message_id')
      .where({ folder_id: row.id })
      .orderBy('uid', 'desc')
      .first('uid', 'message.message_id');
    if (!last || !(await isAt(client, folder.path, last))) continue;
    await db('folder').where({ id: row.id }).update({ path: folder.path });
    gone.splice(place, 1);
    return true;
  }
  return false;
}

async function isAt(
  client: ImapFlow,
  path: string,
  { uid, message_id }: { uid: number; message_id: string | null },
): Promise<boolean> {
  const lock = await client.getMailboxLock(path, { readOnly: true });
  try {
    const found = await client.fetchOne(String(uid), { uid: true, envelope: true }, { uid: true });
    return Boolean(
      found && message_id && found.envelope?.messageId?.trim().replace(/^<|>$/g, '') === message_id,
    );
  } finally {
    lock.release();
  }
}

/** A folder is gone: its messages stay, on the files they are on. */
async function dropFolder(db: Database, id: number): Promise<void> {
  await forgetCopies(db, id);
  await db('folder').where({ id }).delete();
}

const CHUNK = 2000;

/** Forgets what lay in a folder, some thousand copies at a time. */
export async function forgetCopies(db: Database, folderId: number): Promise<void> {
  for (;;) {
    const rows: { uid: number; message_id: number }[] = await db('message_copy')
      .where({ folder_id: folderId })
      .limit(CHUNK)
      .select('uid', 'message_id');
    if (!rows.length) return;
    await forget(db, folderId, rows);
  }
}

/** Forgets some copies of a folder; the messages themselves, and where they are filed, stay. */
export async function forget(
  db: Database,
  folderId: number,
  rows: readonly { uid: number; message_id: number }[],
): Promise<void> {
  await transact(db, async (trx) => {
    const uids = rows.map((row) => row.uid);
    await trx('message_copy').where({ folder_id: folderId }).whereIn('uid', uids).delete();
    await trx('mail_change').where({ folder_id: folderId }).whereIn('uid', uids).delete();
    await refreshMarks(
      trx,
      rows.map((row) => row.message_id),
    );
  });
}
