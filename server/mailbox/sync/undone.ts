import { select } from '../../foundation/rows.ts';
import type { Knex } from 'knex';
import type { UndoneChange } from '../../../contract/index.ts';
import type { Transaction } from '../../foundation/database.ts';
import type { Rows } from '../../foundation/tables.ts';
import { noteChange } from '../../foundation/changes.ts';

/** What somebody wants of a copy and its server does not know yet. One a copy and kind: the newest counts. */
export type PendingChange = Rows['mail_change'];

/**
 * Keeps in words what could not be done on the mail server, for whoever wanted it. Whether something was read is
 * no loss worth telling.
 */
export async function noteUndone(
  trx: Transaction,
  changes: readonly PendingChange[],
  why: string,
): Promise<void> {
  const told = changes.filter(({ kind, staff_id }) => staff_id && (kind === 'move' || kind === 'flagged'));
  if (!told.length) return;
  const folders = await pathsOf(trx, told);
  const rows = await trx('message_copy')
    .whereIn(
      ['folder_id', 'uid'],
      told.map(({ folder_id, uid }) => [folder_id, uid]),
    )
    .select('folder_id', 'uid', 'message_id');
  const messageOf = new Map(rows.map((row) => [`${row.folder_id} ${row.uid}`, row.message_id]));
  const at = new Date();
  await trx('mail_undone').insert(
    told.map((change) => ({
      mailbox_id: change.mailbox_id,
      message_id: messageOf.get(`${change.folder_id} ${change.uid}`) ?? null,
      staff_id: change.staff_id,
      what: wordsFor(change, folders).slice(0, 120),
      why: why.slice(0, 300),
      at,
    })),
  );
  await noteChange(
    trx,
    'mail',
    'staff',
    told.map(({ staff_id }) => staff_id),
  );
}

/** So many are told at once. */
const MOST_TOLD = 20;

/** What somebody wanted of a mail server and did not come about, as long as they have not seen it; the newest first. */
export async function listUndone(db: Knex, staffId: number): Promise<UndoneChange[]> {
  const unseen = db('mail_undone')
    .join('mailbox', 'mailbox.id', 'mail_undone.mailbox_id')
    .leftJoin('message', 'message.id', 'mail_undone.message_id')
    .where('mail_undone.staff_id', staffId)
    .whereNull('mail_undone.seen_at')
    .orderBy('mail_undone.id', 'desc')
    .limit(MOST_TOLD);
  const rows = await select(unseen, {
    id: 'mail_undone.id',
    what: 'mail_undone.what',
    why: 'mail_undone.why',
    at: 'mail_undone.at',
    mailbox: 'mailbox.name',
    subject: 'message.subject?',
  });
  return rows.map((row) => ({ ...row, subject: row.subject ?? '', at: row.at.toISOString() }));
}

/** They have seen all up to one of them. */
export async function noteUndoneSeen(db: Knex, staffId: number, upTo: number): Promise<void> {
  await db('mail_undone')
    .where({ staff_id: staffId })
    .where('id', '<=', upTo)
    .whereNull('seen_at')
    .update({ seen_at: new Date() });
}

async function pathsOf(db: Knex, changes: readonly PendingChange[]): Promise<Map<number, string>> {
  const ids = changes.flatMap(({ to_folder_id }) => to_folder_id ?? []);
  const rows = ids.length ? await db('folder').whereIn('id', ids).select('id', 'path') : [];
  return new Map(rows.map(({ id, path }) => [id, path]));
}

function wordsFor(change: PendingChange, folders: ReadonlyMap<number, string>): string {
  if (change.kind === 'flagged') return change.value ? 'Star it' : 'Take the star off';
  if (change.to_folder_id === null) return 'Throw it away for good';
  const folder = folders.get(change.to_folder_id);
  return folder === undefined ? 'Move it' : `Move it to “${folder}”`;
}
