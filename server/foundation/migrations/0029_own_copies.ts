import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Mailings that are logged on no file, and copies whose words were changed by hand. */
const STEPS = [
  `ALTER TABLE mailing MODIFY COLUMN file_choice ENUM('general','latest','private','nowhere') NOT NULL DEFAULT 'general'`,
  `CREATE TABLE mailing_own_copy (
    mailing_id INT UNSIGNED NOT NULL,
    client_id INT UNSIGNED NOT NULL,
    person_id INT UNSIGNED NOT NULL,
    subject LONGTEXT NOT NULL COMMENT 'JSON',
    body LONGTEXT NOT NULL COMMENT 'JSON',
    changed_at DATETIME(3) NOT NULL,
    changed_by INT UNSIGNED NOT NULL,
    PRIMARY KEY (mailing_id, client_id, person_id),
    KEY mailing_own_copy_client (client_id),
    KEY mailing_own_copy_person (person_id),
    CONSTRAINT mailing_own_copy_of FOREIGN KEY (mailing_id) REFERENCES mailing (id) ON DELETE CASCADE,
    CONSTRAINT mailing_own_copy_for FOREIGN KEY (client_id) REFERENCES client (id) ON DELETE CASCADE,
    CONSTRAINT mailing_own_copy_to FOREIGN KEY (person_id) REFERENCES person (id) ON DELETE CASCADE,
    CONSTRAINT mailing_own_copy_by FOREIGN KEY (changed_by) REFERENCES staff (id)
  ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
