import type { ImapFlow } from 'imapflow';
import { transact, type Database, type Transaction } from '../../foundation/database.ts';
import { forget, type FolderRow } from './folders.ts';
import { holdMessages, refreshMarks } from '../../correspondence/marks.ts';
import { groupBy } from '../../foundation/rows.ts';

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

interface Difference {
  uid: number;
  column: 'seen' | 'flagged';
  value: boolean;
}

async function keepFlags(db: Database, folderId: number, told: readonly Seen[]): Promise<boolean> {
  const rows = await copiesAt(
    db,
    folderId,
    told.map((each) => each.uid),
  );
  const here = new Map(rows.map((row) => [Number(row.uid), row]));
  const different = told.flatMap((each) => {
    const row = here.get(each.uid);
    return (['seen', 'flagged'] as const).flatMap((column) =>
      row && Boolean(row[column]) !== each[column] ? [{ uid: each.uid, column, value: each[column] }] : [],
    );
  });
  if (!different.length) return false;
  const touched = different.map(({ uid }) => here.get(uid)?.message_id ?? 0);
  return transact(db, async (trx) => {
    await holdMessages(trx, touched);
    // Asked for once nobody can add another: what is wished here counts for more than what the server says.
    const pending = await trx('mail_change')
      .where({ folder_id: folderId })
      .whereIn(
        'uid',
        different.map(({ uid }) => uid),
      )
      .select('uid', 'kind');
    const wished = new Set(pending.map(({ uid, kind }) => `${uid} ${kind}`));
    const open = different.filter(({ uid, column }) => !wished.has(`${uid} ${column}`));
    for (const [, group] of groupBy(open, ({ column, value }) => `${column} ${value}`))
      await setFlags(trx, folderId, group);
    await refreshMarks(trx, touched);
    return open.length > 0;
  });
}

async function setFlags(trx: Transaction, folderId: number, alike: readonly Difference[]): Promise<void> {
  const [first] = alike;
  if (!first) return;
  await trx('message_copy')
    .where({ folder_id: folderId })
    .whereIn(
      'uid',
      alike.map(({ uid }) => uid),
    )
    .update({ [first.column]: first.value });
}

function copiesAt(
  db: Database,
  folderId: number,
  uids: readonly number[],
): Promise<{ uid: number; message_id: number; seen: number; flagged: number }[]> {
  return db('message_copy')
    .where({ folder_id: folderId })
    .whereIn('uid', uids)
    .select('uid', 'message_id', 'seen', 'flagged');
}

/**
 * Compares which messages lie in an open folder with those we know of, and forgets the copies that are gone.
 * @returns whether any were gone, and the UIDs of messages that ought to be here and are not
 * @throws when the server gives no list of what is in the folder
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
    const rows = await db('message_copy')
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
    const rows = await db('message_copy')
      .where({ folder_id: folder.id })
      .whereIn('uid', uids.slice(at, at + CHUNK))
      .select('uid', 'message_id');
    if (rows.length) await forget(db, folder.id, rows);
  }
}
