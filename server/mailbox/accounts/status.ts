import { transact } from '../../foundation/database.ts';
import type { Knex } from 'knex';
import type { MailboxStatus, StaffMember } from '../../../contract/index.ts';
import { may } from '../../../contract/rights.ts';
import { noteChange } from '../../foundation/changes.ts';
import { visibleBoxes } from '../../correspondence/boxes.ts';
import { groupBy, idsOf, select } from '../../foundation/rows.ts';
import type { Rows } from '../../foundation/tables.ts';

/** How long after the last look a mailbox still counts as in step, in milliseconds. */
const FRESH = 2 * 60_000;

/**
 * How each mailbox stands, as far as a person may know: what lies there, what was taken in, and what is wrong
 * if anything is.
 */
export async function mailboxStatuses(db: Knex, staff: StaffMember): Promise<MailboxStatus[]> {
  const visible = new Set(await idsOf(visibleBoxes(db, staff.id), 'mailbox.id'));
  const counts = may(staff.role, 'count every mailbox');
  const [staffNames, mailboxes, folders] = await Promise.all([
    db('staff').select('id', 'name'),
    db('mailbox').whereNull('disconnected_at').orderBy(['shared', 'staff_id']).select(),
    select(
      db('folder')
        .whereNotIn('role', ['drafts', 'junk'])
        .where({ skipped: 0 })
        .orderByRaw("FIELD(role, 'inbox', 'sent', 'archive', 'other'), path"),
      {
        mailbox_id: 'folder.mailbox_id',
        path: 'folder.path',
        closed: 'folder.closed',
        on_server: 'folder.on_server',
        history_uid: 'folder.history_uid',
        taken: db.raw<number>('(SELECT COUNT(*) FROM message_copy WHERE message_copy.folder_id = folder.id)'),
      },
    ),
  ]);
  const nameOf = new Map(staffNames.map(({ id, name }) => [id, name]));
  const foldersOf = groupBy(folders, (folder) => folder.mailbox_id);
  return mailboxes.map((mailbox) => {
    const all = foldersOf.get(mailbox.id) ?? [];
    const own = all.filter(({ closed }) => closed === null);
    const onServer = own.reduce((sum, folder) => sum + folder.on_server, 0);
    const taken = own.reduce((sum, folder) => sum + folder.taken, 0);
    const filling = own.some((folder) => folder.history_uid > 1);
    return {
      id: mailbox.id,
      address: mailbox.address,
      owner: nameOf.get(mailbox.staff_id) ?? '',
      name: mailbox.name || mailbox.address,
      shared: Boolean(mailbox.shared),
      state: stateOf(mailbox, filling),
      inStepAt: mailbox.in_step_at?.toISOString() ?? null,
      failingSince: mailbox.failing_since?.toISOString() ?? null,
      verifiedAt: mailbox.verified_at?.toISOString() ?? null,
      pausedAt: mailbox.paused_at?.toISOString() ?? null,
      expectedEnd: filling ? expectedEnd(mailbox, onServer - taken) : null,
      problem: mailbox.problem,
      onServer: counts || visible.has(mailbox.id) ? onServer : null,
      taken: counts || visible.has(mailbox.id) ? taken : null,
      // The names of folders tell of what lies in them.
      folders: visible.has(mailbox.id)
        ? own.map((folder) => ({
            path: folder.path,
            onServer: folder.on_server,
            taken: folder.taken,
          }))
        : [],
      closed: visible.has(mailbox.id)
        ? all.filter(({ closed }) => closed === 'refused').map(({ path }) => path)
        : [],
      mayManage: mailbox.staff_id === staff.id || may(staff.role, 'connect any mailbox'),
    };
  });
}

/** How each mailbox stands, without a count of what lies in it. */
export async function mailboxStates(
  db: Knex,
): Promise<{ state: MailboxStatus['state']; inStepAt: Date | null }[]> {
  const mailboxes = await db('mailbox').whereNull('disconnected_at').select();
  const filling = new Set(
    await idsOf(
      db('folder')
        .whereNotIn('role', ['drafts', 'junk'])
        .where({ skipped: 0 })
        .whereNull('closed')
        .where('history_uid', '>', 1)
        .distinct(),
      'folder.mailbox_id',
    ),
  );
  return mailboxes.map((mailbox) => ({
    state: stateOf(mailbox, filling.has(mailbox.id)),
    inStepAt: mailbox.in_step_at,
  }));
}

/** A trouble that mends itself becomes one for a person after this long, in milliseconds. */
const PATIENCE = 30 * 60_000;

function stateOf(
  mailbox: Pick<Rows['mailbox'], 'paused_at' | 'failing_since' | 'needs_person' | 'in_step_at'>,
  filling: boolean,
): MailboxStatus['state'] {
  if (mailbox.paused_at) return 'paused';
  if (mailbox.failing_since) {
    const long = Date.now() - mailbox.failing_since.getTime() > PATIENCE;
    return mailbox.needs_person || long ? 'failing' : 'recovering';
  }
  if (filling) return 'filling';
  const fresh = mailbox.in_step_at && Date.now() - mailbox.in_step_at.getTime() < FRESH;
  return fresh ? 'in step' : 'waiting';
}

/** By the pace of what has been taken in so far. */
function expectedEnd(
  { filling_since, filled }: Pick<Rows['mailbox'], 'filling_since' | 'filled'>,
  left: number,
): string | null {
  if (!filling_since || !filled || left <= 0) return null;
  const elapsed = Date.now() - filling_since.getTime();
  return new Date(Date.now() + (elapsed / filled) * left).toISOString();
}

/** Lets a failing mailbox be tried at once by the process that keeps it. */
export async function retryMailbox(db: Knex, id: number): Promise<void> {
  await transact(db, async (trx) => {
    await trx('mailbox').where({ id }).update({ retry_at: new Date() });
    await noteChange(trx, 'mailboxes', 'mailbox', [id]);
  });
}
