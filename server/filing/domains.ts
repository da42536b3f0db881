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

/** Which of these domains the servers that take our mail in usually confirm. */
export async function usuallyConfirmed(db: Knex, domains: readonly string[]): Promise<Set<string>> {
  if (!domains.length) return new Set();
  const rows = await db('sender_domain').whereIn('domain', domains).select('domain', 'confirmed', 'others');
  return new Set(
    rows
      .filter(
        ({ confirmed, others }) => confirmed >= USUAL && confirmed >= USUAL_SHARE * (confirmed + others),
      )
      .map(({ domain }) => domain),
  );
}
