import type { Knex } from 'knex';
import type { ShownMailbox } from '../../contract/index.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { groupBy } from '../foundation/rows.ts';

interface BoxRow {
  id: number;
  staff_id: number;
  name: string;
  address: string;
  shared: number;
  verified_at: Date | null;
  paused_at: Date | null;
  failing_since: Date | null;
  problem: string | null;
  may: 'read' | 'write' | null;
}

/** Mailboxes a person may look into: their own, those they were let into, and the office's shared ones. */
export function visibleBoxes(db: Knex, staffId: number): Knex.QueryBuilder {
  return db('mailbox')
    .whereNull('mailbox.disconnected_at')
    .leftJoin('mailbox_colleague', (join) =>
      join
        .on('mailbox_colleague.mailbox_id', 'mailbox.id')
        .andOn('mailbox_colleague.staff_id', db.raw('?', [staffId])),
    )
    .where((any) =>
      any
        .where('mailbox.staff_id', staffId)
        .orWhereNotNull('mailbox_colleague.may')
        .orWhere('mailbox.shared', 1),
    );
}

/** Mailboxes a person may move mail in, and write as. */
export async function writableBoxIds(db: Knex, staffId: number): Promise<number[]> {
  return visibleBoxes(db, staffId)
    .where((any) =>
      any
        .where('mailbox.staff_id', staffId)
        .orWhere('mailbox_colleague.may', 'write')
        .orWhere((shared) => shared.where('mailbox.shared', 1).whereNull('mailbox_colleague.may')),
    )
    .pluck('mailbox.id');
}

/** The mailboxes asked for, none beyond what the person may see. */
export async function boxIds(
  db: Knex,
  staffId: number,
  wanted: readonly number[] | undefined,
): Promise<number[]> {
  const visible: number[] = await visibleBoxes(db, staffId).pluck('mailbox.id');
  return wanted ? visible.filter((id) => wanted.includes(id)) : visible;
}

/** A mailbox a person may write as. @throws otherwise */
export async function boxToWriteAs(db: Knex, staffId: number, mailboxId: number): Promise<void> {
  if ((await writableBoxIds(db, staffId)).includes(mailboxId)) return;
  if (!(await db('mailbox').where({ id: mailboxId }).first('id'))) throw notFound('That mailbox');
  throw new Refusal(403, 'You may not write as that mailbox.', 'mailboxId');
}

/** All mailboxes a person may see, with their folders and what is unread in them. */
export async function shownMailboxes(db: Knex, staffId: number): Promise<ShownMailbox[]> {
  const boxes: BoxRow[] = await visibleBoxes(db, staffId)
    .orderByRaw('mailbox.shared, mailbox.staff_id = ?, mailbox.id', [staffId])
    .select('mailbox.*', 'mailbox_colleague.may');
  const ids = boxes.map((box) => box.id);
  const [folders, unread]: [
    { id: number; mailbox_id: number; path: string; role: ShownMailbox['folders'][number]['role'] }[],
    { mailbox_id: number; count: number }[],
  ] = await Promise.all([
    db('folder')
      .whereIn('mailbox_id', ids)
      .where({ skipped: 0 })
      .orderByRaw("FIELD(role, 'inbox', 'sent', 'archive', 'other', 'drafts', 'trash', 'junk'), path")
      .select('id', 'mailbox_id', 'path', 'role'),
    db('message')
      .join('message_copy', 'message_copy.message_id', 'message.id')
      .join('folder', 'folder.id', 'message_copy.shown_in')
      .where({ 'message.unread': 1, 'message_copy.seen': 0 })
      .whereIn('folder.mailbox_id', ids)
      .whereNotIn('folder.role', OUT_OF_SIGHT)
      .groupBy('folder.mailbox_id')
      .select('folder.mailbox_id')
      .countDistinct('message.id as count') as unknown as Promise<{ mailbox_id: number; count: number }[]>,
  ]);
  const foldersOf = groupBy(folders, (folder) => folder.mailbox_id);
  const unreadOf = new Map(unread.map((row) => [row.mailbox_id, Number(row.count)]));
  return boxes.map((box) => ({
    id: box.id,
    name: box.name || box.address,
    address: box.address,
    own: box.staff_id === staffId && !box.shared,
    shared: Boolean(box.shared),
    mayWrite: box.staff_id === staffId || box.may === 'write' || (Boolean(box.shared) && box.may === null),
    verified: box.verified_at !== null,
    trouble: box.paused_at ? 'paused' : box.failing_since ? box.problem : null,
    unread: unreadOf.get(box.id) ?? 0,
    folders: (foldersOf.get(box.id) ?? []).map(({ id, path, role }) => ({ id, path, role })),
  }));
}

/** Folders whose mail is shown only when they are asked for. */
export const OUT_OF_SIGHT = ['drafts', 'trash', 'junk'];
