import type { Knex } from 'knex';
import type { MailingSender } from '../../contract/index.ts';
import { readFirm } from '../foundation/firm.ts';
import { select } from '../foundation/rows.ts';

/** Mailboxes that mailings may come from, and answers go to: verified and connected. The office's bear its name. */
export async function listSenders(db: Knex): Promise<MailingSender[]> {
  const [firm, rows] = await Promise.all([
    readFirm(db),
    select(
      db('mailbox')
        .join('staff', 'staff.id', 'mailbox.staff_id')
        .whereNull('mailbox.disconnected_at')
        .whereNotNull('mailbox.verified_at')
        .orderBy(['mailbox.shared', 'staff.name', 'mailbox.id']),
      { id: 'mailbox.id', name: 'staff.name', address: 'mailbox.address', shared: 'mailbox.shared' },
    ),
  ]);
  return rows.map(({ id, name, address, shared }) => ({
    id,
    name: shared ? firm.name : name,
    address,
    shared: Boolean(shared),
  }));
}
