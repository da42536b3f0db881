import type { Knex } from 'knex';
import type { Transaction } from '../foundation/database.ts';
import { claimedDomain, confirmedOf, isUsual, type Confirmed } from '../filing/domains.ts';
import { weighAnew } from '../filing/standing.ts';
import type { Prepared, Receiving } from './prepare.ts';

/** So many names of servers are noted of one batch. */
const MOST_NAMES = 3;

/** What is known of the server that takes mail in for a mailbox. */
export async function receivingServer(db: Knex, mailboxId: number): Promise<Receiving> {
  const [believed, mailbox] = await Promise.all([
    db('mailbox_server').where({ mailbox_id: mailboxId, believed: 1 }).pluck('name') as Promise<string[]>,
    db('mailbox').where({ id: mailboxId }).first('checks_silently') as Promise<
      { checks_silently: number } | undefined
    >,
  ]);
  return { mailboxId, believed, silently: Boolean(mailbox?.checks_silently) };
}

/** Counts the names under which servers wrote into the mail of a mailbox, to be shown in its settings. */
export async function noteServers(
  trx: Transaction,
  receiving: Receiving,
  prepared: readonly Prepared[],
): Promise<void> {
  const seen = new Map<string, number>();
  for (const { read, ours } of prepared) {
    const name = ours ? undefined : read.checks[0]?.by;
    if (name) seen.set(name, (seen.get(name) ?? 0) + 1);
  }
  const most = [...seen].sort((a, b) => b[1] - a[1]).slice(0, MOST_NAMES);
  if (!most.length) return;
  await trx.raw(
    `INSERT INTO mailbox_server (mailbox_id, name, seen) VALUES ${most.map(() => '(?, ?, ?)').join(', ')}
      ON DUPLICATE KEY UPDATE seen = seen + VALUES(seen)`,
    most.flatMap(([name, count]) => [receiving.mailboxId, name, count]),
  );
}

/**
 * Tells each message whether its domain's mail is usually confirmed, and counts those of the batch. The
 * count is of what servers confirmed; nobody can lower it below the share by what he sends himself but by
 * sending more than the domain does, and then a person is asked all the same.
 * @returns domains of old mail of which it was found that it is usually confirmed, or is not any more
 */
export async function noteSenders(trx: Transaction, messages: readonly Prepared[]): Promise<string[]> {
  const told = messages.filter(({ confirmation }) => confirmation !== null && confirmation !== 'untold');
  const domains = new Map<string, Confirmed>();
  const old = new Set<string>();
  for (const message of told) {
    const { read, confirmation } = message;
    const domain = claimedDomain(read);
    const counts = domains.get(domain) ?? { confirmed: 0, others: 0 };
    if (confirmation === 'confirmed') counts.confirmed++;
    else counts.others++;
    if (domain) domains.set(domain, counts);
    if (message.past) old.add(domain);
  }
  if (!domains.size) return [];
  const before = await confirmedOf(trx, [...domains.keys()]);
  const usual = new Set([...before].flatMap(([domain, each]) => (isUsual(each) ? [domain] : [])));
  for (const message of told) {
    if (usual.has(claimedDomain(message.read))) {
      if (message.filing.sender !== 'absent') continue;
      message.filing.usuallyConfirmed = true;
      message.byRecords = null;
    } else if (message.past && message.confirmation === 'absent') {
      // Old mail may be from before the server wrote down what it found.
      message.filing.sender = undefined;
      message.byRecords = null;
      message.row.confirmation = null;
      message.row.waived = 1;
    }
  }
  await trx.raw(
    `INSERT INTO sender_domain (domain, confirmed, others) VALUES ${[...domains].map(() => '(?, ?, ?)').join(', ')}
      ON DUPLICATE KEY UPDATE confirmed = confirmed + VALUES(confirmed), others = others + VALUES(others)`,
    [...domains].flatMap(([domain, { confirmed, others }]) => [domain, confirmed, others]),
  );
  return [...domains].flatMap(([domain, { confirmed, others }]) => {
    const { confirmed: known, others: unknown } = before.get(domain) ?? { confirmed: 0, others: 0 };
    const now = isUsual({ confirmed: known + confirmed, others: unknown + others });
    return old.has(domain) && now !== usual.has(domain) ? [domain] : [];
  });
}

/** Lets old mail be weighed anew whose sender nobody confirmed, of domains whose mail is confirmed as a rule by now or is not any more. */
export async function askAgain(trx: Transaction, domains: readonly string[]): Promise<void> {
  if (!domains.length) return;
  const unconfirmed = trx('message')
    .join('message_party', 'message_party.message_id', 'message.id')
    .whereIn('message_party.domain', domains)
    .where({ role: 'from', direction: 'received', past: 1 })
    .where((any) => any.where('waived', 1).orWhere('confirmation', 'absent'));
  await weighAnew(trx, unconfirmed);
}
