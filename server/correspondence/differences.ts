import type { Transaction } from '../foundation/database.ts';
import { CouldNotBeRead, pool } from '../reading/pool.ts';

/**
 * Writes on a record what is different in another copy of it; nothing when both say the same.
 * @throws what the threads that read throw; of what cannot be read it is written that it could not be compared
 */
export async function noteDifference(
  trx: Transaction,
  id: number,
  recorded: Uint8Array,
  other: Uint8Array,
): Promise<void> {
  const found = await pool.run('differences', [recorded, other]).catch((error: unknown) => {
    if (error instanceof CouldNotBeRead) return ['it could not be compared'];
    throw error;
  });
  await trx('message')
    .where({ id })
    .update({ differs: found.length ? found.join(', ').slice(0, 300) : null });
}
