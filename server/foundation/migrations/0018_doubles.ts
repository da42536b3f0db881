import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const ENGINE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** Records that may be one and the same; what was merged, with all that is needed to part it again. */
const STEPS = [
  `CREATE TABLE double_pair (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    subject ENUM('client','person') NOT NULL,
    client_a INT UNSIGNED NULL,
    client_b INT UNSIGNED NULL,
    person_a INT UNSIGNED NULL,
    person_b INT UNSIGNED NULL,
    score FLOAT NOT NULL,
    reasons TEXT NOT NULL COMMENT 'JSON',
    dismissed_at DATETIME(3) NULL COMMENT 'somebody said that they are two',
    dismissed_by INT UNSIGNED NULL,
    UNIQUE KEY double_clients (client_a, client_b),
    UNIQUE KEY double_people (person_a, person_b),
    KEY double_open (subject, dismissed_at, score),
    CONSTRAINT double_client_a FOREIGN KEY (client_a) REFERENCES client (id) ON DELETE CASCADE,
    CONSTRAINT double_client_b FOREIGN KEY (client_b) REFERENCES client (id) ON DELETE CASCADE,
    CONSTRAINT double_person_a FOREIGN KEY (person_a) REFERENCES person (id) ON DELETE CASCADE,
    CONSTRAINT double_person_b FOREIGN KEY (person_b) REFERENCES person (id) ON DELETE CASCADE,
    CONSTRAINT double_dismissed FOREIGN KEY (dismissed_by) REFERENCES staff (id)
  ) ${ENGINE}`,
  `CREATE TABLE record_merge (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    subject ENUM('client','person') NOT NULL,
    kept_id INT UNSIGNED NOT NULL,
    dropped_id INT UNSIGNED NOT NULL COMMENT 'there no more, unless it was taken back',
    kept_name VARCHAR(200) NOT NULL,
    dropped_name VARCHAR(200) NOT NULL,
    staff_id INT UNSIGNED NOT NULL,
    at DATETIME(3) NOT NULL,
    changes LONGTEXT NOT NULL COMMENT 'JSON: each row as it was and became',
    undone_at DATETIME(3) NULL,
    KEY record_merge_at (at),
    CONSTRAINT record_merge_staff FOREIGN KEY (staff_id) REFERENCES staff (id)
  ) ${ENGINE}`,
  "INSERT IGNORE INTO turn (name) VALUES ('doubles')",
  `ALTER TABLE change_event
    MODIFY COLUMN topic ENUM('records','mail','sorting','mailings','mailboxes','filing','drafts','pending','imports','selections','timeline','doubles') NOT NULL`,
  'ALTER TABLE import_row ADD KEY import_row_client (client_id)',
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
