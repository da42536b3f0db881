import type { Knex } from 'knex';
import type { Colleagues } from '../../contract/index.ts';
import type { Known } from '../../core/facts/catalogue.ts';
import { gatherFacts } from '../facts/gather.ts';
import { select } from '../foundation/rows.ts';
import { listSenders } from './senders.ts';

/** A colleague whom a mailing goes to, with everything the message needs. */
export interface ColleagueRecipient {
  staffId: number;
  name: string;
  email: string;
  greeting: string;
  mailboxId: number;
  senderName: string;
  senderEmail: string;
  known: Known;
}

/**
 * Works out which colleagues a mailing reaches: all who are here, or those chosen, by name.
 * @param senderId the mailbox it comes from; null: that of whoever owns the mailing
 * @returns nobody when there is no verified mailbox to send from
 */
export async function findColleagues(
  db: Knex,
  colleagues: Colleagues,
  senderId: number | null,
  ownerId: number,
): Promise<ColleagueRecipient[]> {
  const chosen = db('staff').where({ active: 1 }).orderBy(['name', 'id']);
  if (colleagues !== 'all') chosen.whereIn('id', [...colleagues]);
  const [rows, senders, own] = await Promise.all([
    select(chosen, { id: 'staff.id', name: 'staff.name', email: 'staff.email' }),
    listSenders(db),
    db('mailbox').where({ staff_id: ownerId, shared: 0 }).orderBy('id').pluck('id') as Promise<number[]>,
  ]);
  const sender = senders.find(({ id }) => (senderId === null ? own.includes(id) : id === senderId));
  if (!sender) return [];
  const known = await gatherFacts(
    db,
    rows.map(({ name }) => ({
      ...{ clientId: 0, fileId: null, adviserId: ownerId },
      ...{ person: { firstName: firstName(name), lastName: lastName(name) }, greeting: firstName(name) },
    })),
  );
  return rows.map(({ id, name, email }, index) => ({
    ...{ staffId: id, name, email, greeting: firstName(name) },
    ...{ mailboxId: sender.id, senderName: sender.name, senderEmail: sender.address },
    known: known[index] ?? { words: {} },
  }));
}

/** Colleagues greet one another by what stands first in their names. */
const firstName = (name: string) => name.trim().split(/\s+/)[0] ?? '';
const lastName = (name: string) => name.trim().split(/\s+/).slice(1).join(' ');
