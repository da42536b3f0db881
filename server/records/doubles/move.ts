import type { Knex } from 'knex';
import { renumbered } from '../../../core/selection/renumber.ts';
import type { DoubleSubject } from '../../../contract/index.ts';
import type { Transaction } from '../../foundation/database.ts';
import { fromJson, toJson } from '../../foundation/json.ts';
import type { Rows } from '../../foundation/tables.ts';

/** Which record takes the place of which. */
export interface Merging {
  keptId: number;
  droppedId: number;
}

/** Gives all that hangs on one record to the other, of which the fields are seen to by themselves. */
export const MOVE: Record<DoubleSubject, (trx: Transaction, merging: Merging) => Promise<void>> = {
  client: moveClient,
  person: movePerson,
};

async function moveClient(trx: Transaction, { keptId, droppedId }: Merging): Promise<void> {
  const dropped = await trx('client').where({ id: droppedId }).first('name');
  // One General file a client: the other keeps its number, since people know it, under a title that says whose it was.
  await trx('file')
    .where({ client_id: droppedId, general: 1 })
    .update({
      general: 0,
      title: trx.raw('LEFT(CONCAT(title, ?), 200)', [`, ${dropped?.name ?? ''}`]),
    });
  await trx('file').where({ client_id: droppedId }).update({ client_id: keptId });
  await trx('fee_note').where({ client_id: droppedId }).update({ client_id: keptId });
  // What was said of either one's reminders stands.
  const other = await trx('client').where({ id: droppedId }).first('reminding');
  await trx('client')
    .where({ id: keptId })
    .whereNull('reminding')
    .update({ reminding: other?.reminding ?? null });
  await trx('import_row').where({ client_id: droppedId }).update({ client_id: keptId });
  // A mailing has one row for a client: of one that went to both, this copy is only its recipient's.
  await trx('dispatch')
    .where({ client_id: droppedId })
    .whereIn(
      'mailing_id',
      trx('dispatch').where({ client_id: keptId }).whereNotNull('mailing_id').select('mailing_id'),
    )
    .update({ client_id: null });
  await trx('dispatch').where({ client_id: droppedId }).update({ client_id: keptId });
  await trx('order_course').where({ client_id: droppedId }).update({ client_id: keptId });
  await trx('task').where({ client_id: droppedId }).update({ client_id: keptId });
  await trx.raw('UPDATE IGNORE mailing_left_out SET client_id = ? WHERE client_id = ?', [keptId, droppedId]);
  await trx('mailing_left_out').where({ client_id: droppedId }).delete();
  await moveTies(trx, 'mailing_own_copy', 'client_id', { keptId, droppedId });
  await moveTies(trx, 'selection_member', 'client_id', { keptId, droppedId });
  await movePages(trx, 'client_id', { keptId, droppedId });
  await moveLinks(trx, 'client', { keptId, droppedId });
}

async function movePerson(trx: Transaction, { keptId, droppedId }: Merging): Promise<void> {
  await moveAddresses(trx, { keptId, droppedId });
  const kept = await trx('client_person').where({ person_id: keptId });
  for (const tie of await trx('client_person').where({ person_id: droppedId })) {
    const own = kept.find(({ client_id }) => client_id === tie.client_id);
    const where = { client_id: tie.client_id, person_id: own ? keptId : droppedId };
    await trx('client_person')
      .where(where)
      .update(
        own
          ? { role: own.role || tie.role, writes: own.writes || tie.writes ? 1 : 0 }
          : { person_id: keptId },
      );
  }
  await moveTies(trx, 'file_person', 'person_id', { keptId, droppedId });
  await moveTies(trx, 'timeline_person', 'person_id', { keptId, droppedId });
  await moveTies(trx, 'mailing_own_copy', 'person_id', { keptId, droppedId });
  await moveTies(trx, 'selection_member', 'person_id', { keptId, droppedId });
  await movePages(trx, 'person_id', { keptId, droppedId });
  await trx('delivery').where({ person_id: droppedId }).update({ person_id: keptId });
  await trx('delivery').where({ also_id: droppedId }).update({ also_id: keptId });
  // Whoever gets it gets it once.
  await trx('delivery').where({ also_id: keptId }).whereRaw('person_id = also_id').update({ also_id: null });
  await trx('paper_piece').where({ person_id: droppedId }).update({ person_id: keptId });
  await trx('order_course').where({ person_id: droppedId }).update({ person_id: keptId });
  await trx('text_message').where({ person_id: droppedId }).update({ person_id: keptId });
  // Where both had a copy of one mailing, each stays; of two copies only one can be theirs.
  await trx.raw('UPDATE IGNORE dispatch SET person_id = ? WHERE person_id = ?', [keptId, droppedId]);
  await trx('dispatch').where({ person_id: droppedId }).update({ person_id: null });
  await trx.raw('UPDATE IGNORE mailing_left_out SET person_id = ? WHERE person_id = ?', [keptId, droppedId]);
  await trx('mailing_left_out').where({ person_id: droppedId }).delete();
  await moveLinks(trx, 'person', { keptId, droppedId });
}

