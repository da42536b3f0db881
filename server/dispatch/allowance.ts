import type { Knex } from 'knex';
import type { Database, Transaction } from '../foundation/database.ts';

/** Where messages follow one another faster than this, in milliseconds, what a slow round missed may be made up. */
const FAST = 1000;

/** What each mailbox may send, whichever process sends it: one message after another, a gap between them. */
export interface Allowed {
  /** Milliseconds between two messages at least, by mailbox; none for no limit. */
  gap(mailboxId: number): number;
}

/** The gap of each mailbox. @param usual milliseconds where a mailbox has no limit of its own */
export async function readAllowed(db: Knex, usual: number): Promise<Allowed> {
  const own = await db('mailbox').whereNotNull('per_minute').select('id', 'per_minute');
  const gaps = new Map(own.map(({ id, per_minute }) => [id, 60_000 / Math.max(1, per_minute ?? 1)]));
  return { gap: (mailboxId) => gaps.get(mailboxId) ?? usual };
}

/** Mailboxes whose next message may not leave yet. */
export async function spent(db: Database): Promise<number[]> {
  const ids: number[] = await db('mailbox_allowance')
    .where('free_at', '>', db.raw('UTC_TIMESTAMP(3)'))
    .pluck('mailbox_id');
  return ids;
}

/** In how many milliseconds the next mailbox may send again; null when all may. */
export async function nextFree(db: Database): Promise<number | null> {
  const row = await db('mailbox_allowance')
    .where('free_at', '>', db.raw('UTC_TIMESTAMP(3)'))
    .first(
      db.raw<{ wait: number | null }>(
        'TIMESTAMPDIFF(MICROSECOND, UTC_TIMESTAMP(3), MIN(free_at)) / 1000 AS wait',
      ),
    );
  const wait = (row as { wait: number | string | null } | undefined)?.wait;
  return wait === null || wait === undefined ? null : Number(wait);
}

/**
 * Takes of the rows of a claim those that their mailboxes may send now, in the order given, and writes down when each
 * mailbox may send again: in the claim's own transaction, so that no two processes take the same allowance.
 * @returns the rows to claim; the others wait for their turn
 */
export async function withinAllowance<Row extends { mailbox_id: number; limited: boolean }>(
  trx: Transaction,
  rows: readonly Row[],
  allowed: Allowed,
): Promise<Row[]> {
  const limited = [...new Set(rows.map((row) => row.mailbox_id))].filter((id) => allowed.gap(id) > 0);
  if (!limited.length) return [...rows];
  // In one order, so that two claims never wait for each other.
  const ids = limited.sort((a, b) => a - b);
  await trx('mailbox_allowance')
    .insert(ids.map((mailbox_id) => ({ mailbox_id, free_at: new Date(0) })))
    .onConflict('mailbox_id')
    .ignore();
  const found = await trx('mailbox_allowance').whereIn('mailbox_id', ids).orderBy('mailbox_id').forUpdate();
  const [clock] = (await trx.select(trx.raw('UTC_TIMESTAMP(3) AS now'))) as { now: Date }[];
  const now = clock?.now.getTime() ?? Date.now();
  const free = new Map(found.map((row) => [row.mailbox_id, row.free_at.getTime()]));
  const taken = rows.filter((row) => {
    const gap = allowed.gap(row.mailbox_id);
    if (!gap) return true;
    const late = gap < FAST ? FAST : 0;
    const at = Math.max(free.get(row.mailbox_id) ?? 0, now - late);
    if (row.limited && at > now) return false;
    free.set(row.mailbox_id, at + gap);
    return true;
  });
  for (const row of found) {
    const until = free.get(row.mailbox_id) ?? 0;
    if (until !== row.free_at.getTime())
      await trx('mailbox_allowance')
        .where({ mailbox_id: row.mailbox_id })
        .update({ free_at: new Date(until) });
  }
  return taken;
}
