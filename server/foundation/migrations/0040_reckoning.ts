import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const ENGINE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** The count that proves that every message on every server is accounted for; a sample of what was filed without a person. */
const STEPS = [
  `CREATE TABLE copy_gone (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    mailbox_id INT UNSIGNED NOT NULL,
    folder_path VARCHAR(255) COLLATE utf8mb4_bin NOT NULL,
    role VARCHAR(10) COLLATE ascii_bin NOT NULL,
    message_id BIGINT UNSIGNED NOT NULL,
    at DATETIME(3) NOT NULL COMMENT 'of the message',
    gone_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3) COMMENT 'when its server was found not to have it any more',
    KEY copy_gone_at (mailbox_id, at),
    KEY copy_gone_message (message_id),
    CONSTRAINT copy_gone_mailbox FOREIGN KEY (mailbox_id) REFERENCES mailbox (id) ON DELETE CASCADE,
    CONSTRAINT copy_gone_message_fk FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE
  ) ${ENGINE}`,
  `CREATE TABLE reckoning (
    day DATE NOT NULL PRIMARY KEY COMMENT 'in the firm''s zone',
    state ENUM('waiting','done') NOT NULL,
    asked_by INT UNSIGNED NULL COMMENT 'null: by itself, at night',
    counted_at DATETIME(3) NULL,
    lease_owner VARCHAR(40) NULL,
    lease_until DATETIME(3) NULL,
    tries TINYINT UNSIGNED NOT NULL DEFAULT 0,
    KEY reckoning_waits (state, lease_until),
    KEY reckoning_asked (asked_by),
    CONSTRAINT reckoning_asked_fk FOREIGN KEY (asked_by) REFERENCES staff (id)
  ) ${ENGINE}`,
  `CREATE TABLE reckoning_line (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    day DATE NOT NULL,
    mailbox_id INT UNSIGNED NOT NULL,
    folder_path VARCHAR(255) COLLATE utf8mb4_bin NOT NULL,
    rule VARCHAR(12) COLLATE ascii_bin NULL COMMENT 'why it is never read; null: it is',
    on_server INT UNSIGNED NOT NULL,
    taken INT UNSIGNED NOT NULL DEFAULT 0,
    to_come INT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'of what is still being taken in',
    missing INT UNSIGNED NOT NULL DEFAULT 0,
    logged INT UNSIGNED NOT NULL DEFAULT 0,
    waiting INT UNSIGNED NOT NULL DEFAULT 0,
    aside INT UNSIGNED NOT NULL DEFAULT 0,
    private INT UNSIGNED NOT NULL DEFAULT 0,
    KEY reckoning_line_day (day, mailbox_id),
    KEY reckoning_line_box (mailbox_id),
    CONSTRAINT reckoning_line_of FOREIGN KEY (day) REFERENCES reckoning (day) ON DELETE CASCADE,
    CONSTRAINT reckoning_line_mailbox FOREIGN KEY (mailbox_id) REFERENCES mailbox (id) ON DELETE CASCADE
  ) ${ENGINE}`,
  `CREATE TABLE reckoning_sending (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    day DATE NOT NULL,
    kind VARCHAR(12) COLLATE ascii_bin NOT NULL,
    name VARCHAR(200) NOT NULL,
    released INT UNSIGNED NOT NULL,
    sent INT UNSIGNED NOT NULL,
    waiting INT UNSIGNED NOT NULL,
    returned INT UNSIGNED NOT NULL,
    uncertain INT UNSIGNED NOT NULL,
    cancelled INT UNSIGNED NOT NULL,
    KEY reckoning_sending_day (day),
    CONSTRAINT reckoning_sending_of FOREIGN KEY (day) REFERENCES reckoning (day) ON DELETE CASCADE
  ) ${ENGINE}`,
  `CREATE TABLE reckoning_difference (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    day DATE NOT NULL,
    kind ENUM('missing','gone','unknown','unrecorded','uncertain','unreached') NOT NULL,
    mailbox_id INT UNSIGNED NULL,
    folder_path VARCHAR(255) COLLATE utf8mb4_bin NOT NULL DEFAULT '',
    uid BIGINT UNSIGNED NULL,
    message_id BIGINT UNSIGNED NULL,
    dispatch_id BIGINT UNSIGNED NULL,
    words VARCHAR(500) NOT NULL COMMENT 'what of it may be told to whoever may see the mailbox',
    at DATETIME(3) NULL,
    seen_at DATETIME(3) NULL,
    seen_by INT UNSIGNED NULL,
    KEY reckoning_difference_day (day, seen_at),
    KEY reckoning_difference_box (mailbox_id),
    KEY reckoning_difference_message (message_id),
    KEY reckoning_difference_dispatch (dispatch_id),
    KEY reckoning_difference_seen (seen_by),
    CONSTRAINT reckoning_difference_of FOREIGN KEY (day) REFERENCES reckoning (day) ON DELETE CASCADE,
    CONSTRAINT reckoning_difference_mailbox FOREIGN KEY (mailbox_id) REFERENCES mailbox (id) ON DELETE CASCADE,
    CONSTRAINT reckoning_difference_message_fk FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE,
    CONSTRAINT reckoning_difference_dispatch_fk FOREIGN KEY (dispatch_id) REFERENCES dispatch (id) ON DELETE CASCADE,
    CONSTRAINT reckoning_difference_seen_fk FOREIGN KEY (seen_by) REFERENCES staff (id)
  ) ${ENGINE}`,
  `CREATE TABLE filing_sample (
    week DATE NOT NULL COMMENT 'its Monday',
    message_id BIGINT UNSIGNED NOT NULL,
    file_id INT UNSIGNED NULL COMMENT 'where it had been filed',
    verdict ENUM('right','wrong') NULL,
    judged_by INT UNSIGNED NULL,
    judged_at DATETIME(3) NULL,
    PRIMARY KEY (week, message_id),
    KEY filing_sample_message (message_id),
    KEY filing_sample_file (file_id),
    KEY filing_sample_by (judged_by),
    CONSTRAINT filing_sample_message_fk FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE,
    CONSTRAINT filing_sample_file_fk FOREIGN KEY (file_id) REFERENCES file (id) ON DELETE SET NULL,
    CONSTRAINT filing_sample_by_fk FOREIGN KEY (judged_by) REFERENCES staff (id)
  ) ${ENGINE}`,
  `ALTER TABLE change_event
    MODIFY COLUMN topic ENUM('records','mail','sorting','mailings','mailboxes','filing','drafts','pending','imports',
      'selections','timeline','doubles','documents','paperwork','orders','tasks','reckoning') NOT NULL`,
  'ALTER TABLE message ADD KEY message_settled (state, direction, decided_by, at)',
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
