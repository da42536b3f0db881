import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Server processes that keep mailboxes, so that they share them out. */
export async function up(knex: Knex): Promise<void> {
  await apply(
    knex,
    `CREATE TABLE server_process (
      id VARCHAR(40) COLLATE utf8mb4_bin NOT NULL PRIMARY KEY,
      seen_at DATETIME(3) NOT NULL COMMENT 'by the database''s clock',
      KEY server_process_seen (seen_at)
    ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  );
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
