import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const ENGINE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** Clients' pages: what is laid out there, what is asked for, what came, and who opened one. */
const STEPS = [
  `CREATE TABLE collection_page (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    client_id INT UNSIGNED NOT NULL,
    person_id INT UNSIGNED NOT NULL,
    serial SMALLINT UNSIGNED NOT NULL DEFAULT 1 COMMENT 'links made before the last withdrawal open nothing',
    withdrawn_at DATETIME(3) NULL,
    opened_at DATETIME(3) NULL COMMENT 'last, by link and code',
    secret VARBINARY(200) NULL COMMENT 'sealed; of its one-time codes',
    code_count INT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'the moving factor (RFC 4226)',
    code_until DATETIME(3) NULL COMMENT 'the last code serves so long; null when it was used',
    code_tries TINYINT UNSIGNED NOT NULL DEFAULT 0,
    UNIQUE KEY collection_page_whose (client_id, person_id),
    KEY collection_page_person (person_id),
    CONSTRAINT collection_page_client_fk FOREIGN KEY (client_id) REFERENCES client (id) ON DELETE CASCADE,
    CONSTRAINT collection_page_person_fk FOREIGN KEY (person_id) REFERENCES person (id) ON DELETE CASCADE
  ) ${ENGINE}`,
  `CREATE TABLE collection_visit (
    token_hash BINARY(32) NOT NULL PRIMARY KEY,
    page_id INT UNSIGNED NOT NULL,
    serial SMALLINT UNSIGNED NOT NULL,
    until DATETIME(3) NOT NULL,
    KEY collection_visit_page (page_id),
    KEY collection_visit_until (until),
    CONSTRAINT collection_visit_page_fk FOREIGN KEY (page_id) REFERENCES collection_page (id) ON DELETE CASCADE
  ) ${ENGINE}`,
  `CREATE TABLE collection_item (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    page_id INT UNSIGNED NOT NULL,
    file_id INT UNSIGNED NOT NULL,
    filename VARCHAR(255) NOT NULL,
    mime_type VARCHAR(120) NOT NULL,
    size INT UNSIGNED NOT NULL,
    hash BINARY(32) NOT NULL,
    document_id INT UNSIGNED NULL COMMENT 'on the file',
    dispatch_id BIGINT UNSIGNED NULL COMMENT 'the copy of a mailing that it was laid out with',
    version SMALLINT UNSIGNED NOT NULL DEFAULT 1,
    replaced_by INT UNSIGNED NULL,
    laid_at DATETIME(3) NOT NULL,
    laid_by INT UNSIGNED NULL,
    until DATE NOT NULL COMMENT 'the last day',
    withdrawn_at DATETIME(3) NULL,
    KEY collection_item_page (page_id, laid_at),
    KEY collection_item_file (file_id, laid_at),
    KEY collection_item_hash (hash),
    KEY collection_item_document (document_id),
    KEY collection_item_dispatch (dispatch_id),
    KEY collection_item_replaced (replaced_by),
    KEY collection_item_by (laid_by),
    KEY collection_item_laid (laid_at),
    CONSTRAINT collection_item_page_fk FOREIGN KEY (page_id) REFERENCES collection_page (id) ON DELETE CASCADE,
    CONSTRAINT collection_item_file_fk FOREIGN KEY (file_id) REFERENCES file (id),
    CONSTRAINT collection_item_hash_fk FOREIGN KEY (hash) REFERENCES raw (hash),
    CONSTRAINT collection_item_document_fk FOREIGN KEY (document_id) REFERENCES document (id) ON DELETE SET NULL,
    CONSTRAINT collection_item_dispatch_fk FOREIGN KEY (dispatch_id) REFERENCES dispatch (id) ON DELETE SET NULL,
    CONSTRAINT collection_item_replaced_fk FOREIGN KEY (replaced_by) REFERENCES collection_item (id) ON DELETE SET NULL,
    CONSTRAINT collection_item_by_fk FOREIGN KEY (laid_by) REFERENCES staff (id)
  ) ${ENGINE}`,
  `CREATE TABLE collection_taken (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    item_id INT UNSIGNED NOT NULL,
    at DATETIME(3) NOT NULL,
    KEY collection_taken_item (item_id, at),
    CONSTRAINT collection_taken_item_fk FOREIGN KEY (item_id) REFERENCES collection_item (id) ON DELETE CASCADE
  ) ${ENGINE}`,
  `CREATE TABLE collection_wanted (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    page_id INT UNSIGNED NOT NULL,
    file_id INT UNSIGNED NOT NULL,
    name VARCHAR(120) NOT NULL,
    note VARCHAR(300) NOT NULL DEFAULT '',
    asked_at DATETIME(3) NOT NULL,
    asked_by INT UNSIGNED NULL,
    by_day DATE NULL,
    came_at DATETIME(3) NULL,
    closed_at DATETIME(3) NULL COMMENT 'it is wanted no more, or came otherwise',
    KEY collection_wanted_page (page_id, asked_at),
    KEY collection_wanted_file (file_id),
    KEY collection_wanted_open (came_at, closed_at, asked_at),
    KEY collection_wanted_asked (asked_at),
    KEY collection_wanted_by (asked_by),
    CONSTRAINT collection_wanted_page_fk FOREIGN KEY (page_id) REFERENCES collection_page (id) ON DELETE CASCADE,
    CONSTRAINT collection_wanted_file_fk FOREIGN KEY (file_id) REFERENCES file (id),
    CONSTRAINT collection_wanted_by_fk FOREIGN KEY (asked_by) REFERENCES staff (id)
  ) ${ENGINE}`,
  `CREATE TABLE collection_upload (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    page_id INT UNSIGNED NOT NULL,
    wanted_id INT UNSIGNED NULL,
    file_id INT UNSIGNED NOT NULL COMMENT 'where it lands when it is taken in',
    filename VARCHAR(255) NOT NULL,
    mime_type VARCHAR(120) NOT NULL,
    size INT UNSIGNED NOT NULL,
    hash BINARY(32) NOT NULL,
    at DATETIME(3) NOT NULL,
    state ENUM('waiting','taken in','refused','taken back') NOT NULL DEFAULT 'waiting',
    why VARCHAR(200) NOT NULL DEFAULT '' COMMENT 'it was refused; the client reads it',
    settled_at DATETIME(3) NULL,
    settled_by INT UNSIGNED NULL,
    KEY collection_upload_page (page_id, at),
    KEY collection_upload_state (state, at),
    KEY collection_upload_wanted (wanted_id),
    KEY collection_upload_file (file_id, at),
    KEY collection_upload_by (settled_by),
    CONSTRAINT collection_upload_page_fk FOREIGN KEY (page_id) REFERENCES collection_page (id) ON DELETE CASCADE,
    CONSTRAINT collection_upload_wanted_fk FOREIGN KEY (wanted_id) REFERENCES collection_wanted (id) ON DELETE SET NULL,
    CONSTRAINT collection_upload_file_fk FOREIGN KEY (file_id) REFERENCES file (id),
    CONSTRAINT collection_upload_by_fk FOREIGN KEY (settled_by) REFERENCES staff (id)
  ) ${ENGINE}`,
  // Apart from all other content: nothing of it is read, searched or shown before somebody has looked at it.
  `CREATE TABLE collection_apart (
    upload_id INT UNSIGNED NOT NULL,
    position SMALLINT UNSIGNED NOT NULL,
    bytes MEDIUMBLOB NOT NULL,
    PRIMARY KEY (upload_id, position),
    CONSTRAINT collection_apart_upload_fk FOREIGN KEY (upload_id) REFERENCES collection_upload (id) ON DELETE CASCADE
  ) ${ENGINE}`,
  `CREATE TABLE collection_entry (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    page_id INT UNSIGNED NULL,
    client_id INT UNSIGNED NOT NULL,
    file_id INT UNSIGNED NOT NULL,
    at DATETIME(3) NOT NULL,
    kind ENUM('line','came','laid out') NOT NULL,
    words TEXT NOT NULL COMMENT 'what they wrote; else the name of the document',
    item_id INT UNSIGNED NULL,
    upload_id INT UNSIGNED NULL,
    waits TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'it wants an answer of ours',
    KEY collection_entry_client (client_id, at),
    KEY collection_entry_file (file_id, at),
    KEY collection_entry_waits (waits, at),
    KEY collection_entry_page (page_id),
    KEY collection_entry_item (item_id),
    KEY collection_entry_upload (upload_id),
    CONSTRAINT collection_entry_page_fk FOREIGN KEY (page_id) REFERENCES collection_page (id) ON DELETE SET NULL,
    CONSTRAINT collection_entry_file_fk FOREIGN KEY (file_id, client_id) REFERENCES file (id, client_id) ON UPDATE CASCADE,
    CONSTRAINT collection_entry_item_fk FOREIGN KEY (item_id) REFERENCES collection_item (id) ON DELETE SET NULL,
    CONSTRAINT collection_entry_upload_fk FOREIGN KEY (upload_id) REFERENCES collection_upload (id) ON DELETE SET NULL
  ) ${ENGINE}`,
  `ALTER TABLE document
    ADD COLUMN upload_id INT UNSIGNED NULL COMMENT 'a client put it on their page',
    ADD KEY document_upload (upload_id),
    ADD CONSTRAINT document_upload_fk FOREIGN KEY (upload_id) REFERENCES collection_upload (id) ON DELETE SET NULL`,
  `ALTER TABLE mailing
    ADD COLUMN laid_out TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'what is enclosed is laid out on each one''s page instead'`,
  `ALTER TABLE order_course
    ADD COLUMN wanted_id INT UNSIGNED NULL COMMENT 'what was asked for on a page',
    ADD KEY order_course_wanted (wanted_id),
    ADD CONSTRAINT order_course_wanted_fk FOREIGN KEY (wanted_id) REFERENCES collection_wanted (id) ON DELETE SET NULL`,
  `ALTER TABLE change_event
    MODIFY COLUMN topic ENUM('records','mail','sorting','mailings','mailboxes','filing','drafts','pending','imports',
      'selections','timeline','doubles','documents','paperwork','orders','tasks','reckoning','texts','collection') NOT NULL`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
