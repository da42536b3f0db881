import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Which countries clients live in is asked whenever something is selected: from a key, not from every client. */
export async function up(knex: Knex): Promise<void> {
  await apply(knex, 'ALTER TABLE client ADD KEY client_country (country)');
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
