import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const WHEN = "COMMENT 'when it was entered, until mail that waits has been weighed by it; null from then on'";

/** Who is entered in the records may have written before: mail that waits is looked at again by what is new there. */
const STEPS = ['address', 'client_person', 'file'].flatMap((table) => [
  // What is here already was known when mail was weighed.
  `ALTER TABLE ${table} ADD COLUMN new_at DATETIME(3) NULL ${WHEN}, ADD KEY ${table}_new (new_at)`,
  `ALTER TABLE ${table} MODIFY COLUMN new_at DATETIME(3) NULL DEFAULT CURRENT_TIMESTAMP(3) ${WHEN}`,
]);

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
