import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import type { z } from 'zod';
import { EntryFields, type EntryChange, type EntryDraft, type TimelineEntry } from '../../contract/index.ts';
import { mentioned } from '../../core/timeline/mentions.ts';
import { refuseUnlessReadable } from '../correspondence/access.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { groupBy, select } from '../foundation/rows.ts';
import { refuseStale } from '../foundation/stale.ts';

/** Notes, calls and meetings that were not taken away, narrowed by the caller, newest first. */
export async function readEntries(
  db: Knex,
  narrow: (query: Knex.QueryBuilder) => Knex.QueryBuilder,
): Promise<TimelineEntry[]> {
  const all = narrow(db('timeline').whereNull('timeline.gone_at') as Knex.QueryBuilder)
    .join('file', 'file.id', 'timeline.file_id')
    .join('client', 'client.id', 'timeline.client_id')
    .join('staff', 'staff.id', 'timeline.staff_id');
  const rows = await select(all.orderBy('timeline.at', 'desc'), {
    id: 'timeline.id',
    kind: 'timeline.kind',
    state: 'timeline.state',
    at: 'timeline.at',
    ends_at: 'timeline.ends_at',
    place: 'timeline.place',
    words: 'timeline.words',
    outcome: 'timeline.outcome',
    remind_at: 'timeline.remind_at',
    remind_id: 'timeline.remind_id',
    message_id: 'timeline.message_id',
    file_id: 'file.id',
    number: 'file.number',
    client_id: 'client.id',
    client: 'client.name',
    by: 'staff.name',
  });
  const { peopleOf, staffOf, nameOf } = await partnersOf(db, rows);
  return rows.map((row) => {
    const people = peopleOf.get(row.id) ?? [];
    const ties = staffOf.get(row.id) ?? [];
    const staff = ties.filter(({ tie }) => tie === 'took part').map(({ id, name }) => ({ id, name }));
    return {
      id: row.id,
      kind: row.kind,
      state: row.state,
      at: row.at.toISOString(),
      endsAt: row.ends_at?.toISOString() ?? null,
      place: row.place,
      words: row.words,
      outcome: row.outcome,
      remindAt: row.remind_at?.toISOString() ?? null,
      reminds: nameOf(row.remind_id),
      messageId: row.message_id,
      fileId: row.file_id,
      file: { id: row.file_id, number: row.number, clientId: row.client_id, clientName: row.client },
      by: row.by,
      personIds: people.map(({ id }) => id),
      people: people.map(({ id, first, last }) => ({ id, name: `${first} ${last}`.trim() })),
      staffIds: staff.map(({ id }) => id),
      staff,
      told: ties
        .filter(({ tie }) => tie === 'told')
        .map(({ id, name, seen_at }) => ({ id, name, seen: seen_at !== null })),
    };
  });
}

/** Who took part in some entries, and who is told of them. */
async function partnersOf(db: Knex, rows: readonly { id: number; remind_id: number | null }[]) {
  const ids = rows.map(({ id }) => id);
  const [people, staff, reminded] = await Promise.all([
    select(
      db('timeline_person')
        .join('person', 'person.id', 'timeline_person.person_id')
        .whereIn('timeline_id', ids)
        .orderBy('person.id'),
      {
        entry: 'timeline_person.timeline_id',
        id: 'person.id',
        first: 'person.first_name',
        last: 'person.last_name',
      },
    ),
    select(
      db('timeline_staff')
        .join('staff', 'staff.id', 'timeline_staff.staff_id')
        .whereIn('timeline_id', ids)
        .orderBy('staff.id'),
      {
        entry: 'timeline_staff.timeline_id',
        tie: 'timeline_staff.tie',
        seen_at: 'timeline_staff.seen_at',
        id: 'staff.id',
        name: 'staff.name',
      },
    ),
    db('staff')
      .whereIn('id', [...new Set(rows.flatMap(({ remind_id }) => remind_id ?? []))])
      .select('id', 'name'),
  ]);
  return {
    peopleOf: groupBy(people, ({ entry }) => entry),
    staffOf: groupBy(staff, ({ entry }) => entry),
    nameOf: (id: number | null) => reminded.find((each) => each.id === id)?.name ?? null,
  };
}

