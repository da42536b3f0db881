import type { Knex } from 'knex';
import type { z } from 'zod';
import { CERTAIN } from '../../../core/doubles/compare.ts';
import type { DoublePage, DoublePair, DoubleQuery, DoubleSubject } from '../../../contract/index.ts';
import { noteAudit } from '../../foundation/audit.ts';
import { noteChange } from '../../foundation/changes.ts';
import { transact, type Database } from '../../foundation/database.ts';
import { fromJson } from '../../foundation/json.ts';
import { notFound } from '../../foundation/refusal.ts';
import { countOf, select } from '../../foundation/rows.ts';
import { isLookedThrough } from './find.ts';

/** One page of records that are probably the same, the likeliest first. */
export async function listDoubles(
  db: Knex,
  { subject, offset, limit }: z.output<typeof DoubleQuery>,
): Promise<z.infer<typeof DoublePage>> {
  const open = () => db('double_pair').where({ subject }).whereNull('dismissed_at');
  const [total, rows, settled] = await Promise.all([
    countOf(open()),
    select(open().orderBy('score', 'desc').orderBy('id').offset(offset).limit(limit), {
      id: 'double_pair.id',
      a: db.raw<number>('??', [`${subject}_a`]),
      b: db.raw<number>('??', [`${subject}_b`]),
      score: 'double_pair.score',
      reasons: 'double_pair.reasons',
    }),
    isLookedThrough(db),
  ]);
  const sides = await sidesOf(
    db,
    subject,
    rows.flatMap(({ a, b }) => [a, b]),
  );
  return {
    total,
    settled,
    rows: rows.flatMap(({ id, a, b, score, reasons }): DoublePair[] => {
      const [one, two] = [sides.get(a), sides.get(b)];
      if (!one || !two) return [];
      return [
        {
          id,
          a: one,
          b: two,
          certain: score >= CERTAIN,
          reasons: fromJson('double_pair.reasons', reasons),
        },
      ];
    }),
  };
}

/** Records as a pair names them, by number. */
export async function sidesOf(
  db: Knex,
  subject: DoubleSubject,
  ids: readonly number[],
): Promise<Map<number, DoublePair['a']>> {
  if (subject === 'client') {
    const rows = await db('client')
      .whereIn('id', [...ids])
      .select('id', 'name', 'kind', 'status', 'place');
    return new Map(
      rows.map(({ id, name, kind, status, place }) => [
        id,
        { id, name, more: [kind, status === 'active' ? '' : status, place].filter(Boolean).join(', ') },
      ]),
    );
  }
  const rows = await select(db('person').whereIn('id', [...ids]), {
    id: 'person.id',
    first: 'person.first_name',
    last: 'person.last_name',
    clients: db.raw<string | null>(
      `(SELECT GROUP_CONCAT(client.name ORDER BY client.name SEPARATOR ', ') FROM client_person
        JOIN client ON client.id = client_person.client_id WHERE client_person.person_id = person.id)`,
    ),
    email: db.raw<string | null>(
      '(SELECT email FROM address WHERE person_id = person.id ORDER BY current DESC, position LIMIT 1)',
    ),
  });
  return new Map(
    rows.map(({ id, first, last, clients, email }) => [
      id,
      {
        id,
        name: `${first} ${last}`.trim() || email || 'No name',
        more: [clients ?? 'of no client', email].filter(Boolean).join('; '),
      },
    ]),
  );
}

/** Somebody says that two records are two, and is not asked again; or that this was wrong. */
export async function sayTwo(db: Database, staffId: number, id: number, two: boolean): Promise<void> {
  await transact(db, async (trx) => {
    const pair = await trx('double_pair').where({ id }).forUpdate().first();
    if (!pair) throw notFound('That pair');
    await trx('double_pair')
      .where({ id })
      .update({ dismissed_at: two ? new Date() : null, dismissed_by: two ? staffId : null });
    await noteAudit(trx, {
      staffId,
      action: two ? 'said to be two' : 'said to be two, taken back',
      subject: pair.subject,
      id: pair.client_a ?? pair.person_a ?? 0,
      after: { with: pair.client_b ?? pair.person_b },
    });
    await noteChange(trx, 'doubles');
  });
}
