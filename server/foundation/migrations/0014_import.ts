import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const ENGINE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** Lists brought in: the table, what each row would do and did, and what was done with it in the audit. */
const STEPS = [
  `CREATE TABLE import_run (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    staff_id INT UNSIGNED NOT NULL,
    filename VARCHAR(255) NOT NULL,
    state ENUM('chosen','checking','checked','running','done','undoing','undone') NOT NULL DEFAULT 'chosen',
    encoding VARCHAR(20) NOT NULL,
    delimiter VARCHAR(4) NOT NULL,
    header LONGTEXT NOT NULL COMMENT 'JSON',
    columns LONGTEXT NOT NULL COMMENT 'JSON: what each column holds',
    existing ENUM('change','leave') NOT NULL DEFAULT 'change',
    row_count INT UNSIGNED NOT NULL,
    position BIGINT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'rows, or steps of undoing, that are through',
    problem VARCHAR(500) NULL,
    made_at DATETIME(3) NOT NULL,
    ended_at DATETIME(3) NULL,
    lease_owner VARCHAR(40) NULL,
    lease_until DATETIME(3) NULL,
    KEY import_run_state (state),
    CONSTRAINT import_run_staff FOREIGN KEY (staff_id) REFERENCES staff (id)
  ) ${ENGINE}`,
  `CREATE TABLE import_row (
    import_id INT UNSIGNED NOT NULL,
    line INT UNSIGNED NOT NULL COMMENT 'in the file, from 1 for the first below the headings',
    cells LONGTEXT NOT NULL COMMENT 'JSON',
    outcome ENUM('add','change','same','refused') NULL,
    words TEXT NOT NULL DEFAULT '',
    client_id INT UNSIGNED NULL,
    PRIMARY KEY (import_id, line),
    KEY import_row_outcome (import_id, outcome, line),
    CONSTRAINT import_row_import FOREIGN KEY (import_id) REFERENCES import_run (id) ON DELETE CASCADE
  ) ${ENGINE}`,
  // The highest file number is asked for whenever a file is opened: longer ones come after shorter.
  `ALTER TABLE file
    ADD COLUMN number_length TINYINT UNSIGNED AS (CHAR_LENGTH(number)) VIRTUAL,
    ADD KEY file_order (number_length, number)`,
  'ALTER TABLE person ADD KEY person_first (first_name, last_name)',
  'ALTER TABLE audit ADD COLUMN import_id INT UNSIGNED NULL, ADD KEY audit_import (import_id, id)',
  `ALTER TABLE change_event
    MODIFY COLUMN topic ENUM('records','mail','sorting','mailings','mailboxes','filing','drafts','pending','imports') NOT NULL,
    MODIFY COLUMN subject ENUM('client','file','message','mailbox','mailing','staff','import') NULL COMMENT 'null: all of the topic'`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