/** One entry. @throws Refusal when it is not here, or was taken away */
export async function readEntry(db: Knex, id: number): Promise<TimelineEntry> {
  const [entry] = await readEntries(db, (query) => query.where('timeline.id', id));
  if (!entry) throw notFound('That entry');
  return entry;
}

/** What the fields of an entry are, as a person changes them. */
export function fieldsOf(entry: TimelineEntry): EntryFields {
  const { kind, fileId, at, endsAt, state, place, words, outcome, personIds, staffIds, remindAt } = entry;
  return { kind, fileId, at, endsAt, state, place, words, outcome, personIds, staffIds, remindAt };
}

/** What an invitation says of a meeting beside its fields. */
export interface ByInvitation {
  uid: string;
  sequence: number;
}

/**
 * Writes an entry down.
 * @param by the invitation it came by; without one calls and meetings bear a mark of their own for calendars
 * @throws Refusal when there is no such file, message, person or colleague, or the message may not be read
 */
export async function addEntry(
  db: Database,
  staffId: number,
  draft: z.output<typeof EntryDraft>,
  by?: ByInvitation,
): Promise<TimelineEntry> {
  const { messageId, ...fields } = draft;
  if (messageId !== null) {
    const message = await db('message').where({ id: messageId }).first('id', 'state');
    if (!message) throw notFound('That message');
    await refuseUnlessReadable(db, staffId, message);
  }
  const id = await transact(db, (trx) => addWithin(trx, staffId, fields, messageId, by));
  return readEntry(db, id);
}

/** The same within a transaction. @returns its number */
export async function addWithin(
  trx: Transaction,
  staffId: number,
  fields: EntryFields,
  messageId: number | null,
  by?: ByInvitation,
): Promise<number> {
  const [id = 0] = await trx('timeline').insert({
    ...(await columnsOf(trx, fields)),
    remind_id: fields.remindAt === null ? null : staffId,
    message_id: messageId,
    staff_id: staffId,
    uid: by?.uid ?? (fields.kind === 'note' ? null : randomUUID()),
    sequence: by?.sequence ?? 0,
  });
  await writeTies(trx, staffId, id, fields);
  await noteAudit(trx, { staffId, action: `${fields.kind} written`, subject: 'timeline', id, after: fields });
  await tell(trx, [fields.fileId], messageId);
  return id;
}

/** The row of some fields. @throws Refusal when there is no such file */
async function columnsOf(trx: Transaction, fields: EntryFields) {
  const file = await trx('file').where({ id: fields.fileId }).first('client_id');
  if (!file) throw notFound('That file');
  return {
    kind: fields.kind,
    state: fields.state,
    client_id: file.client_id,
    file_id: fields.fileId,
    at: new Date(fields.at),
    ends_at: fields.endsAt === null ? null : new Date(fields.endsAt),
    place: fields.place,
    words: fields.words,
    outcome: fields.outcome,
    remind_at: fields.remindAt === null ? null : new Date(fields.remindAt),
  };
}

/** Who took part, and whom the words call; who has seen to it already is not told once more. */
async function writeTies(trx: Transaction, staffId: number, id: number, fields: EntryFields): Promise<void> {
  const staff = await trx('staff').select('id', 'name', 'active');
  const known = await trx('person').whereIn('id', fields.personIds).pluck('id');
  if (fields.personIds.some((person) => !known.includes(person)))
    throw new Refusal(409, 'One of these people is not in the records any more.', 'personIds');
  if (fields.staffIds.some((each) => !staff.some((member) => member.id === each)))
    throw new Refusal(400, 'One of these colleagues is not known.', 'staffIds');
  const called = mentioned(
    `${fields.words}\n${fields.outcome}`,
    staff.filter(({ active, id: member }) => active && member !== staffId),
  );
  const seen = await trx('timeline_staff')
    .where({ timeline_id: id, tie: 'told' })
    .whereNotNull('seen_at')
    .select('staff_id', 'seen_at');
  const seenBy = new Map(seen.map(({ staff_id, seen_at }) => [staff_id, seen_at]));
  await trx('timeline_person').where({ timeline_id: id }).delete();
  await trx('timeline_staff').where({ timeline_id: id }).delete();
  const people = [...new Set(fields.personIds)];
  if (people.length)
    await trx('timeline_person').insert(people.map((person_id) => ({ timeline_id: id, person_id })));
  const ties = [
    ...[...new Set(fields.staffIds)].map((member) => ({ staff_id: member, tie: 'took part' as const })),
    ...called.map((member) => ({ staff_id: member, tie: 'told' as const })),
  ];
  if (ties.length)
    await trx('timeline_staff').insert(
      ties.map((tie) => ({
        timeline_id: id,
        ...tie,
        seen_at: tie.tie === 'told' ? (seenBy.get(tie.staff_id) ?? null) : null,
      })),
    );
}

