import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** What became of each copy: opened, which links were followed, opted out by it. */
const STEPS = [
  `ALTER TABLE dispatch
    ADD COLUMN opened_at DATETIME(3) NULL COMMENT 'first seen to be opened' AFTER answered_message_id,
    ADD COLUMN followed_at DATETIME(3) NULL COMMENT 'its first link followed' AFTER opened_at,
    ADD COLUMN opted_out_at DATETIME(3) NULL COMMENT 'by the link in it' AFTER followed_at`,
  // Whoever answers has opened it.
  `UPDATE dispatch JOIN message ON message.id = dispatch.answered_message_id
    SET dispatch.opened_at = message.at WHERE dispatch.opened_at IS NULL`,
  `ALTER TABLE mailing
    ADD COLUMN counted TINYINT(1) NOT NULL DEFAULT 1 COMMENT 'openings and links followed are counted' AFTER opt_out`,
  // Nobody was asked of those that are there already.
  'UPDATE mailing SET counted = 0',
  `ALTER TABLE client
    ADD COLUMN counted TINYINT(1) NOT NULL DEFAULT 1 COMMENT 'openings and links followed may be counted'`,
  `CREATE TABLE link_followed (
    dispatch_id BIGINT UNSIGNED NOT NULL,
    position SMALLINT UNSIGNED NOT NULL COMMENT 'among the links of the mailing',
    first_at DATETIME(3) NOT NULL,
    times SMALLINT UNSIGNED NOT NULL DEFAULT 1,
    PRIMARY KEY (dispatch_id, position),
    CONSTRAINT link_followed_dispatch FOREIGN KEY (dispatch_id) REFERENCES dispatch (id) ON DELETE CASCADE
  ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
