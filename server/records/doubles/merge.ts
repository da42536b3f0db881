import { createHash } from 'node:crypto';
import { isDeepStrictEqual } from 'node:util';
import type { Knex } from 'knex';
import type { z } from 'zod';
import { mergedFields } from '../../../core/doubles/merging.ts';
import {
  FIELD_LABELS,
  type DoubleSubject,
  type DoubleView,
  type DoubleViewQuery,
  type MergeDraft,
  type MergePage,
} from '../../../contract/index.ts';
import { noteAudit } from '../../foundation/audit.ts';
import { noteChange } from '../../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../../foundation/database.ts';
import { fromJson, toJson } from '../../foundation/json.ts';
import { notFound, Refusal } from '../../foundation/refusal.ts';
import { countOf, select } from '../../foundation/rows.ts';
import { fieldKey } from '../../../core/facts/catalogue.ts';
import { readRecord, tellOf, writeFields } from '../changing.ts';
import { fieldDefinitions } from '../definitions.ts';
import { wordsOfField } from '../history.ts';
import { sidesOf } from './pairs.ts';
import { MOVE } from './move.ts';
import { changesBetween, putBack, snapshot } from './snapshot.ts';
import { WATCHED } from './watched.ts';

type Fields = Record<string, unknown>;

/** Two records side by side, field by field. @throws Refusal when one of them is not here any more */
export async function viewDouble(
  db: Knex,
  { subject, a, b }: z.output<typeof DoubleViewQuery>,
): Promise<DoubleView> {
  const [one, two, sides, hanging, own] = await Promise.all([
    readRecord(db, subject, a) as Promise<Fields>,
    readRecord(db, subject, b) as Promise<Fields>,
    sidesOf(db, subject, [a, b]),
    Promise.all([a, b].map((id) => hangingOn(db, subject, id))),
    fieldDefinitions(db, subject),
  ]);
  const labels: Record<string, string> = {
    ...FIELD_LABELS,
    ...Object.fromEntries(own.map(({ id, label }) => [fieldKey(id), label])),
  };
  const fields = await Promise.all(
    Object.keys(one).map(async (name) => {
      const words = await wordsOfField(db, subject, name, [one[name], two[name]]);
      return {
        name,
        label: labels[name] ?? name,
        a: words(one[name]),
        b: words(two[name]),
        list: Array.isArray(one[name]) && name !== 'postal' && name !== 'delivery',
      };
    }),
  );
  const [sideA, sideB] = [sides.get(a), sides.get(b)];
  if (!sideA || !sideB) throw notFound('One of the two');
  return {
    subject,
    a: sideA,
    b: sideB,
    fields,
    hanging: { a: hanging[0] ?? '', b: hanging[1] ?? '' },
    stamp: stampOf(one, two),
  };
}

/** Both records as they stand, whichever is named first. */
function stampOf(one: Fields, two: Fields): string {
  const texts = [one, two].map((each) => JSON.stringify(each)).sort();
  return createHash('sha256').update(texts.join('\n')).digest('hex');
}

/** What goes along with a record, in words. */
async function hangingOn(db: Knex, subject: DoubleSubject, id: number): Promise<string> {
  const many = (count: number, one: string) => `${count} ${one}${count === 1 ? '' : 's'}`;
  const counts: [Promise<number>, string][] =
    subject === 'client'
      ? [
          [countOf(db('file').where({ client_id: id })), 'file'],
          [countOf(db('filing').where({ client_id: id }), 'filing.message_id'), 'message'],
          [countOf(db('fee_note').where({ client_id: id })), 'fee note'],
          [countOf(db('timeline').where({ client_id: id }).whereNull('gone_at')), 'entry on its timeline'],
        ]
      : [
          [countOf(db('client_person').where({ person_id: id })), 'client'],
          [countOf(db('file_person').where({ person_id: id })), 'file'],
        ];
  const told = await Promise.all(
    counts.map(async ([count, one]) => {
      const found = await count;
      if (!found) return [];
      return [one.startsWith('entry') && found > 1 ? `${found} entries on its timeline` : many(found, one)];
    }),
  );
  return told.flat().join(', ') || 'nothing hangs on it';
}

/**
 * Makes one record of two: the fields as somebody chose them, and all that hung on the other hangs on it. The other is
 * gone, and comes back whole when it is taken back.
 * @returns the merge's number
 * @throws Refusal when one is not here, or was changed since it was looked at
 */
export async function mergeDoubles(db: Database, staffId: number, draft: MergeDraft): Promise<number> {
  const { subject, keptId, droppedId, whose, stamp } = draft;
  return transact(db, async (trx) => {
    const ids = [keptId, droppedId];
    await trx(subject as 'client')
      .whereIn('id', ids)
      .orderBy('id')
      .forUpdate()
      .select('id');
    const kept = (await readRecord(trx, subject, keptId)) as Fields;
    const dropped = (await readRecord(trx, subject, droppedId)) as Fields;
    if (stampOf(kept, dropped) !== stamp)
      throw new Refusal(409, 'One of the two was changed since you looked. Look at them again.', 'stamp');
    const sides = await sidesOf(trx, subject, ids);
    const watched = WATCHED[subject](ids);
    const before = await snapshot(trx, watched);
    await MOVE[subject](trx, { keptId, droppedId });
    await trx(subject as 'client')
      .where({ id: droppedId })
      .delete();
    const wanted = mergedFields(kept, dropped, whose);
    for (const name of await linkFields(trx, subject))
      if (ids.includes(Number(wanted[name]))) wanted[name] = null;
    const after = await writeMerged(trx, subject, keptId, wanted);
    const changes = changesBetween(before, await snapshot(trx, watched, before));
    const name = (id: number) => (sides.get(id)?.name ?? '').slice(0, 200);
    const [id = 0] = await trx('record_merge').insert({
      subject,
      kept_id: keptId,
      dropped_id: droppedId,
      kept_name: name(keptId),
      dropped_name: name(droppedId),
      staff_id: staffId,
      at: new Date(),
      changes: toJson('record_merge.changes', changes),
    });
    const changed = Object.keys(after).filter((field) => !isDeepStrictEqual(after[field], kept[field]));
    await noteAudit(trx, {
      staffId,
      action: `merged with “${name(droppedId).slice(0, 40)}”`,
      subject,
      id: keptId,
      before: pick(kept, changed),
      after: pick(after, changed),
    });
    await tell(trx, subject, keptId);
    return id;
  });
}

