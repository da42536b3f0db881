import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** What keeps hostile mail from stopping anything, and from falsifying the record. */
const ALTERATIONS = [
  // Read once, in a thread; screens and filing look at what was kept.
  `ALTER TABLE raw ADD COLUMN reading MEDIUMBLOB NULL COMMENT 'what was read of it, compressed; null: to be read when wanted'`,
  `ALTER TABLE message
    ADD COLUMN family BINARY(32) NULL COMMENT 'hash of Message-ID, sender and Date, which different messages may share' AFTER identity,
    ADD COLUMN body_key BINARY(32) NULL COMMENT 'hash of all below the headers' AFTER raw_hash,
    ADD COLUMN problem VARCHAR(300) NULL COMMENT 'why it could not be read',
    ADD COLUMN confirmation ENUM('confirmed','failed','absent','untold') NULL COMMENT 'whether the receiving server confirmed the sender; null: ours, or taken in before that was asked',
    ADD KEY message_family (family),
    ADD KEY message_problem (problem(20), at)`,
  'UPDATE message SET family = identity',
  'ALTER TABLE message MODIFY family BINARY(32) NOT NULL',
  // 0: its own identifier; 1: the nearest it names, and so on.
  `ALTER TABLE message_link ADD COLUMN place TINYINT UNSIGNED NOT NULL DEFAULT 1`,
  `UPDATE message_link JOIN message ON message.id = message_link.message_id AND message.message_key = message_link.link_key SET place = 0`,
  // Addresses that differ by an accent are two: the keys compare as the program does.
  `ALTER TABLE message_party DROP KEY message_party_domain, DROP COLUMN domain`,
  `ALTER TABLE message_party MODIFY email_key VARCHAR(254) COLLATE utf8mb4_bin NOT NULL`,
  `ALTER TABLE message_party
    ADD COLUMN domain VARCHAR(254) COLLATE utf8mb4_bin AS (SUBSTRING_INDEX(email_key, '@', -1)) STORED,
    ADD KEY message_party_domain (domain, message_id)`,
  `ALTER TABLE address MODIFY email_key VARCHAR(254) COLLATE utf8mb4_bin NOT NULL`,
  `ALTER TABLE opt_out MODIFY email_key VARCHAR(254) COLLATE utf8mb4_bin NOT NULL`,
  `ALTER TABLE wording
    ADD COLUMN staff_id INT UNSIGNED NULL COMMENT 'who keeps it; null: the firm',
    ADD CONSTRAINT wording_staff FOREIGN KEY (staff_id) REFERENCES staff (id)`,
  `ALTER TABLE mailbox
    ADD COLUMN checks_silently TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'its server lets in only mail it has checked, though it does not say so'`,
];

const TABLES = [
  // Names under which servers wrote into a mailbox's mail whether the sender could be confirmed.
  `CREATE TABLE mailbox_server (
    mailbox_id INT UNSIGNED NOT NULL,
    name VARCHAR(255) COLLATE utf8mb4_bin NOT NULL,
    seen INT UNSIGNED NOT NULL DEFAULT 0,
    believed TINYINT(1) NOT NULL DEFAULT 0,
    believed_since DATETIME(3) NULL,
    believed_by INT UNSIGNED NULL COMMENT 'null: learned from a message of our own that came back',
    PRIMARY KEY (mailbox_id, name),
    KEY mailbox_server_seen (mailbox_id, seen),
    CONSTRAINT mailbox_server_mailbox FOREIGN KEY (mailbox_id) REFERENCES mailbox (id) ON DELETE CASCADE,
    CONSTRAINT mailbox_server_staff FOREIGN KEY (believed_by) REFERENCES staff (id)
  )`,
  // How often mail of a domain was confirmed, so that what is not stands out.
  `CREATE TABLE sender_domain (
    domain VARCHAR(254) COLLATE utf8mb4_bin NOT NULL PRIMARY KEY,
    confirmed INT UNSIGNED NOT NULL DEFAULT 0,
    others INT UNSIGNED NOT NULL DEFAULT 0
  )`,
  // What delivery reports say of what we sent; a rush of them waits for a person.
  `CREATE TABLE return_report (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    message_id BIGINT UNSIGNED NOT NULL COMMENT 'the report',
    about_id BIGINT UNSIGNED NULL COMMENT 'the message that came back',
    dispatch_id BIGINT UNSIGNED NULL,
    email_key VARCHAR(254) COLLATE utf8mb4_bin NOT NULL,
    email VARCHAR(254) NOT NULL,
    kind ENUM('hard','soft') NOT NULL,
    why VARCHAR(255) NOT NULL,
    at DATETIME(3) NOT NULL,
    noted_at DATETIME(3) NOT NULL,
    state ENUM('noted','held','applied','dismissed') NOT NULL,
    settled_by INT UNSIGNED NULL,
    UNIQUE KEY return_report_once (message_id, email_key),
    KEY return_report_state (state, noted_at),
    CONSTRAINT return_report_message FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE,
    CONSTRAINT return_report_about FOREIGN KEY (about_id) REFERENCES message (id) ON DELETE SET NULL,
    CONSTRAINT return_report_dispatch FOREIGN KEY (dispatch_id) REFERENCES dispatch (id) ON DELETE CASCADE,
    CONSTRAINT return_report_staff FOREIGN KEY (settled_by) REFERENCES staff (id)
  )`,
  // Tries that are limited, whichever process saw them: signing in, reaching mail servers.
  `CREATE TABLE attempt (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    what VARCHAR(30) NOT NULL,
    who VARCHAR(254) COLLATE utf8mb4_bin NOT NULL,
    at DATETIME(3) NOT NULL,
    KEY attempt_who (what, who, at),
    KEY attempt_at (at)
  )`,
];

export async function up(knex: Knex): Promise<void> {
  for (const alteration of ALTERATIONS) await apply(knex, alteration);
  for (const table of TABLES)
    await apply(knex, `${table} ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
