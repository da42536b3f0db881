import type { Knex } from 'knex';
import type { z } from 'zod';
import type { Wording, WordingsQuery } from '../../contract/index.ts';
import { ROWS } from '../../core/facts/catalogue.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { fillIn } from '../../core/merge/letter.ts';
import { inlineText } from '../../core/merge/plain.ts';
import { factCatalogue, gatherFacts } from '../facts/gather.ts';
import { fromJson } from '../foundation/json.ts';
import { groupBy } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { enclosuresWith, wordingsFor } from './cupboard.ts';
import { aboutFile } from './facts.ts';

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
    wordingsFor(db, staffId)
      .whereIn('kind', kinds)
      .orderBy('kind')
      .orderBy('name')
      .select<Rows['wording'][]>(),
    gatherFacts(db, [await aboutFile(db, query.file)], ROWS),
    factCatalogue(db),
  ]);
  const labels = new Map(catalogue.map(({ key, label }) => [key, label]));
  // In a mailing its fields stay: each recipient's own come in their place.
  const filled = (doc: DocNode) =>
    query.for === 'mailings' ? { doc, missing: [] } : fillIn(doc, known, (key) => labels.get(key) ?? key);
  const going = groupBy(
    await enclosuresWith(
      db,
      staffId,
      rows.map(({ id }) => id),
    ),
    (row) => row.of,
  );
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
      enclosures: (going.get(row.id) ?? []).map(({ id, filename }) => ({ id, filename: filename ?? '' })),
    };
  });
}
