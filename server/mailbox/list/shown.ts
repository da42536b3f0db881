import type { Knex } from 'knex';
import type { ShownMailbox } from '../../../contract/index.ts';
import { groupBy } from '../../foundation/rows.ts';
import { visibleBoxes } from '../../correspondence/boxes.ts';

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
