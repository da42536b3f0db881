import type { Knex } from 'knex';
import type { MailboxStatus } from '../../contract/index.ts';
import { beat } from '../database/pulse.ts';
import { groupBy } from '../register/filingRegister.ts';

/** How long after the last look a mailbox still counts as in step, in milliseconds. */
const FRESH = 2 * 60_000;

/** How each mailbox stands: what lies there, what was taken in, and what is wrong if anything is. */
export async function mailboxStatuses(db: Knex): Promise<MailboxStatus[]> {
  const mailboxes = await db('mailbox')
    .join('staff', 'staff.id', 'mailbox.staff_id')
    .orderBy('staff.id')
    .select('mailbox.*', 'staff.name as owner');
  const folders: {
    id: number;
    mailbox_id: number;
    path: string;
    role: string;
    on_server: number;
    history_uid: number;
    taken: number;
  }[] = await db('folder')
    .whereNotIn('role', ['drafts', 'trash', 'junk'])
    .orderByRaw("FIELD(role, 'inbox', 'sent', 'archive', 'other'), path")
    .select('folder.*')
    .select(db('message_copy').whereRaw('message_copy.folder_id = folder.id').count('*').as('taken'));
  const foldersOf = groupBy(folders, (folder) => folder.mailbox_id);
  return mailboxes.map((mailbox) => {
    const own = foldersOf.get(mailbox.id) ?? [];
    const filling = own.some((folder) => Number(folder.history_uid) > 1);
    const fresh = mailbox.in_step_at && Date.now() - mailbox.in_step_at.getTime() < FRESH;
    return {
      id: mailbox.id,
      address: mailbox.address,
      owner: mailbox.owner,
      state: mailbox.failing_since ? 'failing' : filling ? 'filling' : fresh ? 'in step' : 'waiting',
      inStepAt: mailbox.in_step_at?.toISOString() ?? null,
      failingSince: mailbox.failing_since?.toISOString() ?? null,
      problem: mailbox.problem,
      onServer: own.reduce((sum, folder) => sum + folder.on_server, 0),
      taken: own.reduce((sum, folder) => sum + Number(folder.taken), 0),
      folders: own.map((folder) => ({
        path: folder.path,
        onServer: folder.on_server,
        taken: Number(folder.taken),
      })),
    };
  });
}

/** Lets a failing mailbox be tried at once by the process that keeps it. */
export async function retryMailbox(db: Knex, id: number): Promise<void> {
  await db('mailbox').where({ id }).update({ retry_at: new Date() });
  await beat(db, 'mailboxes');
}