async function tell(trx: Transaction, fileIds: readonly number[], messageId: number | null): Promise<void> {
  await noteChange(trx, 'timeline', 'file', [...new Set(fileIds)]);
  await noteChange(trx, 'timeline', 'message', [messageId]);
}

/**
 * Changes an entry.
 * @throws Refusal with what stands there now where somebody else has changed the same fields
 */
export async function changeEntry(
  db: Database,
  staffId: number,
  id: number,
  change: z.output<typeof EntryChange>,
): Promise<TimelineEntry> {
  await transact(db, async (trx) => {
    await hold(trx, id);
    await changeWithin(trx, staffId, id, change);
  });
  return readEntry(db, id);
}

async function hold(trx: Transaction, id: number): Promise<void> {
  if (!(await trx('timeline').where({ id }).whereNull('gone_at').forUpdate().first('id')))
    throw notFound('That entry');
}

/** The change itself, of an entry that is held. @param sequence what an invitation counts; else one more where it is moved */
export async function changeWithin(
  trx: Transaction,
  staffId: number,
  id: number,
  change: z.output<typeof EntryChange>,
  sequence?: number,
): Promise<void> {
  const entry = await readEntry(trx, id);
  const now = fieldsOf(entry);
  refuseStale(Object.keys(change.after) as (keyof EntryFields)[], change.before, now, change.after);
  const fields = EntryFields.parse({ ...now, ...change.after });
  const moved = fields.at !== now.at || fields.endsAt !== now.endsAt || fields.state !== now.state;
  await trx('timeline')
    .where({ id })
    .update({
      ...(await columnsOf(trx, fields)),
      ...(fields.remindAt === now.remindAt ? {} : { remind_id: fields.remindAt === null ? null : staffId }),
      sequence: sequence ?? trx.raw('sequence + ?', [moved ? 1 : 0]),
    });
  await writeTies(trx, staffId, id, fields);
  const audited = { staffId, action: `${fields.kind} changed`, subject: 'timeline', id };
  await noteAudit(trx, { ...audited, before: now, after: fields });
  await tell(trx, [now.fileId, fields.fileId], entry.messageId);
}

/** Takes an entry away; it can be brought back. */
export async function removeEntry(db: Database, staffId: number, id: number): Promise<void> {
  await transact(db, async (trx) => {
    await hold(trx, id);
    const entry = await readEntry(trx, id);
    await trx('timeline').where({ id }).update({ gone_at: new Date() });
    const audited = { staffId, action: `${entry.kind} taken away`, subject: 'timeline', id };
    await noteAudit(trx, { ...audited, before: fieldsOf(entry) });
    await tell(trx, [entry.fileId], entry.messageId);
  });
}

/** Brings an entry back that was taken away. */
export async function restoreEntry(db: Database, staffId: number, id: number): Promise<TimelineEntry> {
  await transact(db, async (trx) => {
    const row = await trx('timeline').where({ id }).whereNotNull('gone_at').forUpdate().first();
    if (!row) throw notFound('That entry');
    await trx('timeline').where({ id }).update({ gone_at: null });
    await noteAudit(trx, { staffId, action: `${row.kind} brought back`, subject: 'timeline', id });
    await tell(trx, [row.file_id], row.message_id);
  });
  return readEntry(db, id);
}
