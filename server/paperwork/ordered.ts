import { DateTime } from 'luxon';
import type { StaffMember } from '../../contract/index.ts';
import { selectionOf, type Selection } from '../../core/selection/tree.ts';
import { noteChange } from '../foundation/changes.ts';
import type { Transaction } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { fromJson } from '../foundation/json.ts';
import { Refusal } from '../foundation/refusal.ts';
import { changeSelection } from '../selection/kept.ts';
import { insertPieces } from './make.ts';
import { reach } from './reach.ts';
import { beginWithin, readRun, type Words } from './runs.ts';

/** A letter that a standing order wants written to a client. */
export interface OrderedLetter {
  orderId: number;
  step: number;
  words: Partial<Words>;
  clientId: number;
  fileId: number | null;
  /** In whose name it goes by itself once it is made; null: it is read first. */
  releasedFor: number | null;
}

/**
 * Lays a letter on the desk: with the others that the same step of the same order has laid there today, as long as
 * none of them has gone.
 * @returns the run it lies in
 * @throws Refusal when the client wants no letters
 */
export async function orderLetter(
  trx: Transaction,
  owner: Pick<StaffMember, 'id'>,
  { orderId, step, words, clientId, fileId, releasedFor }: OrderedLetter,
): Promise<number> {
  const day =
    DateTime.now()
      .setZone((await readFirm(trx)).zone)
      .toISODate() ?? '';
  const selection: Selection = {
    ...selectionOf(),
    subject: fileId === null ? 'client' : 'file',
    past: true,
    only: [fileId ?? clientId],
  };
  const asking = { kind: 'letter' as const, tone: null, id: 0, owner_id: owner.id };
  const [wanted] = await reach(trx, asking, { selection, day });
  if (!wanted) throw new Refusal(409, 'Nobody of this client can be written to.');
  if (wanted.way === 'none') throw new Refusal(409, 'This client wants no letters.');
  const lying = await trx('paper_run')
    .where({ order_id: orderId, order_step: step, day, state: 'made', released_for: releasedFor })
    .whereNotExists(
      trx('paper_piece')
        .whereRaw('run_id = paper_run.id')
        .where((other) => other.where({ state: 'released' }).orWhere({ about: wanted.about })),
    )
    .orderBy('id', 'desc')
    .forUpdate()
    .first('id');
  const joined = lying ? await joinRun(trx, lying.id, selection) : false;
  const runId = lying && joined ? lying.id : await beginWithin(trx, owner, 'letter', selection, words);
  if (!joined)
    await trx('paper_run')
      .where({ id: runId })
      .update({
        ...{ order_id: orderId, order_step: step, released_for: releasedFor },
        ...{ state: 'made', made_at: new Date() },
      });
  await insertPieces(trx, runId, [wanted]);
  await noteChange(trx, 'paperwork');
  return runId;
}

/** Puts one more into the selection of a run. @returns false where it picks other records */
async function joinRun(trx: Transaction, runId: number, { subject, only = [] }: Selection): Promise<boolean> {
  const run = await readRun(trx, runId);
  const own = fromJson('selection.tree', run.selection);
  if (own.subject !== subject) return false;
  await changeSelection(trx, run.selection_id, { ...own, only: [...(own.only ?? []), ...only] });
  return true;
}
