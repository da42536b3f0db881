import type { Knex } from 'knex';
import { domainOf, type Mailbox } from '../../core/address/address.ts';
import { LIMITS } from '../../core/message/limits.ts';

/** A domain's mail is usually confirmed when so many messages were, and so large a share of all. */
const USUAL = 3;
const USUAL_SHARE = 0.8;

/** The domain a message says that it is from, as it is counted; empty when it says none. */
export function claimedDomain({ from }: { from: Mailbox | null }): string {
  return domainOf(from?.address ?? '').slice(0, LIMITS.address);
}

/** How many messages of a domain servers confirmed, and of how many they did not say so. */
export interface Confirmed {
  confirmed: number;
  others: number;
}

/** Whether servers confirm a domain's mail as a rule, by what they said of it. */
export function isUsual({ confirmed, others }: Confirmed): boolean {
  return confirmed >= USUAL && confirmed >= USUAL_SHARE * (confirmed + others);
}

/** What servers that take our mail in have said of domains; of those of which they said anything. */
export async function confirmedOf(db: Knex, domains: readonly string[]): Promise<Map<string, Confirmed>> {
  if (!domains.length) return new Map();
  const rows = await db('sender_domain').whereIn('domain', domains).select('domain', 'confirmed', 'others');
  return new Map(rows.map((row) => [row.domain, row]));
}

/** Which of these domains the servers that take our mail in usually confirm. */
export async function usuallyConfirmed(db: Knex, domains: readonly string[]): Promise<Set<string>> {
  const counts = await confirmedOf(db, domains);
  return new Set([...counts].flatMap(([domain, each]) => (isUsual(each) ? [domain] : [])));
}
