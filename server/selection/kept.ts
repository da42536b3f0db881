import type { Selection } from '../../core/selection/tree.ts';
import type { Transaction } from '../foundation/database.ts';
import { toJson } from '../foundation/json.ts';

/** Keeps a selection as a record of its own. @returns its number */
export async function saveSelection(trx: Transaction, ownerId: number, tree: Selection): Promise<number> {
  const [id = 0] = await trx('selection').insert({
    owner_id: ownerId,
    tree: toJson('selection.tree', tree),
    saved_at: new Date(),
  });
  return id;
}

/** Changes a selection that is kept. */
export async function changeSelection(trx: Transaction, id: number, tree: Selection): Promise<void> {
  await trx('selection')
    .where({ id })
    .update({ tree: toJson('selection.tree', tree), saved_at: new Date() });
}
