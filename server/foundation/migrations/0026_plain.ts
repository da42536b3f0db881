import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** The plain text of a mailing, where somebody wrote another than what is made of its text. */
export async function up(knex: Knex): Promise<void> {
  await apply(
    knex,
    "ALTER TABLE mailing ADD COLUMN plain LONGTEXT NULL COMMENT 'JSON: the plain text; null: made of the body' AFTER body",
  );
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
