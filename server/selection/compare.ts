import type { Knex } from 'knex';
import type { Compare, Compared } from '../../contract/index.ts';
import { Refusal } from '../foundation/refusal.ts';
import { countOf } from '../foundation/rows.ts';
import { refuseBroken, runningNow } from './catalogue.ts';
import { readKept } from './kept.ts';
import { selected } from './query.ts';
import { ordered, readCells } from './results.ts';

/**
 * Who is in both of two kept selections, and who in one of them alone.
 * @throws Refusal when one is not there, or they pick out different things
 */
export async function compareKept(db: Knex, staffId: number, ask: Compare): Promise<Compared> {
  const [a, b] = [await readKept(db, staffId, ask.a), await readKept(db, staffId, ask.b)];
  if (a.subject !== b.subject)
    throw new Refusal(400, 'One picks out something else than the other. Choose two of a kind.');
  await refuseBroken(db, staffId, a.selection, ask.columns);
  await refuseBroken(db, staffId, b.selection);
  const running = await runningNow(db, staffId);
  const [ofA, ofB] = [await selected(db, a.selection, running), await selected(db, b.selection, running)];
  const id = `${a.subject}.id`;
  const parts = {
    both: () => ofA.query().whereIn(id, ofB.query().select(id)),
    a: () => ofA.query().whereNotIn(id, ofB.query().select(id)),
    b: () => ofB.query().whereNotIn(id, ofA.query().select(id)),
  };
  const [both, onlyA, onlyB, page] = await Promise.all([
    countOf(parts.both()),
    countOf(parts.a()),
    countOf(parts.b()),
    ordered(parts[ask.which](), a.subject, running, { by: ask.columns[0] ?? '', order: 'asc' })
      .offset(ask.offset)
      .limit(ask.limit)
      .pluck(id) as Promise<number[]>,
  ]);
  const rows = await readCells(db, a.subject, page, ask.columns, running);
  return { both, a: onlyA, b: onlyB, rows };
}
