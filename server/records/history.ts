import type { Knex } from 'knex';
import type { z } from 'zod';
import {
  FIELD_LABELS,
  type FieldDefinition,
  type HistoryPage,
  type HistoryQuery,
  type HistoryStep,
  type RecordSubject,
} from '../../contract/index.ts';
import { fieldKey, fieldWords } from '../../core/facts/catalogue.ts';
import { dayWords } from '../../core/office/day.ts';
import { transact, type Database } from '../foundation/database.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { countOf, select } from '../foundation/rows.ts';
import { changeWithin } from './changing.ts';
import { fieldDefinitions } from './definitions.ts';

interface Names {
  staff: ReadonlyMap<number, string>;
  people: ReadonlyMap<number, string>;
  clients: ReadonlyMap<number, string>;
  fields: ReadonlyMap<string, FieldDefinition>;
}

/** What was done to a record, the last first. */
export async function recordHistory(
  db: Knex,
  { subject, id, offset, limit }: z.output<typeof HistoryQuery>,
): Promise<HistoryPage> {
  const lines = () => db('audit').where({ subject, subject_id: id });
  const [total, rows] = await Promise.all([
    countOf(lines()),
    select(
      lines()
        .leftJoin('staff', 'staff.id', 'audit.staff_id')
        .leftJoin('order_course', 'order_course.id', 'audit.course_id')
        .leftJoin('standing_order', 'standing_order.id', 'order_course.order_id')
        .orderBy('audit.id', 'desc')
        .offset(offset)
        .limit(limit),
      {
        id: 'audit.id',
        at: 'audit.at',
        by: 'staff.name?',
        action: 'audit.action',
        before: 'audit.before_value',
        after: 'audit.after_value',
        ...{ order_id: 'standing_order.id?', order: 'standing_order.name?', why: 'order_course.why?' },
      },
    ),
  ]);
  const parsed = rows.map((row) => ({ ...row, before: asObject(row.before), after: asObject(row.after) }));
  const names = await readNames(db, subject, parsed);
  return {
    total,
    steps: parsed.map(({ id: step, at, by, action, before, after, ...row }) => ({
      id: step,
      at: at.toISOString(),
      by,
      action,
      fields: changedFields(before, after, names),
      undoable: isChange(action),
      order: row.order_id === null ? null : { id: row.order_id, name: row.order ?? '', why: row.why ?? '' },
    })),
  };
}

function changedFields(
  before: Record<string, unknown>,
  after: Record<string, unknown>,
  names: Names,
): HistoryStep['fields'] {
  return [...new Set([...Object.keys(before), ...Object.keys(after)])].flatMap((name) => {
    const label = FIELD_LABELS[name] ?? names.fields.get(name)?.label;
    if (!label) return [];
    return [{ label, before: inWords(name, before[name], names), after: inWords(name, after[name], names) }];
  });
}

const isChange = (action: string) => action.endsWith(' changed') || action.endsWith(' taken back');

/** Takes one change of a record back, unless somebody has changed the same fields since. */
export async function takeBack(db: Database, staffId: number, stepId: number): Promise<void> {
  await transact(db, async (trx) => {
    const step = await trx('audit').where({ id: stepId }).first();
    if (!step?.subject_id || !isChange(step.action)) throw notFound('That change');
    const subject = step.subject as RecordSubject;
    const change = { before: asObject(step.after_value), after: asObject(step.before_value) };
    await changeWithin(trx, { staffId }, subject, step.subject_id, change, `${subject} taken back`).catch(
      (error: unknown) => {
        if (error instanceof Refusal && error.now)
          throw new Refusal(
            409,
            `${Object.keys(error.now)
              .map((field) => FIELD_LABELS[field] ?? 'A field')
              .join(', ')}: changed again since. Take the later change back first.`,
          );
        throw error;
      },
    );
  });
}

function asObject(text: string | null): Record<string, unknown> {
  const value: unknown = text === null ? {} : JSON.parse(text);
  return typeof value === 'object' && value !== null && !Array.isArray(value)
    ? (value as Record<string, unknown>)
    : {};
}

