import type { Knex } from 'knex';
import type { MailboxStatus, StaffMember } from '../../../contract/index.ts';
import { may } from '../../../contract/rights.ts';
import { beat } from '../../foundation/pulse.ts';
import { visibleBoxes } from '../../correspondence/boxes.ts';
import { groupBy } from '../../foundation/rows.ts';

/** How long after the last look a mailbox still counts as in step, in milliseconds. */
const FRESH = 2 * 60_000;

/**
 * How each mailbox stands, as far as a person may know: what lies there, what was taken in, and what is wrong
 * if anything is.
 */
export async function mailboxStatuses(db: Knex, staff: StaffMember): Promise<MailboxStatus[]> {
  const visible = new Set<number>(await visibleBoxes(db, staff.id).pluck('mailbox.id'));
  const counts = may(staff.role, 'count every mailbox');
  const mailboxes = await db('mailbox')
    .join('staff', 'staff.id', 'mailbox.staff_id')
    .whereNull('mailbox.disconnected_at')
    .orderBy('mailbox.shared')
    .orderBy('staff.id')
    .select('mailbox.*', 'staff.name as owner');
  const folders: {
    id: number;
    mailbox_id: number;
    path: string;
    role: string;
    on_server: number;
    history_uid: number;
    closed: 'personal' | 'refused' | null;
    taken: number;
  }[] = await db('folder')
    .whereNotIn('role', ['drafts', 'junk'])
    .where({ skipped: 0 })
    .orderByRaw("FIELD(role, 'inbox', 'sent', 'archive', 'other'), path")
    .select('folder.*')
    .select(db('message_copy').whereRaw('message_copy.folder_id = folder.id').count('*').as('taken'));
  const foldersOf = groupBy(folders, (folder) => folder.mailbox_id);
  return mailboxes.map((mailbox) => {
    const all = foldersOf.get(mailbox.id) ?? [];
    const own = all.filter(({ closed }) => closed === null);
    const onServer = own.reduce((sum, folder) => sum + folder.on_server, 0);
    const taken = own.reduce((sum, folder) => sum + Number(folder.taken), 0);
    const filling = own.some((folder) => Number(folder.history_uid) > 1);
    return {
      id: mailbox.id,
      address: mailbox.address,
      owner: mailbox.owner,
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
            taken: Number(folder.taken),
          }))
        : [],
      closed: visible.has(mailbox.id)
        ? all.filter(({ closed }) => closed === 'refused').map(({ path }) => path)
        : [],
      mayManage: mailbox.staff_id === staff.id || may(staff.role, 'connect any mailbox'),
    };
  });
}

/** A trouble that mends itself becomes one for a person after this long, in milliseconds. */
const PATIENCE = 30 * 60_000;

function stateOf(
  mailbox: {
    paused_at: Date | null;
    failing_since: Date | null;
    needs_person: number;
    in_step_at: Date | null;
  },
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
  { filling_since, filled }: { filling_since: Date | null; filled: number },
  left: number,
): string | null {
  if (!filling_since || !filled || left <= 0) return null;
  const elapsed = Date.now() - filling_since.getTime();
  return new Date(Date.now() + (elapsed / filled) * left).toISOString();
}

/** Lets a failing mailbox be tried at once by the process that keeps it. */
export async function retryMailbox(db: Knex, id: number): Promise<void> {
  await db('mailbox').where({ id }).update({ retry_at: new Date() });
  await beat(db, 'mailboxes');
}
