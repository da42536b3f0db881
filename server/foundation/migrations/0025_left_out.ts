import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Whom a mailing left out when it was released, and why. */
export async function up(knex: Knex): Promise<void> {
  await apply(
    knex,
    `CREATE TABLE mailing_left_out (
      id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
      mailing_id INT UNSIGNED NOT NULL,
      client_id INT UNSIGNED NOT NULL,
      why VARCHAR(60) NOT NULL,
      detail VARCHAR(300) NOT NULL DEFAULT '',
      KEY mailing_left_out_mailing (mailing_id),
      KEY mailing_left_out_client (client_id, mailing_id),
      CONSTRAINT mailing_left_out_mailing FOREIGN KEY (mailing_id) REFERENCES mailing (id) ON DELETE CASCADE,
      CONSTRAINT mailing_left_out_client FOREIGN KEY (client_id) REFERENCES client (id) ON DELETE CASCADE
    ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  );
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
