import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const ENGINE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** Documents of clients and files: what came and went with messages, what was put there by hand; each content read once. */
const STEPS = [
  `CREATE TABLE document_kind (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(60) NOT NULL,
    position INT UNSIGNED NOT NULL DEFAULT 0,
    UNIQUE KEY document_kind_name (name)
  ) ${ENGINE}`,
  `CREATE TABLE document (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    hash BINARY(32) NOT NULL COMMENT 'SHA-256 of its content',
    raw_hash BINARY(32) NULL COMMENT 'where its content is kept; null: it is a part of its message',
    filename VARCHAR(255) NOT NULL,
    name_words VARCHAR(255) GENERATED ALWAYS AS (REPLACE(REPLACE(REPLACE(filename, '_', ' '), '.', ' '), '-', ' ')) STORED,
    mime_type VARCHAR(120) NOT NULL,
    size INT UNSIGNED NOT NULL COMMENT 'in bytes',
    at DATETIME(3) NOT NULL COMMENT 'of when it is',
    kind_id INT UNSIGNED NULL,
    message_id BIGINT UNSIGNED NULL COMMENT 'with which it came or went; its files are its own',
    part SMALLINT UNSIGNED NULL COMMENT 'of that message',
    client_id INT UNSIGNED NULL COMMENT 'of what was put there: whose file it is',
    file_id INT UNSIGNED NULL,
    staff_id INT UNSIGNED NULL COMMENT 'who put it there',
    gone_at DATETIME(3) NULL COMMENT 'taken away',
    UNIQUE KEY document_part (message_id, part),
    KEY document_content (hash),
    KEY document_kept (raw_hash),
    KEY document_at (at),
    KEY document_name (filename),
    KEY document_size (size),
    KEY document_client (client_id, at),
    KEY document_file (file_id, client_id, at),
    KEY document_of_kind (kind_id, at),
    KEY document_staff (staff_id),
    FULLTEXT KEY document_named (name_words),
    CONSTRAINT document_raw FOREIGN KEY (raw_hash) REFERENCES raw (hash),
    CONSTRAINT document_kind_fk FOREIGN KEY (kind_id) REFERENCES document_kind (id),
    CONSTRAINT document_message FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE,
    CONSTRAINT document_file_client FOREIGN KEY (file_id, client_id) REFERENCES file (id, client_id) ON UPDATE CASCADE,
    CONSTRAINT document_staff_fk FOREIGN KEY (staff_id) REFERENCES staff (id),
    CONSTRAINT document_lies_somewhere CHECK ((message_id IS NULL) <> (raw_hash IS NULL))
  ) ${ENGINE}`,
  `CREATE TABLE document_reading (
    hash BINARY(32) NOT NULL PRIMARY KEY COMMENT 'of a content whose words are to be read, once',
    state ENUM('waiting','read','unreadable') NOT NULL DEFAULT 'waiting',
    tries TINYINT UNSIGNED NOT NULL DEFAULT 0,
    lease_until DATETIME(3) NULL,
    words MEDIUMTEXT NULL,
    FULLTEXT KEY document_reading_words (words),
    KEY document_reading_waits (state, lease_until)
  ) ${ENGINE}`,
  `ALTER TABLE draft_enclosure
    ADD COLUMN document_id INT UNSIGNED NULL COMMENT 'the document that it is',
    ADD KEY draft_enclosure_document (document_id),
    ADD CONSTRAINT draft_enclosure_is FOREIGN KEY (document_id) REFERENCES document (id) ON DELETE SET NULL`,
  `ALTER TABLE change_event
    MODIFY COLUMN topic ENUM('records','mail','sorting','mailings','mailboxes','filing','drafts','pending','imports','selections','timeline','doubles','documents') NOT NULL`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
