import type { Knex } from 'knex';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { idsOf } from '../foundation/rows.ts';

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
  const writable = visibleBoxes(db, staffId).where((any) =>
    any
      .where('mailbox.staff_id', staffId)
      .orWhere('mailbox_colleague.may', 'write')
      .orWhere((shared) => shared.where('mailbox.shared', 1).whereNull('mailbox_colleague.may')),
  );
  return idsOf(writable, 'mailbox.id');
}

/** The mailboxes asked for, none beyond what the person may see. */
export async function boxIds(
  db: Knex,
  staffId: number,
  wanted: readonly number[] | undefined,
): Promise<number[]> {
  const visible = await idsOf(visibleBoxes(db, staffId), 'mailbox.id');
  return wanted ? visible.filter((id) => wanted.includes(id)) : visible;
}

/** A mailbox a person may write as. @throws otherwise */
export async function boxToWriteAs(db: Knex, staffId: number, mailboxId: number): Promise<void> {
  if ((await writableBoxIds(db, staffId)).includes(mailboxId)) return;
  if (!(await db('mailbox').where({ id: mailboxId }).first('id'))) throw notFound('That mailbox');
  throw new Refusal(403, 'You may not write as that mailbox.', 'mailboxId');
}
