import type { Knex } from 'knex';
import type { Fact, Wording } from '../../contract/index.ts';
import type { z } from 'zod';
import type { StaffMember, WordingDraft } from '../../contract/index.ts';
import { may } from '../../contract/rights.ts';
import { BUILT_IN_FIELDS, type DocNode, type Facts } from '../../core/merge/document.ts';
import { greeting } from '../../core/merge/greeting.ts';
import { fillIn } from '../../core/merge/letter.ts';
import { noteAudit } from '../foundation/audit.ts';
import { isDuplicate } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { fieldWords, type FieldRow } from '../records/clients.ts';
import { notAllowed, Refusal } from '../foundation/refusal.ts';

/** What can be said of a file, its client and the people it is to: each fact that has a value. */
export async function factsOfFile(db: Knex, fileId: number | undefined): Promise<Fact[]> {
  const firm = await readFirm(db);
  const own: { id: number; label: string }[] = await db('field').orderBy('position').select('id', 'label');
  const values: Record<string, string> = { 'firm.name': firm.name };
  const file = fileId
    ? await db('file')
        .join('client', 'client.id', 'file.client_id')
        .leftJoin('staff', 'staff.id', db.raw('COALESCE(file.adviser_id, client.adviser_id)'))
        .where('file.id', fileId)
        .first(
          'file.number',
          'file.title',
          'file.client_id',
          'client.name',
          'client.place',
          'client.service',
          'client.greeting',
          'staff.name as adviser',
          'staff.email',
          'staff.phone',
        )
    : undefined;
  if (file) {
    const people: { first_name: string; last_name: string }[] = await db('client_person')
      .join('person', 'person.id', 'client_person.person_id')
      .where({ client_id: file.client_id, writes: 1 })
      .orderBy('client_person.position')
      .select('first_name', 'last_name');
    Object.assign(values, {
      'client.name': file.name,
      'client.place': file.place,
      'client.service': file.service ?? '',
      'file.number': file.number,
      'file.title': file.title,
      'adviser.name': file.adviser ?? '',
      'adviser.email': file.email ?? '',
      'adviser.phone': file.phone ?? '',
      'person.firstName': people[0]?.first_name ?? '',
      'person.lastName': people[0]?.last_name ?? '',
      greeting:
        greeting(
          people.map((person) => ({ firstName: person.first_name, lastName: person.last_name })),
          file.greeting,
        ) ?? '',
    });
    const kept: (FieldRow & { field_id: number })[] = await db('field_value')
      .join('field', 'field.id', 'field_value.field_id')
      .where({ client_id: file.client_id });
    for (const row of kept) values[`field:${row.field_id}`] = fieldWords(row);
  }
  return [
    ...BUILT_IN_FIELDS,
    ...own.map((field) => ({ key: `field:${field.id}`, label: field.label })),
  ].flatMap(({ key, label }) => (values[key]?.trim() ? [{ key, label, value: values[key] ?? '' }] : []));
}

/** Templates and stock paragraphs, their fields filled in from a file. */
export async function listWordings(db: Knex, fileId: number | undefined): Promise<Wording[]> {
  const [rows, facts, own] = await Promise.all([
    db('wording').orderBy('kind').orderBy('name').select(),
    factsOfFile(db, fileId),
    db('field').select('id', 'label'),
  ]);
  const values: Facts = Object.fromEntries(facts.map(({ key, value }) => [key, value]));
  const labels = new Map<string, string>([
    ...BUILT_IN_FIELDS.map(({ key, label }) => [key, label] as const),
    ...(own as { id: number; label: string }[]).map(({ id, label }) => [`field:${id}`, label] as const),
  ]);
  return rows.map((row) => {
    const { doc, missing } = fillIn(JSON.parse(row.body) as DocNode, values, (key) => labels.get(key) ?? key);
    return {
      id: row.id,
      kind: row.kind,
      name: row.name,
      subject: row.subject,
      body: doc as Wording['body'],
      missing,
    };
  });
}

export async function keepWording(
  db: Knex,
  staffId: number,
  draft: z.output<typeof WordingDraft>,
): Promise<void> {
  try {
    const [id = 0] = await db('wording').insert({
      ...draft,
      staff_id: staffId,
      body: JSON.stringify(draft.body),
    });
    await noteAudit(db, staffId, 'wording kept', 'wording', id, null, { name: draft.name });
  } catch (error) {
    if (isDuplicate(error)) throw new Refusal(409, 'There is one of that name already.', 'name');
    throw error;
  }
}

/** Throws a wording away. @throws when a colleague keeps it and one's role gives no right to theirs */
export async function dropWording(db: Knex, staff: StaffMember, id: number): Promise<void> {
  const row = await db('wording').where({ id }).first();
  if (!row) return;
  if (row.staff_id !== staff.id && !may(staff.role, 'drop wordings')) throw notAllowed('drop wordings');
  await db('wording').where({ id }).delete();
  await noteAudit(db, staff.id, 'wording dropped', 'wording', id, row, null);
}