/** Everybody and everything that the values of some changes name by number. */
async function readNames(
  db: Knex,
  subject: RecordSubject,
  changes: readonly { before: Record<string, unknown>; after: Record<string, unknown> }[],
): Promise<Names> {
  const definitions = await fieldDefinitions(db, subject);
  const fields = new Map(definitions.map((field) => [fieldKey(field.id), field]));
  const people = new Set<number>();
  const clients = new Set<number>();
  for (const values of changes.flatMap(({ before, after }) => [before, after]))
    for (const [name, value] of Object.entries(values)) {
      if (name === 'people' && Array.isArray(value))
        for (const each of value as { personId: number }[]) people.add(each.personId);
      if (name === 'delivery' && Array.isArray(value))
        for (const { personId, alsoId } of value as { personId: number | null; alsoId?: number | null }[])
          for (const each of [personId, alsoId]) if (each) people.add(each);
      const kind = fields.get(name)?.kind;
      if (typeof value === 'number' && kind === 'person') people.add(value);
      if (typeof value === 'number' && kind === 'client') clients.add(value);
    }
  const [staff, persons, named] = await Promise.all([
    db('staff').select('id', 'name'),
    db('person')
      .whereIn('id', [...people])
      .select('id', 'first_name', 'last_name'),
    db('client')
      .whereIn('id', [...clients])
      .select('id', 'name'),
  ]);
  return {
    staff: new Map(staff.map(({ id, name }) => [id, name])),
    people: new Map(persons.map((row) => [row.id, `${row.first_name} ${row.last_name}`.trim()])),
    clients: new Map(named.map(({ id, name }) => [id, name])),
    fields,
  };
}

/** Tells what stands in one field of records as people read it. @param values all that will be told */
export async function wordsOfField(
  db: Knex,
  subject: RecordSubject,
  name: string,
  values: readonly unknown[],
): Promise<(value: unknown) => string> {
  const names = await readNames(
    db,
    subject,
    values.map((value) => ({ before: {}, after: { [name]: value } })),
  );
  return (value) => inWords(name, value, names);
}

const DAYS = ['opened', 'closed'];

/** A value as people read it. */
function inWords(name: string, value: unknown, names: Names): string {
  if (value === null || value === undefined || value === '') return '';
  const field = names.fields.get(name);
  if (field) return fieldInWords(field, value, names);
  if (name === 'adviserId') return names.staff.get(Number(value)) ?? '';
  if (DAYS.includes(name)) return dayWords(String(value));
  if (Array.isArray(value)) return value.map((each) => itemInWords(each, names)).join(', ');
  return String(value);
}

function itemInWords(item: unknown, names: Names): string {
  if (typeof item !== 'object' || item === null) return String(item);
  const each = item as Record<string, unknown>;
  const person = each.personId ? names.people.get(Number(each.personId)) : undefined;
  if ('way' in each)
    return [`${String(each.kind)} by ${String(each.way)}`, person && `to ${person}`]
      .filter(Boolean)
      .join(' ');
  if ('personId' in each) return [person, each.role && `(${String(each.role)})`].filter(Boolean).join(' ');
  const what = String(each.email ?? each.number ?? '');
  return [what, each.purpose && `(${String(each.purpose)})`, each.current === false && '(old)']
    .filter(Boolean)
    .join(' ');
}

function fieldInWords({ kind, unit, choices }: FieldDefinition, value: unknown, names: Names): string {
  const choice = (id: unknown) => choices.find((each) => each.id === id)?.label ?? '';
  if (kind === 'choice') return choice(value);
  if (kind === 'choices' && Array.isArray(value)) return value.map(choice).filter(Boolean).join(', ');
  if (kind === 'person') return names.people.get(Number(value)) ?? '';
  if (kind === 'client') return names.clients.get(Number(value)) ?? '';
  const nothing = { text: null, number: null, date: null };
  if (kind === 'date') return fieldWords({ ...nothing, date: String(value) }, '');
  if (typeof value === 'string') return value;
  return fieldWords({ ...nothing, number: Number(value) }, unit, kind);
}
