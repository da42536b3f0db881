import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Changes told as events, and locks of their own: one row was both. */
const STEPS = [
  `CREATE TABLE turn (
    name VARCHAR(30) NOT NULL PRIMARY KEY,
    taken BIGINT UNSIGNED NOT NULL DEFAULT 0
  ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  `INSERT IGNORE INTO turn (name) VALUES ('intake'), ('lessons'), ('numbers')`,
  `CREATE TABLE change_event (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    topic ENUM('records','mail','sorting','mailings','mailboxes','filing','drafts','pending') NOT NULL,
    subject ENUM('client','file','message','mailbox','mailing','staff') NULL COMMENT 'null: all of the topic',
    subject_id BIGINT UNSIGNED NULL,
    at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    KEY change_event_topic (topic, id),
    KEY change_event_at (at)
  ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  'DROP TABLE IF EXISTS pulse',
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
