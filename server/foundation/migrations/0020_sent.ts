import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** What has gone is called sent, and what is on its way going: “105 of 131 left” reads as what remains. */
const STEPS = [
  `ALTER TABLE dispatch
    MODIFY state ENUM('waiting','leaving','going','left','sent','delayed','returned','uncertain','cancelled') NOT NULL DEFAULT 'waiting'`,
  "UPDATE dispatch SET state = 'going' WHERE state = 'leaving'",
  "UPDATE dispatch SET state = 'sent' WHERE state = 'left'",
  `ALTER TABLE dispatch
    MODIFY state ENUM('waiting','going','sent','delayed','returned','uncertain','cancelled') NOT NULL DEFAULT 'waiting',
    CHANGE COLUMN IF EXISTS left_at sent_at DATETIME(3) NULL`,
  `ALTER TABLE mailing
    MODIFY state ENUM('draft','preparing','ready','leaving','going','paused','finished','cancelled') NOT NULL DEFAULT 'draft'`,
  "UPDATE mailing SET state = 'going' WHERE state = 'leaving'",
  "UPDATE mailing SET state = 'draft' WHERE state = 'preparing'",
  `ALTER TABLE mailing
    MODIFY state ENUM('draft','ready','going','paused','finished','cancelled') NOT NULL DEFAULT 'draft'`,
  // How it goes, who handed it over to be released, and whether it says how to opt out.
  `ALTER TABLE mailing
    ADD COLUMN timing LONGTEXT NOT NULL DEFAULT '{"from":null,"batch":null,"hours":null,"days":[],"holidays":false,"room":false,"answers":null}' COMMENT 'JSON: the pace' AFTER file_choice,
    ADD COLUMN opt_out TINYINT(1) NOT NULL DEFAULT 1 COMMENT 'every copy says how to opt out' AFTER timing,
    ADD COLUMN handed_at DATETIME(3) NULL COMMENT 'to whoever may release it' AFTER tested_at,
    ADD COLUMN handed_by INT UNSIGNED NULL AFTER handed_at,
    ADD COLUMN untested_why VARCHAR(300) NULL COMMENT 'why it was released without a test copy' AFTER released_by,
    ADD CONSTRAINT mailing_handed FOREIGN KEY (handed_by) REFERENCES staff (id)`,
  // Whichever process sends: a mailbox's next message may not leave before this.
  `CREATE TABLE mailbox_allowance (
    mailbox_id INT UNSIGNED NOT NULL PRIMARY KEY,
    free_at DATETIME(3) NOT NULL,
    CONSTRAINT mailbox_allowance_mailbox FOREIGN KEY (mailbox_id) REFERENCES mailbox (id) ON DELETE CASCADE
  ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  "ALTER TABLE mailbox ADD COLUMN per_minute SMALLINT UNSIGNED NULL COMMENT 'messages of mailings at most; null: as usual'",
  // The latest that have had their time to be answered.
  'ALTER TABLE mailing ADD KEY mailing_finished (state, finished_at)',
  // All that will leave, by time.
  'ALTER TABLE dispatch ADD KEY dispatch_mailing_due (mailing_id, state, next_at)',
  'ALTER TABLE dispatch DROP KEY dispatch_mailing',
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
