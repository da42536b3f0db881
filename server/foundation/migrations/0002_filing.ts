import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** What filing learns, the office's own rules, and what may be said of a message beside its file. */
const TABLES = [
  // Under which subjects, and with whom, a message is found when its threading was lost.
  `CREATE TABLE message_subject (
    message_id BIGINT UNSIGNED NOT NULL,
    subject_key BINARY(32) NOT NULL COMMENT 'hash of base subject and one outside address',
    PRIMARY KEY (message_id, subject_key),
    KEY message_subject_key (subject_key, message_id),
    CONSTRAINT message_subject_message FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE
  )`,
  // Lessons are only ever added: one that is taken back is added again with sign -1. Every process
  // reads what is newer than it knows, so that all of them have learned the same.
  `CREATE TABLE lesson (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    message_id BIGINT UNSIGNED NOT NULL,
    sign TINYINT NOT NULL,
    lesson LONGTEXT NOT NULL COMMENT 'JSON: what the message says of the files it was put on',
    KEY lesson_message (message_id, id),
    CONSTRAINT lesson_message_fk FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE
  )`,
  `CREATE TABLE office_rule (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    looks_at ENUM('address','domain','list','subject') NOT NULL,
    pattern VARCHAR(254) NOT NULL,
    outcome ENUM('file','never','aside','private') NOT NULL,
    file_id INT UNSIGNED NULL,
    made_by INT UNSIGNED NOT NULL,
    made_at DATETIME(3) NOT NULL,
    UNIQUE KEY office_rule_once (looks_at, pattern, outcome, file_id),
    CONSTRAINT office_rule_file FOREIGN KEY (file_id) REFERENCES file (id),
    CONSTRAINT office_rule_staff FOREIGN KEY (made_by) REFERENCES staff (id)
  )`,
  // Notes and calls: on a file, across the middle of the ledger; some belong to a message.
  `CREATE TABLE note (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    file_id INT UNSIGNED NOT NULL,
    message_id BIGINT UNSIGNED NULL,
    staff_id INT UNSIGNED NOT NULL,
    at DATETIME(3) NOT NULL,
    words VARCHAR(2000) NOT NULL,
    KEY note_file (file_id, at),
    KEY note_message (message_id),
    CONSTRAINT note_file_fk FOREIGN KEY (file_id) REFERENCES file (id),
    CONSTRAINT note_message_fk FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE SET NULL,
    CONSTRAINT note_staff FOREIGN KEY (staff_id) REFERENCES staff (id)
  )`,
];

const ALTERATIONS = [
  `ALTER TABLE message
    ADD COLUMN list_id VARCHAR(200) NOT NULL DEFAULT '' AFTER automatic,
    ADD COLUMN reason VARCHAR(30) NULL COMMENT 'the weightiest evidence, when it was settled without help',
    ADD COLUMN later_until DATETIME(3) NULL COMMENT 'not in Sorting before then',
    ADD COLUMN corrected_at DATETIME(3) NULL COMMENT 'a person moved what had been settled without help',
    ADD KEY message_alone (decided_by, state, at),
    ADD KEY message_list (list_id, at),
    ADD KEY message_corrected (corrected_at)`,
  `ALTER TABLE message_party
    ADD COLUMN domain VARCHAR(254) AS (SUBSTRING_INDEX(email_key, '@', -1)) STORED,
    ADD KEY message_party_domain (domain, message_id)`,
  `ALTER TABLE filing_step_message
    ADD COLUMN along TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'settled by what the step taught, not by the person'`,
  `ALTER TABLE filing_step ADD COLUMN note VARCHAR(500) NOT NULL DEFAULT '' COMMENT 'a remark kept with the filing'`,
];

export async function up(knex: Knex): Promise<void> {
  for (const table of TABLES)
    await apply(knex, `${table} ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`);
  for (const alteration of ALTERATIONS) await apply(knex, alteration);
  await apply(knex, 'ALTER TABLE message DROP KEY message_subject, DROP COLUMN subject_key');
  await knex('pulse')
    .insert([{ topic: 'filing' }])
    .onConflict()
    .ignore();
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
