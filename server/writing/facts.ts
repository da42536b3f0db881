import { select, selectFirst } from '../foundation/rows.ts';
import type { Knex } from 'knex';
import type { Fact } from '../../contract/index.ts';
import { ROWS } from '../../core/facts/catalogue.ts';
import { fillIn } from '../../core/merge/letter.ts';
import { inlineText } from '../../core/merge/plain.ts';
import { greeting } from '../../core/merge/greeting.ts';
import { fromJson } from '../foundation/json.ts';
import type { Rows } from '../foundation/tables.ts';
import { factCatalogue, gatherFacts, type FactsAbout } from '../facts/gather.ts';

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

/** A template with the facts of a file in it, and the labels of those that are not known. */
export async function filledTemplate(
  db: Knex,
  template: Pick<Rows['wording'], 'subject' | 'body'>,
  fileId: number,
) {
  const [[known = { words: {} }], catalogue] = await Promise.all([
    gatherFacts(db, [await aboutFile(db, fileId)], ROWS),
    factCatalogue(db),
  ]);
  const labels = new Map(catalogue.map(({ key, label }) => [key, label]));
  const label = (key: string) => labels.get(key) ?? key;
  const subject = fillIn(fromJson('wording.subject', template.subject), known, label);
  const body = fillIn(fromJson('wording.body', template.body), known, label);
  return {
    subject: inlineText(subject.doc.content ?? []).trim(),
    body: fromJson('draft.body', JSON.stringify(body.doc)),
    missing: [...new Set([...subject.missing, ...body.missing])],
  };
}
