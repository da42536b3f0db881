import { select, selectFirst } from '../foundation/rows.ts';
import type { Knex } from 'knex';
import type { Fact, Wording } from '../../contract/index.ts';
import type { z } from 'zod';
import type { WordingsQuery } from '../../contract/index.ts';
import { ROWS } from '../../core/facts/catalogue.ts';
import { greeting } from '../../core/merge/greeting.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { fillIn } from '../../core/merge/letter.ts';
import { inlineText } from '../../core/merge/plain.ts';
import { factCatalogue, gatherFacts, type FactsAbout } from '../facts/gather.ts';
import { fromJson } from '../foundation/json.ts';

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

/** What the facts of a file are about: its client, and whom it is written to. */
export async function aboutFile(db: Knex, fileId: number | undefined): Promise<FactsAbout> {
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

/** Which kinds of wordings serve what is written. */
const USED: Record<z.output<typeof WordingsQuery>['for'], Wording['kind'][]> = {
  messages: ['template', 'paragraph'],
  notes: ['note'],
  mailings: ['template', 'paragraph', 'article'],
};

/** Templates, stock paragraphs and articles, or the usual notes, that a person may use; their fields filled in from a file. */
export async function listWordings(
  db: Knex,
  staffId: number,
  query: z.output<typeof WordingsQuery>,
): Promise<Wording[]> {
  const kinds = USED[query.for];
  const [rows, [known = { words: {} }], catalogue] = await Promise.all([
    db('wording')
      .whereIn('kind', kinds)
      .where((any) => any.where({ own: 0 }).orWhere({ staff_id: staffId }))
      .orderBy('kind')
      .orderBy('name')
      .select(),
    gatherFacts(db, [await aboutFile(db, query.file)], ROWS),
    factCatalogue(db),
  ]);
  const labels = new Map(catalogue.map(({ key, label }) => [key, label]));
  // In a mailing its fields stay: each recipient's own come in their place.
  const filled = (doc: DocNode) =>
    query.for === 'mailings' ? { doc, missing: [] } : fillIn(doc, known, (key) => labels.get(key) ?? key);
  return rows.map((row) => {
    const body = filled(fromJson('wording.body', row.body));
    const subject = filled(fromJson('wording.subject', row.subject));
    return {
      id: row.id,
      kind: row.kind,
      name: row.name,
      description: row.description,
      letters: row.letters,
      occasion: row.occasion,
      subject: inlineText(subject.doc.content ?? []).trim(),
      body: body.doc,
      missing: [...new Set([...subject.missing, ...body.missing])],
    };
  });
}
