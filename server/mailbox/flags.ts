import type { ImapFlow } from 'imapflow';
import type { Database } from '../database/database.ts';
import { transact } from '../database/database.ts';
import { forget, type FolderRow } from './folders.ts';
import { refreshMarks } from './marks.ts';

/** So many messages are compared at once, so that memory stays bounded. */
const CHUNK = 5000;

interface Seen {
  uid: number;
  seen: boolean;
  flagged: boolean;
}

/**
 * Takes over what was done to a folder's messages elsewhere: read, starred, moved away or deleted.
 * The folder must be open. What a person did here and the server does not know yet counts for more.
 * @param since changes after this mod-sequence only (RFC 7162); 0 compares everything
 * @returns whether anything was different
 */
export async function takeOverFlags(
  db: Database,
  client: ImapFlow,
  folder: FolderRow,
  since: number,
): Promise<boolean> {
  let changed = false;
  let batch: Seen[] = [];
  const hand = async () => {
    if (batch.length) changed = (await keepFlags(db, folder.id, batch)) || changed;
    batch = [];
  };
  for await (const message of client.fetch(
    '1:*',
    { uid: true, flags: true },
    { uid: true, ...(since ? { changedSince: BigInt(since) } : {}) },
  )) {
    batch.push({
      uid: message.uid,
      seen: message.flags?.has('\\Seen') ?? false,
      flagged: message.flags?.has('\\Flagged') ?? false,
    });
    if (batch.length >= CHUNK) await hand();
  }
  await hand();
  return changed;
}

async function keepFlags(db: Database, folderId: number, told: readonly Seen[]): Promise<boolean> {
  const uids = told.map((each) => each.uid);
  const [rows, wishes] = await Promise.all([
    db('message_copy')
      .where({ folder_id: folderId })
      .whereIn('uid', uids)
      .select<{ uid: number; message_id: number; seen: number; flagged: number }[]>(
        'uid',
        'message_id',
        'seen',
        'flagged',
      ),
    db('mail_change')
      .where({ folder_id: folderId })
      .whereIn('uid', uids)
      .select<{ uid: number; kind: string }[]>('uid', 'kind'),
  ]);
  const here = new Map(rows.map((row) => [row.uid, row]));
  const wished = new Set(wishes.map((wish) => `${wish.uid} ${wish.kind}`));
  const groups = new Map<string, { column: 'seen' | 'flagged'; value: boolean; uids: number[] }>();
  const touched: number[] = [];
  for (const each of told) {
    const row = here.get(each.uid);
    if (!row) continue;
    for (const column of ['seen', 'flagged'] as const) {
      if (Boolean(row[column]) === each[column] || wished.has(`${each.uid} ${column}`)) continue;
      const key = `${column} ${each[column]}`;
      const group = groups.get(key) ?? { column, value: each[column], uids: [] };
      groups.set(key, group);
      group.uids.push(each.uid);
      touched.push(row.message_id);
    }
  }
  if (!groups.size) return false;
  await transact(db, async (trx) => {
    for (const { column, value, uids: ofGroup } of groups.values())
      await trx('message_copy')
        .where({ folder_id: folderId })
        .whereIn('uid', ofGroup)
        .update({ [column]: value });
    await refreshMarks(trx, touched);
  });
  return true;
}

/**
 * Compares which messages lie in an open folder with those we know of, and forgets the copies that are gone.
 * @returns whether any were gone, and the UIDs of messages that ought to be here and are not
 */
export async function compareFolder(
  db: Database,
  client: ImapFlow,
  folder: FolderRow,
): Promise<{ changed: boolean; missing: number[] }> {
  const found = await client.search({ all: true }, { uid: true });
  if (!Array.isArray(found)) throw new Error('The mail server did not say what lies in a folder.');
  const missing = new Set(
    found.filter((uid) => uid < Number(folder.next_uid) && uid >= Number(folder.history_uid)),
  );
  const there = new Set(found);
  let changed = false;
  for (let after = 0; ;) {
    const rows: { uid: number; message_id: number }[] = await db('message_copy')
      .where({ folder_id: folder.id })
      .where('uid', '>', after)
      .where('uid', '<', folder.next_uid)
      .orderBy('uid')
      .limit(CHUNK)
      .select('uid', 'message_id');
    if (!rows.length) return { changed, missing: [...missing] };
    for (const row of rows) missing.delete(row.uid);
    const gone = rows.filter((row) => !there.has(row.uid));
    if (gone.length) await forget(db, folder.id, gone);
    changed = changed || gone.length > 0;
    after = rows.at(-1)?.uid ?? after;
  }
}

/** Forgets copies a server says have vanished (RFC 7162 section 3.2.10). */
export async function takeOverNamed(db: Database, folder: FolderRow, uids: readonly number[]): Promise<void> {
  for (let at = 0; at < uids.length; at += CHUNK) {
    const rows: { uid: number; message_id: number }[] = await db('message_copy')
      .where({ folder_id: folder.id })
      .whereIn('uid', uids.slice(at, at + CHUNK))
      .select('uid', 'message_id');
    if (rows.length) await forget(db, folder.id, rows);
  }
}
