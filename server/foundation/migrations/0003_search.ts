import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Full-text keys over names and titles, so that a file or client is found at once however many there are. */
const ALTERATIONS = [
  'ALTER TABLE file ADD FULLTEXT KEY file_words (number, title)',
  'ALTER TABLE client ADD FULLTEXT KEY client_words (name, place)',
  'ALTER TABLE person ADD FULLTEXT KEY person_words (first_name, last_name)',
];

export async function up(knex: Knex): Promise<void> {
  for (const alteration of ALTERATIONS) await apply(knex, alteration);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