/** Addresses keep what is known of them; of one that both have, what either knew. */
async function moveAddresses(trx: Transaction, { keptId, droppedId }: Merging): Promise<void> {
  const kept = await trx('address').where({ person_id: keptId });
  for (const address of await trx('address').where({ person_id: droppedId })) {
    const own = kept.find(({ email_key }) => email_key === address.email_key);
    if (!own) await trx('address').where({ id: address.id }).update({ person_id: keptId });
    else if (own.returned_at === null && address.returned_at !== null)
      await trx('address')
        .where({ id: own.id })
        .update({ returned_at: address.returned_at, returned_why: address.returned_why });
  }
}

/** Rows that tie a record to something: where both are tied to the same, the kept one's stands. */
async function moveTies(
  trx: Transaction,
  table: 'selection_member' | 'file_person' | 'timeline_person' | 'mailing_own_copy',
  column: 'client_id' | 'person_id',
  { keptId, droppedId }: Merging,
): Promise<void> {
  await trx.raw('UPDATE IGNORE ?? SET ?? = ? WHERE ?? = ?', [table, column, keptId, column, droppedId]);
  await (trx(table) as Knex.QueryBuilder).where({ [column]: droppedId }).delete();
}

/** Pages go over as they are; of two for one person and client, what lies on the one comes onto the other. */
async function movePages(
  trx: Transaction,
  column: 'client_id' | 'person_id',
  { keptId, droppedId }: Merging,
): Promise<void> {
  const other = column === 'client_id' ? 'person_id' : 'client_id';
  for (const page of await trx('collection_page').where({ [column]: droppedId })) {
    const there = await trx('collection_page')
      .where({ [column]: keptId, [other]: page[other] })
      .first('id');
    if (!there) {
      await trx('collection_page')
        .where({ id: page.id })
        .update({ [column]: keptId });
      continue;
    }
    for (const table of ON_PAGES)
      await (trx(table) as Knex.QueryBuilder).where({ page_id: page.id }).update({ page_id: there.id });
    await trx('collection_page').where({ id: page.id }).delete();
  }
}

/** What hangs on pages, and goes with them. */
export const ON_PAGES = [
  'collection_item',
  'collection_wanted',
  'collection_upload',
  'collection_entry',
] as const;

/** Fields and selections that name the one record name the other. */
async function moveLinks(trx: Transaction, subject: DoubleSubject, merging: Merging): Promise<void> {
  const { keptId: to, droppedId: from } = merging;
  const column = `${subject}_link` as const;
  for (const of of ['client', 'person', 'file'] as const)
    await (trx(`${of}_field_value` as keyof Rows) as Knex.QueryBuilder)
      .where({ [column]: from })
      .update({ [column]: to });
  const fields: number[] = await trx('field').where({ kind: subject }).pluck('id');
  const links = new Set(fields.map((id) => `field:${id}`));
  for (const { id, tree } of await trx('selection').select('id', 'tree')) {
    const selection = fromJson('selection.tree', tree);
    const made = renumbered(selection, subject, { from, to }, links);
    if (made !== selection)
      await trx('selection')
        .where({ id })
        .update({ tree: toJson('selection.tree', made) });
  }
}
