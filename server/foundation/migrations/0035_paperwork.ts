import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const ENGINE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** Letters, fee notes and statements: a run makes pieces, each goes its way, and post goes in packs. */
const STEPS = [
  `CREATE TABLE paper_run (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    kind ENUM('letter','fee note','statement') NOT NULL,
    name VARCHAR(200) NOT NULL,
    state ENUM('draft','made','done','cancelled') NOT NULL DEFAULT 'draft',
    owner_id INT UNSIGNED NOT NULL,
    selection_id INT UNSIGNED NOT NULL,
    day DATE NOT NULL COMMENT 'what it is dated, and as of when accounts are drawn',
    subject LONGTEXT NOT NULL COMMENT 'JSON: what a piece is about',
    body LONGTEXT NOT NULL COMMENT 'JSON: its words',
    mail_subject LONGTEXT NOT NULL COMMENT 'JSON: of the message that carries it',
    mail_body LONGTEXT NOT NULL COMMENT 'JSON',
    sender_id INT UNSIGNED NULL COMMENT 'null: each client''s adviser',
    answers_id INT UNSIGNED NULL,
    hidden_copy VARCHAR(254) NOT NULL DEFAULT '',
    slip TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'a slip to be sent with what is paid',
    paid_months TINYINT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'so many months of what was paid stand on a statement',
    version INT UNSIGNED NOT NULL DEFAULT 1,
    saved_at DATETIME(3) NOT NULL,
    made_at DATETIME(3) NULL,
    KEY paper_run_list (state, saved_at),
    KEY paper_run_owner (owner_id),
    KEY paper_run_selection (selection_id),
    KEY paper_run_sender (sender_id),
    KEY paper_run_answers (answers_id),
    CONSTRAINT paper_run_owner_fk FOREIGN KEY (owner_id) REFERENCES staff (id),
    CONSTRAINT paper_run_selection_fk FOREIGN KEY (selection_id) REFERENCES selection (id),
    CONSTRAINT paper_run_sender_fk FOREIGN KEY (sender_id) REFERENCES mailbox (id),
    CONSTRAINT paper_run_answers_fk FOREIGN KEY (answers_id) REFERENCES mailbox (id)
  ) ${ENGINE}`,
  `CREATE TABLE paper_run_enclosure (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    run_id INT UNSIGNED NOT NULL,
    wording_id INT UNSIGNED NULL COMMENT 'the kept enclosure that it is',
    filename VARCHAR(255) NOT NULL,
    mime_type VARCHAR(120) NOT NULL,
    hash BINARY(32) NOT NULL,
    UNIQUE KEY paper_run_enclosure_once (run_id, wording_id),
    KEY paper_run_enclosure_wording (wording_id),
    KEY paper_run_enclosure_content (hash),
    CONSTRAINT paper_run_enclosure_of FOREIGN KEY (run_id) REFERENCES paper_run (id) ON DELETE CASCADE,
    CONSTRAINT paper_run_enclosure_is FOREIGN KEY (wording_id) REFERENCES wording (id) ON DELETE SET NULL,
    CONSTRAINT paper_run_enclosure_raw FOREIGN KEY (hash) REFERENCES raw (hash)
  ) ${ENGINE}`,
  `CREATE TABLE print_pack (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    made_at DATETIME(3) NOT NULL,
    made_by INT UNSIGNED NOT NULL,
    duplex TINYINT(1) NOT NULL,
    state ENUM('waiting','made','failed') NOT NULL DEFAULT 'waiting',
    lease_owner VARCHAR(40) NULL,
    lease_until DATETIME(3) NULL,
    tries TINYINT UNSIGNED NOT NULL DEFAULT 0,
    raw_hash BINARY(32) NULL,
    pages INT UNSIGNED NULL,
    KEY print_pack_waits (state, lease_until),
    KEY print_pack_by (made_by),
    KEY print_pack_content (raw_hash),
    CONSTRAINT print_pack_by_fk FOREIGN KEY (made_by) REFERENCES staff (id),
    CONSTRAINT print_pack_raw FOREIGN KEY (raw_hash) REFERENCES raw (hash)
  ) ${ENGINE}`,
  `CREATE TABLE paper_piece (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    run_id INT UNSIGNED NOT NULL,
    about VARCHAR(40) NOT NULL COMMENT 'once in each run: of a client, a person, a file or a fee note',
    client_id INT UNSIGNED NOT NULL,
    file_id INT UNSIGNED NOT NULL COMMENT 'on which it is laid',
    person_id INT UNSIGNED NULL,
    fee_note_id INT UNSIGNED NULL,
    way ENUM('email','post','both') NOT NULL,
    people LONGTEXT NOT NULL COMMENT 'JSON: to whom it goes by email',
    postal LONGTEXT NOT NULL COMMENT 'JSON: lines of its address',
    postcode VARCHAR(20) NOT NULL DEFAULT '',
    own_body LONGTEXT NULL COMMENT 'JSON: its words, where they are not those of all',
    state ENUM('waiting','made','read','held','released','dropped') NOT NULL DEFAULT 'waiting',
    lease_owner VARCHAR(40) NULL,
    lease_until DATETIME(3) NULL,
    tries TINYINT UNSIGNED NOT NULL DEFAULT 0,
    problems LONGTEXT NOT NULL COMMENT 'JSON: what stands in the way',
    remarks LONGTEXT NOT NULL COMMENT 'JSON: what is odd',
    held_why VARCHAR(300) NOT NULL DEFAULT '',
    raw_hash BINARY(32) NULL,
    pages SMALLINT UNSIGNED NULL,
    amount DECIMAL(12,2) NULL COMMENT 'what it asks for',
    facts LONGTEXT NULL COMMENT 'JSON: of its making',
    version INT UNSIGNED NOT NULL DEFAULT 1,
    released_at DATETIME(3) NULL,
    released_by INT UNSIGNED NULL,
    pack_id INT UNSIGNED NULL,
    pack_place INT UNSIGNED NULL,
    printed_at DATETIME(3) NULL COMMENT 'printed and posted',
    printed_by INT UNSIGNED NULL,
    UNIQUE KEY paper_piece_once (run_id, about),
    KEY paper_piece_waits (state, lease_until),
    KEY paper_piece_client (client_id, printed_at),
    KEY paper_piece_file (file_id, client_id, printed_at),
    KEY paper_piece_person (person_id),
    KEY paper_piece_fee_note (fee_note_id),
    KEY paper_piece_content (raw_hash),
    KEY paper_piece_pack (pack_id, pack_place),
    KEY paper_piece_to_print (state, way, printed_at),
    KEY paper_piece_released_by (released_by),
    KEY paper_piece_printed_by (printed_by),
    CONSTRAINT paper_piece_run FOREIGN KEY (run_id) REFERENCES paper_run (id) ON DELETE CASCADE,
    CONSTRAINT paper_piece_file_client FOREIGN KEY (file_id, client_id) REFERENCES file (id, client_id) ON UPDATE CASCADE,
    CONSTRAINT paper_piece_person_fk FOREIGN KEY (person_id) REFERENCES person (id) ON DELETE SET NULL,
    CONSTRAINT paper_piece_fee_note_fk FOREIGN KEY (fee_note_id) REFERENCES fee_note (id) ON DELETE SET NULL,
    CONSTRAINT paper_piece_raw FOREIGN KEY (raw_hash) REFERENCES raw (hash),
    CONSTRAINT paper_piece_pack_fk FOREIGN KEY (pack_id) REFERENCES print_pack (id) ON DELETE SET NULL,
    CONSTRAINT paper_piece_released_fk FOREIGN KEY (released_by) REFERENCES staff (id),
    CONSTRAINT paper_piece_printed_fk FOREIGN KEY (printed_by) REFERENCES staff (id)
  ) ${ENGINE}`,
  `ALTER TABLE document
    ADD COLUMN piece_id INT UNSIGNED NULL COMMENT 'made here: of which piece',
    ADD UNIQUE KEY document_of_piece (piece_id),
    ADD CONSTRAINT document_piece FOREIGN KEY (piece_id) REFERENCES paper_piece (id)`,
  `ALTER TABLE dispatch
    ADD COLUMN piece_id INT UNSIGNED NULL,
    ADD UNIQUE KEY dispatch_piece_once (piece_id),
    ADD CONSTRAINT dispatch_piece FOREIGN KEY (piece_id) REFERENCES paper_piece (id)`,
  `ALTER TABLE change_event
    MODIFY COLUMN topic ENUM('records','mail','sorting','mailings','mailboxes','filing','drafts','pending','imports','selections','timeline','doubles','documents','paperwork') NOT NULL`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
