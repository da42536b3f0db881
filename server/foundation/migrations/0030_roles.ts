import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Which people of picked files a mailing goes to. */
export async function up(knex: Knex): Promise<void> {
  await apply(
    knex,
    `ALTER TABLE mailing ADD COLUMN roles LONGTEXT NOT NULL DEFAULT '[]'
      COMMENT 'JSON: on the files it was picked by; none: those who take mailings' AFTER each_of`,
  );
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
