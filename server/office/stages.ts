import type { Knex } from 'knex';
import type { Stage, StagesChange } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { Refusal } from '../foundation/refusal.ts';
import { select } from '../foundation/rows.ts';

/** The stages a file goes through, in their order, each with how many files are at it. */
export function listStages(db: Knex): Promise<Stage[]> {
  return select(db('stage').orderBy(['position', 'name']), {
    id: 'stage.id',
    name: 'stage.name',
    files: db.raw<number>('(SELECT COUNT(*) FROM file WHERE file.stage_id = stage.id)'),
  });
}

/**
 * Makes the stages as they are to be: renamed ones keep their files, files of those that go move where it says.
 * @throws Refusal when a stage goes that still has files, and nobody said where to
 */
export async function changeStages(
  db: Database,
  staffId: number,
  { stages, moved }: StagesChange,
): Promise<Stage[]> {
  return transact(db, async (trx) => {
    const before = await listStages(trx);
    const kept = stages.flatMap(({ id }) => id ?? []);
    for (const { id, name, files } of before.filter((stage) => !kept.includes(stage.id))) {
      const where = moved.find(({ from }) => from === id);
      if (files && !where)
        throw new Refusal(409, `${files} files are at “${name}”. Say where they are to go.`, 'stages');
      if (where) await trx('file').where({ stage_id: id }).update({ stage_id: where.to });
      await trx('stage').where({ id }).delete();
    }
    await nameStages(trx, stages);
    await noteAudit(trx, {
      staffId,
      action: 'stages changed',
      subject: 'firm',
      id: 0,
      before: before.map(({ name }) => name),
      after: stages.map(({ name }) => name),
    });
    await noteChange(trx, 'records');
    return listStages(trx);
  });
}

async function nameStages(trx: Transaction, stages: StagesChange['stages']): Promise<void> {
  // Two that change their names with one another would meet on the way.
  for (const { id } of stages)
    if (id)
      await trx('stage')
        .where({ id })
        .update({ name: `\u0001${id}` });
  for (const [position, { id, name }] of stages.entries()) {
    if (id) await trx('stage').where({ id }).update({ name, position });
    else await trx('stage').insert({ name, position });
  }
}
