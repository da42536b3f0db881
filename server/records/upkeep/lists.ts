import type { Knex } from 'knex';
import type { z } from 'zod';
import {
  Gap,
  type GapCounts,
  type GapPage,
  type GapQuery,
  type RightAsItIs,
} from '../../../contract/index.ts';
import { noteAudit } from '../../foundation/audit.ts';
import { noteChange } from '../../foundation/changes.ts';
import { transact, type Database } from '../../foundation/database.ts';
import { readFirm } from '../../foundation/firm.ts';
import { countOf } from '../../foundation/rows.ts';
import { GAPS } from './gaps.ts';

/** So much of what stands there is told, and compared. */
const MARK = 200;
const markOf = (gap: Gap) => `LEFT(${GAPS[gap].mark}, ${MARK})`;

/** What makes queries for the records of a list, but for those of which somebody said that they are right as they stand. */
async function openOf(db: Knex, gap: Gap, country: string): Promise<() => Knex.QueryBuilder> {
  const { subject, find } = GAPS[gap];
  const id = `${subject}.id`;
  // They are few: of the others it is not asked what stands there.
  const said: number[] = await db('right_as_it_is').where({ gap }).pluck('record_id');
  if (!said.length) return () => find(db, country);
  return () =>
    find(db, country).where((open) =>
      open
        .whereNotIn(id, said)
        .orWhereRaw(
          `(SELECT 1 FROM right_as_it_is r WHERE r.gap = ? AND r.record_id = ${id} AND r.mark = ${markOf(gap)}) IS NULL`,
          [gap],
        ),
    );
}

/** How much there is to be seen to in each list. */
export async function gapCounts(db: Knex): Promise<z.infer<typeof GapCounts>> {
  const { country } = await readFirm(db);
  return Promise.all(
    Gap.options.map(async (gap) => {
      const open = await openOf(db, gap, country);
      return { gap, count: await countOf(open()) };
    }),
  );
}

/** What a row is called, what else tells which it is, and whose page shows it. */
const SHOWN = {
  client: { name: 'client.name', more: 'client.place', client: 'client.id', order: 'client.name' },
  person: {
    name: "TRIM(CONCAT(person.first_name, ' ', person.last_name))",
    more: `(SELECT GROUP_CONCAT(c.name ORDER BY c.name SEPARATOR ', ') FROM client_person y JOIN client c ON c.id = y.client_id WHERE y.person_id = person.id)`,
    client: '(SELECT MIN(y.client_id) FROM client_person y WHERE y.person_id = person.id)',
    order: 'person.last_name',
  },
  file: {
    name: "CONCAT(file.number, ' ', file.title)",
    more: '(SELECT c.name FROM client c WHERE c.id = file.client_id)',
    client: 'file.client_id',
    order: 'file.number',
  },
} as const;

/** One page of a list. */
export async function readGap(
  db: Knex,
  { gap, offset, limit }: z.output<typeof GapQuery>,
): Promise<z.infer<typeof GapPage>> {
  const { country } = await readFirm(db);
  const { subject } = GAPS[gap];
  const { name, more, client, order } = SHOWN[subject];
  const open = await openOf(db, gap, country);
  const [total, rows] = await Promise.all([
    countOf(open()),
    open()
      .orderBy([order, `${subject}.id`])
      .offset(offset)
      .limit(limit)
      .select({
        id: `${subject}.id`,
        name: db.raw(name),
        more: db.raw(`COALESCE(${more}, '')`),
        clientId: db.raw(client),
        mark: db.raw(`COALESCE(${markOf(gap)}, '')`),
      }) as Promise<{ id: number; name: string; more: string; clientId: number | null; mark: string }[]>,
  ]);
  return { total, rows: rows.map((row) => ({ subject, ...row, name: row.name || 'No name' })) };
}

/** Somebody says that what looks wrong is right, until it changes; or that this was a slip. */
export async function sayRight(
  db: Database,
  staffId: number,
  { gap, id, mark, right }: z.output<typeof RightAsItIs>,
): Promise<void> {
  await transact(db, async (trx) => {
    const row = { gap, record_id: id, mark: [...mark].slice(0, MARK).join('') };
    if (right)
      await trx('right_as_it_is')
        .insert({ ...row, staff_id: staffId, at: new Date() })
        .onConflict(['gap', 'record_id'])
        .merge();
    else await trx('right_as_it_is').where({ gap, record_id: id }).delete();
    const action = right ? 'said to be right as it is' : 'said to be right, taken back';
    await noteAudit(trx, { staffId, action, subject: GAPS[gap].subject, id, after: { gap } });
    await noteChange(trx, 'doubles');
  });
}
