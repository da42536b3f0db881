import type { Transaction } from './database.ts';

/** What only one transaction at a time may do: take mail in, learn, give out file numbers, weigh the past, write down doubles, let standing orders speak. */
type Turn = 'intake' | 'lessons' | 'numbers' | 'weighing' | 'doubles' | 'orders';

/**
 * Holds a turn until the transaction ends. A lock is a write: of several database nodes that are written to, each
 * knows of what the others write, and of nothing that they only read or lock.
 */
export async function holdTurn(trx: Transaction, turn: Turn): Promise<void> {
  await trx('turn').where({ name: turn }).increment('taken', 1);
}