/** Fields that name another record of the kind: one that names the two themselves names nobody afterwards. */
async function linkFields(trx: Transaction, subject: DoubleSubject): Promise<string[]> {
  const fields = await fieldDefinitions(trx, subject);
  return fields.filter(({ kind }) => kind === subject).map(({ id }) => fieldKey(id));
}

/** Writes the fields that are another than they stand. @returns the record as it stands then */
async function writeMerged(
  trx: Transaction,
  subject: DoubleSubject,
  id: number,
  wanted: Fields,
): Promise<Fields> {
  const now = (await readRecord(trx, subject, id)) as Fields;
  const others = Object.keys(wanted).filter((name) => !isDeepStrictEqual(wanted[name], now[name]));
  await writeFields(trx, subject, id, pick(wanted, others));
  return (await readRecord(trx, subject, id)) as Fields;
}

const pick = (from: Fields, names: readonly string[]): Fields =>
  Object.fromEntries(names.map((name) => [name, from[name]]));

async function tell(trx: Transaction, subject: DoubleSubject, keptId: number): Promise<void> {
  await tellOf(trx, subject, keptId);
  await noteChange(trx, 'records');
  await noteChange(trx, 'doubles');
}

/** Fields that are kept as rows of their own, and come back all together or not at all. */
const LISTS = ['tags', 'interests', 'phones', 'addresses', 'people', 'delivery'];

/**
 * Takes a merge back: both records are as they were, with all that hung on them. What came since stays where it is now:
 * mail that was filed meanwhile stays on its file, and fields that somebody changed stay as they made them.
 * @returns how many fields stayed so
 * @throws Refusal when a list of the record was changed since, or it was merged with a further one
 */
export async function unmergeDoubles(db: Database, staffId: number, id: number): Promise<number> {
  return transact(db, async (trx) => {
    const merge = await trx('record_merge').where({ id }).forUpdate().first();
    if (!merge) throw notFound('That merge');
    if (merge.undone_at) throw new Refusal(409, 'That was taken back already.');
    const { subject, kept_id, dropped_id } = merge;
    const kept = await trx(subject as 'client')
      .where({ id: kept_id })
      .forUpdate()
      .first('id');
    if (!kept) throw new Refusal(409, 'It was merged with a further one since. Take that back first.');
    await refuseChangedLists(trx, subject, kept_id, merge.at);
    const left = await putBack(
      trx,
      WATCHED[subject]([kept_id, dropped_id]),
      fromJson('record_merge.changes', merge.changes) as Parameters<typeof putBack>[2],
    );
    await trx('record_merge').where({ id }).update({ undone_at: new Date() });
    await noteAudit(trx, { staffId, action: 'merge parted again', subject, id: kept_id });
    await tell(trx, subject, kept_id);
    return left;
  });
}

async function refuseChangedLists(
  trx: Transaction,
  subject: DoubleSubject,
  id: number,
  since: Date,
): Promise<void> {
  const lines = await trx('audit')
    .where({ subject, subject_id: id })
    .where('at', '>=', since)
    .where((changed) =>
      changed.where('action', 'like', '% changed').orWhere('action', 'like', '% taken back'),
    )
    .pluck('after_value');
  const changed = new Set(lines.flatMap((text) => Object.keys(text ? (JSON.parse(text) as Fields) : {})));
  const [list] = LISTS.filter((name) => changed.has(name));
  if (list)
    throw new Refusal(
      409,
      `${FIELD_LABELS[list] ?? list}: changed again since. Take the later change back first.`,
    );
}

/** What was merged, the last first. */
export async function listMerges(db: Knex, offset: number, limit: number): Promise<MergePage> {
  const [total, rows] = await Promise.all([
    countOf(db('record_merge')),
    select(
      db('record_merge')
        .join('staff', 'staff.id', 'record_merge.staff_id')
        .orderBy('record_merge.id', 'desc')
        .offset(offset)
        .limit(limit),
      {
        id: 'record_merge.id',
        subject: 'record_merge.subject',
        keptId: 'record_merge.kept_id',
        kept: 'record_merge.kept_name',
        dropped: 'record_merge.dropped_name',
        clientId: db.raw<number | null>(
          `IF(record_merge.subject = 'client', (SELECT id FROM client WHERE id = record_merge.kept_id),
            (SELECT MIN(client_id) FROM client_person WHERE person_id = record_merge.kept_id))`,
        ),
        by: 'staff.name',
        at: 'record_merge.at',
        undone_at: 'record_merge.undone_at',
      },
    ),
  ]);
  return {
    total,
    rows: rows.map(({ at, undone_at, ...row }) => ({
      ...row,
      at: at.toISOString(),
      undone: undone_at !== null,
    })),
  };
}
