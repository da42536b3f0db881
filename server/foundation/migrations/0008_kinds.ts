import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Outgoing things are of kinds, of which there will be more. */
export async function up(knex: Knex): Promise<void> {
  await apply(
    knex,
    "ALTER TABLE dispatch ADD COLUMN kind VARCHAR(20) COLLATE utf8mb4_bin NOT NULL DEFAULT 'mailing' AFTER id",
  );
  await apply(knex, "UPDATE dispatch SET kind = 'letter' WHERE draft_id IS NOT NULL");
  await apply(knex, 'ALTER TABLE dispatch ALTER COLUMN kind DROP DEFAULT');
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
