import type { Knex } from 'knex';
import type { ShownList } from '../../contract/index.ts';
import { fromJson, toJson } from '../foundation/json.ts';

const nameOf = (list: ShownList) => `columns of ${list}`;

/** The columns of a list as somebody chose and ordered them; null where they have not. */
export async function readColumns(db: Knex, staffId: number, list: ShownList): Promise<string[] | null> {
  const row = await db('preference')
    .where({ staff_id: staffId, name: nameOf(list) })
    .first('value');
  return row ? fromJson('preference.value', row.value) : null;
}

/** Remembers them. @param columns null: as they are for everybody */
export async function keepColumns(
  db: Knex,
  staffId: number,
  list: ShownList,
  columns: string[] | null,
): Promise<void> {
  const key = { staff_id: staffId, name: nameOf(list) };
  if (!columns) return void (await db('preference').where(key).delete());
  await db('preference')
    .insert({ ...key, value: toJson('preference.value', columns) })
    .onConflict(['staff_id', 'name'])
    .merge();
}
