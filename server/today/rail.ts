import type { Knex } from 'knex';
import type { RailCounts, StaffMember } from '../../contract/index.ts';
import { waitingNow } from '../filing/sorting.ts';
import { mailboxStatuses } from '../mailbox/accounts/status.ts';
import { shownMailboxes } from '../mailbox/list/shown.ts';

/** The figures beside the rail's words. */
export async function railCounts(db: Knex, staff: StaffMember): Promise<RailCounts> {
  const count = async (query: Knex.QueryBuilder) =>
    Number((await query.count('* as count').first())?.count ?? 0);
  const [sorting, clients, mailings, mailboxes, boxes] = await Promise.all([
    count(waitingNow(db)),
    count(db('client')),
    count(db('mailing').whereIn('state', ['draft', 'preparing', 'leaving', 'paused'])),
    mailboxStatuses(db, staff),
    shownMailboxes(db, staff.id),
  ]);
  const inStep = mailboxes.filter((mailbox) => mailbox.state === 'in step');
  const looks = inStep.map((mailbox) => mailbox.inStepAt).filter((at) => at !== null);
  return {
    sorting,
    unread: boxes.reduce((sum, box) => sum + box.unread, 0),
    clients,
    mailings,
    mailboxes: {
      total: mailboxes.length,
      inStep: inStep.length,
      failing: mailboxes.filter((mailbox) => mailbox.state === 'failing').length,
      filling: mailboxes.filter((mailbox) => mailbox.state === 'filling').length,
      inStepAt: looks.sort()[0] ?? null,
    },
  };
}
