import { select, selectFirst } from '../foundation/rows.ts';
import type { Knex } from 'knex';
import type { Fact, Wording } from '../../contract/index.ts';
import type { z } from 'zod';
import type { StaffMember, WordingDraft, WordingsQuery } from '../../contract/index.ts';
import { may } from '../../contract/rights.ts';
import { ROWS } from '../../core/facts/catalogue.ts';
import { greeting } from '../../core/merge/greeting.ts';
import { fillIn } from '../../core/merge/letter.ts';
import { noteAudit } from '../foundation/audit.ts';
import { isDuplicate } from '../foundation/database.ts';
import { factCatalogue, gatherFacts, type FactsAbout } from '../facts/gather.ts';
import { notAllowed, Refusal } from '../foundation/refusal.ts';
import { fromJson, toJson } from '../foundation/json.ts';

/** What can be said of a file, its client and the people it is to: each fact that has a value. */
export async function factsOfFile(db: Knex, fileId: number | undefined): Promise<Fact[]> {
  const [catalogue, [known]] = await Promise.all([
    factCatalogue(db),
    gatherFacts(db, [await aboutFile(db, fileId)]),
  ]);
  return catalogue.flatMap((fact) => {
    const value = known?.words[fact.key]?.trim();
    return value ? [{ ...fact, value }] : [];
  });
}

async function aboutFile(db: Knex, fileId: number | undefined): Promise<FactsAbout> {
  const file = fileId
    ? await selectFirst(db('file').join('client', 'client.id', 'file.client_id').where('file.id', fileId), {
        clientId: 'file.client_id',
        adviserId: db.raw<number | null>('COALESCE(file.adviser_id, client.adviser_id)'),
        greeting: 'client.greeting',
      })
    : undefined;
  if (!file) return { clientId: 0, fileId: null, adviserId: null, person: null, greeting: null };
  const people = await select(
    db('client_person')
      .join('person', 'person.id', 'client_person.person_id')
      .where({ client_id: file.clientId, writes: 1 })
      .orderBy('client_person.position'),
    { title: 'person.title', firstName: 'person.first_name', lastName: 'person.last_name' },
  );
  return {
    ...file,
    fileId: fileId ?? null,
    person: people[0] ?? null,
    greeting: greeting(people, file.greeting),
  };
}

/** Templates and stock paragraphs, or the usual notes; their fields filled in from a file. */
export async function listWordings(db: Knex, query: z.output<typeof WordingsQuery>): Promise<Wording[]> {
  const kinds: Wording['kind'][] = query.for === 'notes' ? ['note'] : ['template', 'paragraph'];
  const [rows, [known = { words: {} }], catalogue] = await Promise.all([
    db('wording').whereIn('kind', kinds).orderBy('kind').orderBy('name').select(),
    gatherFacts(db, [await aboutFile(db, query.file)], ROWS),
    factCatalogue(db),
  ]);
  const labels = new Map(catalogue.map(({ key, label }) => [key, label]));
  return rows.map((row) => {
    const { doc, missing } = fillIn(
      fromJson('wording.body', row.body),
      known,
      (key) => labels.get(key) ?? key,
    );
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

/** Keeps a wording for everybody. @throws Refusal when there is one of that name already */
export async function saveWording(
  db: Knex,
  staffId: number,
  draft: z.output<typeof WordingDraft>,
): Promise<void> {
  try {
    const [id = 0] = await db('wording').insert({
      ...draft,
      staff_id: staffId,
      body: toJson('wording.body', draft.body),
    });
    await noteAudit(db, {
      staffId,
      action: 'wording kept',
      subject: 'wording',
      id,
      after: { name: draft.name },
    });
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
  await noteAudit(db, { staffId: staff.id, action: 'wording dropped', subject: 'wording', id, before: row });
}
