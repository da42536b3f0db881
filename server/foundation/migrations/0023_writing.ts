import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Pictures within texts, what goes with every copy of a mailing, from whom it comes, and how many a client gets. */
const STEPS = [
  `CREATE TABLE picture (
    hash BINARY(32) NOT NULL PRIMARY KEY,
    mime_type VARCHAR(40) NOT NULL,
    made_at DATETIME(3) NOT NULL,
    made_by INT UNSIGNED NULL,
    CONSTRAINT picture_raw FOREIGN KEY (hash) REFERENCES raw (hash),
    CONSTRAINT picture_by FOREIGN KEY (made_by) REFERENCES staff (id)
  ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  `CREATE TABLE mailing_enclosure (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    mailing_id INT UNSIGNED NOT NULL,
    filename VARCHAR(255) NOT NULL,
    mime_type VARCHAR(120) NOT NULL,
    hash BINARY(32) NOT NULL,
    KEY mailing_enclosure_mailing (mailing_id),
    CONSTRAINT mailing_enclosure_mailing FOREIGN KEY (mailing_id) REFERENCES mailing (id) ON DELETE CASCADE,
    CONSTRAINT mailing_enclosure_raw FOREIGN KEY (hash) REFERENCES raw (hash)
  ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  `ALTER TABLE mailing
    ADD COLUMN sender_id INT UNSIGNED NULL COMMENT 'the mailbox it comes from; null: the adviser of each client' AFTER topic_id,
    ADD COLUMN answers_id INT UNSIGNED NULL COMMENT 'the mailbox that answers go to; null: whoever it comes from' AFTER sender_id,
    ADD COLUMN each_of ENUM('client','household','person') NOT NULL DEFAULT 'client' COMMENT 'who gets a copy' AFTER answers_id,
    ADD CONSTRAINT mailing_sender FOREIGN KEY (sender_id) REFERENCES mailbox (id) ON DELETE SET NULL,
    ADD CONSTRAINT mailing_answers FOREIGN KEY (answers_id) REFERENCES mailbox (id) ON DELETE SET NULL`,
  // Several people of one client may have a copy each.
  'ALTER TABLE dispatch ADD UNIQUE KEY dispatch_each_once (mailing_id, client_id, person_id)',
  'ALTER TABLE dispatch DROP KEY dispatch_once',
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
