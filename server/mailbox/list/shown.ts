import type { Knex } from 'knex';
import type { ShownMailbox } from '../../../contract/index.ts';
import { groupBy, idsOf, select } from '../../foundation/rows.ts';
import { visibleBoxes } from '../../correspondence/boxes.ts';

/** All mailboxes a person may see, with their folders and what is unread in them. */
export async function shownMailboxes(db: Knex, staffId: number): Promise<ShownMailbox[]> {
  const visible = visibleBoxes(db, staffId).orderByRaw('mailbox.shared, mailbox.staff_id = ?, mailbox.id', [
    staffId,
  ]);
  const boxes = await select(visible, {
    id: 'mailbox.id',
    staff_id: 'mailbox.staff_id',
    name: 'mailbox.name',
    address: 'mailbox.address',
    shared: 'mailbox.shared',
    verified_at: 'mailbox.verified_at',
    paused_at: 'mailbox.paused_at',
    failing_since: 'mailbox.failing_since',
    problem: 'mailbox.problem',
    may: 'mailbox_colleague.may?',
  });
  const ids = boxes.map((box) => box.id);
  const [folders, unreadOf] = await Promise.all([
    db('folder')
      .whereIn('mailbox_id', ids)
      .where({ skipped: 0 })
      .orderByRaw("FIELD(role, 'inbox', 'sent', 'archive', 'other', 'drafts', 'trash', 'junk'), path")
      .select('id', 'mailbox_id', 'path', 'role'),
    unreadByBox(db, staffId),
  ]);
  const foldersOf = groupBy(folders, (folder) => folder.mailbox_id);
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

/** How many unread messages lie in each mailbox that a person may see. */
export async function unreadByBox(db: Knex, staffId: number): Promise<Map<number, number>> {
  const unread = db('message')
    .join('message_copy', 'message_copy.message_id', 'message.id')
    .join('folder', 'folder.id', 'message_copy.shown_in')
    .where('message.unread', 1)
    .where('message_copy.seen', 0)
    .whereIn('folder.mailbox_id', await idsOf(visibleBoxes(db, staffId), 'mailbox.id'))
    .whereNotIn('folder.role', OUT_OF_SIGHT)
    .groupBy('folder.mailbox_id');
  const rows = await select(unread, {
    mailbox_id: 'folder.mailbox_id',
    count: db.raw<number>('COUNT(DISTINCT message.id)'),
  });
  return new Map(rows.map((row) => [row.mailbox_id, row.count]));
}

/** Folders whose mail is shown only when they are asked for. */
export const OUT_OF_SIGHT = ['drafts', 'trash', 'junk'];
