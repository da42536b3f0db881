import type { Knex } from 'knex';
import { visibleBoxes } from './boxes.ts';
import { Refusal } from '../foundation/refusal.ts';

/** A copy of the message at hand in one of the mailboxes. */
function copyWithin(db: Knex, boxes: Knex.QueryBuilder): Knex.QueryBuilder {
  return db('message_copy')
    .join('folder', 'folder.id', 'message_copy.folder_id')
    .whereRaw('message_copy.message_id = message.id')
    .whereIn('folder.mailbox_id', boxes)
    .select(db.raw('1'));
}

/** Mailboxes that are the person's own. */
function ownBoxes(db: Knex, staffId: number): Knex.QueryBuilder {
  return db('mailbox').where({ staff_id: staffId }).whereNull('disconnected_at').select('id');
}

/** A private mailing that the person released, of which the message at hand is a copy. */
function ownMailing(db: Knex, staffId: number): Knex.QueryBuilder {
  return db('dispatch')
    .join('mailing', 'mailing.id', 'dispatch.mailing_id')
    .whereRaw('dispatch.logged_message_id = message.id')
    .where('mailing.released_by', staffId)
    .where('mailing.file_choice', 'private')
    .select(db.raw('1'));
}

/**
 * Narrows a query on `message` to what a person may read. Correspondence and what waits to be sorted is the
 * firm's; what was set aside is read by those who may look into a mailbox that holds it; what is private by
 * those whose own mailbox holds it, or who released the private mailing it was sent in, and nobody else.
 */
export function readableBy(db: Knex, found: Knex.QueryBuilder, staffId: number): Knex.QueryBuilder {
  return found.where((any) =>
    any
      .whereIn('message.state', ['logged', 'suggested'])
      .orWhere((aside) =>
        aside
          .where('message.state', 'aside')
          .whereExists(copyWithin(db, visibleBoxes(db, staffId).select('mailbox.id'))),
      )
      .orWhere((own) =>
        own
          .where('message.state', 'private')
          .where((either) =>
            either.whereExists(copyWithin(db, ownBoxes(db, staffId))).orWhereExists(ownMailing(db, staffId)),
          ),
      ),
  );
}

/** @throws when the person may not read the message */
export async function refuseUnlessReadable(
  db: Knex,
  staffId: number,
  row: { id: number; state: string },
): Promise<void> {
  if (row.state === 'logged' || row.state === 'suggested') return;
  const found = readableBy(db, db('message').where('message.id', row.id), staffId);
  if (await found.first('message.id')) return;
  throw new Refusal(
    403,
    row.state === 'private'
      ? 'That message is private to a colleague.'
      : 'That message was set aside, and lies in no mailbox that you may look into.',
  );
}

/** Whether a message lies in a mailbox of the person's own. */
export async function liesInOwn(db: Knex, staffId: number, messageId: number): Promise<boolean> {
  const row = await db('message')
    .where('message.id', messageId)
    .whereExists(copyWithin(db, ownBoxes(db, staffId)))
    .first('message.id');
  return row !== undefined;
}
