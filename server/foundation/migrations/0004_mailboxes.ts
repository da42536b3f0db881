import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Mailboxes in step both ways, the Mail screen, and messages written here. */
const ALTERATIONS = [
  `ALTER TABLE mailbox
    ADD COLUMN name VARCHAR(120) NOT NULL DEFAULT '' COMMENT 'as it is called in lists' AFTER address,
    ADD COLUMN imap_security ENUM('tls','starttls','none') NOT NULL DEFAULT 'tls' AFTER imap_port,
    ADD COLUMN smtp_security ENUM('tls','starttls','none') NOT NULL DEFAULT 'tls' AFTER smtp_port,
    ADD COLUMN shared TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'an office address, nobody''s own',
    ADD COLUMN take_from DATE NULL COMMENT 'older mail is not taken in',
    ADD COLUMN verified_at DATETIME(3) NULL COMMENT 'a test message came back then',
    ADD COLUMN paused_at DATETIME(3) NULL,
    ADD COLUMN disconnected_at DATETIME(3) NULL COMMENT 'kept for what was sent from it',
    ADD COLUMN needs_person TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'the problem does not mend itself',
    ADD COLUMN filling_since DATETIME(3) NULL,
    ADD COLUMN filled INT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'messages of history looked at since then'`,
  `UPDATE mailbox SET
    imap_security = IF(secure, 'tls', 'none'),
    smtp_security = IF(secure, IF(smtp_port = 465, 'tls', 'starttls'), 'none'),
    verified_at = in_step_at,
    name = (SELECT name FROM staff WHERE staff.id = staff_id)`,
  'ALTER TABLE mailbox DROP COLUMN secure',
  `CREATE TABLE mailbox_colleague (
    mailbox_id INT UNSIGNED NOT NULL,
    staff_id INT UNSIGNED NOT NULL,
    may ENUM('read','write') NOT NULL,
    PRIMARY KEY (mailbox_id, staff_id),
    KEY mailbox_colleague_staff (staff_id),
    CONSTRAINT mailbox_colleague_mailbox FOREIGN KEY (mailbox_id) REFERENCES mailbox (id) ON DELETE CASCADE,
    CONSTRAINT mailbox_colleague_staff_fk FOREIGN KEY (staff_id) REFERENCES staff (id)
  )`,
  `ALTER TABLE folder
    ADD COLUMN skipped TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'never read, by choice',
    ADD COLUMN checked_at DATETIME(3) NULL COMMENT 'when every message of it was last compared'`,
  `ALTER TABLE message_copy
    ADD COLUMN at DATETIME(3) NOT NULL DEFAULT '1970-01-01' COMMENT 'of the message, for lists',
    ADD COLUMN flagged TINYINT(1) NOT NULL DEFAULT 0,
    ADD COLUMN shown_in INT UNSIGNED NULL COMMENT 'the folder it is shown in: another one while a move is on its way; null when thrown away for good'`,
  `UPDATE message_copy JOIN message ON message.id = message_copy.message_id
    SET message_copy.at = message.at, shown_in = folder_id`,
  `ALTER TABLE message_copy
    ADD KEY message_copy_shown (shown_in, at, message_id),
    ADD CONSTRAINT message_copy_shown_fk FOREIGN KEY (shown_in) REFERENCES folder (id) ON DELETE SET NULL`,
  // What people did to copies here and the mailbox does not know yet. One wish a copy and kind: the newest counts.
  `CREATE TABLE mail_change (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    mailbox_id INT UNSIGNED NOT NULL,
    folder_id INT UNSIGNED NOT NULL,
    uid BIGINT UNSIGNED NOT NULL,
    kind ENUM('seen','flagged','answered','move') NOT NULL,
    value TINYINT(1) NULL COMMENT 'for flags',
    to_folder_id INT UNSIGNED NULL COMMENT 'for moves; null: gone for good',
    staff_id INT UNSIGNED NULL,
    at DATETIME(3) NOT NULL,
    tries SMALLINT UNSIGNED NOT NULL DEFAULT 0,
    UNIQUE KEY mail_change_once (folder_id, uid, kind),
    KEY mail_change_mailbox (mailbox_id, id),
    CONSTRAINT mail_change_mailbox_fk FOREIGN KEY (mailbox_id) REFERENCES mailbox (id) ON DELETE CASCADE,
    CONSTRAINT mail_change_folder FOREIGN KEY (folder_id) REFERENCES folder (id) ON DELETE CASCADE,
    CONSTRAINT mail_change_to FOREIGN KEY (to_folder_id) REFERENCES folder (id) ON DELETE CASCADE,
    CONSTRAINT mail_change_staff FOREIGN KEY (staff_id) REFERENCES staff (id)
  )`,
  // Sources lie in the order they came: by their hashes each would go to another place of a large table.
  `ALTER TABLE raw
    ADD UNIQUE KEY raw_hash (hash),
    DROP PRIMARY KEY,
    ADD COLUMN id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY FIRST`,
  // A packed source of many megabytes goes in pieces, since a server takes statements of so many bytes only.
  `CREATE TABLE raw_piece (
    hash BINARY(32) NOT NULL,
    position SMALLINT UNSIGNED NOT NULL,
    packed LONGBLOB NOT NULL,
    PRIMARY KEY (hash, position),
    CONSTRAINT raw_piece_raw FOREIGN KEY (hash) REFERENCES raw (hash) ON DELETE CASCADE
  )`,
  // Words hang on the source, not on the record, so that they can be written before the record's turn comes.
  `CREATE TABLE raw_words (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    hash BINARY(32) NOT NULL,
    words MEDIUMTEXT NOT NULL COMMENT 'people, subject, text and names of enclosures, for search',
    UNIQUE KEY raw_words_hash (hash),
    FULLTEXT KEY raw_words_words (words),
    CONSTRAINT raw_words_raw FOREIGN KEY (hash) REFERENCES raw (hash) ON DELETE CASCADE
  )`,
  // A message being written here, waiting to leave, or sent from here.
  `CREATE TABLE draft (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    staff_id INT UNSIGNED NOT NULL,
    mailbox_id INT UNSIGNED NULL COMMENT 'the mailbox it is from',
    state ENUM('draft','waiting','sent','thrown') NOT NULL DEFAULT 'draft',
    how ENUM('new','reply','all','forward') NOT NULL DEFAULT 'new',
    about_id BIGINT UNSIGNED NULL COMMENT 'the message it answers or hands on',
    message_id VARCHAR(200) COLLATE utf8mb4_bin NOT NULL COMMENT 'fixed at the beginning',
    people LONGTEXT NOT NULL COMMENT 'JSON: to, cc, bcc',
    subject VARCHAR(500) NOT NULL DEFAULT '',
    body LONGTEXT NOT NULL COMMENT 'JSON: the editor''s tree',
    plain TINYINT(1) NOT NULL DEFAULT 0,
    quoted LONGTEXT NOT NULL COMMENT 'what stands below, from the message it is about',
    file_ids VARCHAR(500) NOT NULL DEFAULT '[]' COMMENT 'JSON: files it will be logged on',
    version INT UNSIGNED NOT NULL DEFAULT 1,
    saved_at DATETIME(3) NOT NULL,
    send_at DATETIME(3) NULL COMMENT 'when it is to leave, once released',
    mirrored INT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'the version that lies in the mailbox''s Drafts; 0: none',
    mirrored_in INT UNSIGNED NULL COMMENT 'the mailbox whose Drafts hold it',
    KEY draft_staff (staff_id, state, saved_at),
    KEY draft_mirror (mailbox_id, state),
    KEY draft_mirrored (mirrored_in),
    UNIQUE KEY draft_message_id (message_id),
    CONSTRAINT draft_staff_fk FOREIGN KEY (staff_id) REFERENCES staff (id),
    CONSTRAINT draft_mailbox FOREIGN KEY (mailbox_id) REFERENCES mailbox (id) ON DELETE SET NULL,
    CONSTRAINT draft_mirrored_fk FOREIGN KEY (mirrored_in) REFERENCES mailbox (id) ON DELETE SET NULL,
    CONSTRAINT draft_about FOREIGN KEY (about_id) REFERENCES message (id) ON DELETE SET NULL
  )`,
  `CREATE TABLE draft_enclosure (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    draft_id INT UNSIGNED NOT NULL,
    filename VARCHAR(255) NOT NULL,
    mime_type VARCHAR(120) NOT NULL,
    hash BINARY(32) NOT NULL,
    KEY draft_enclosure_draft (draft_id),
    CONSTRAINT draft_enclosure_draft_fk FOREIGN KEY (draft_id) REFERENCES draft (id) ON DELETE CASCADE,
    CONSTRAINT draft_enclosure_raw FOREIGN KEY (hash) REFERENCES raw (hash)
  )`,
  // Stock paragraphs and templates for single messages.
  `CREATE TABLE wording (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    kind ENUM('template','paragraph') NOT NULL,
    name VARCHAR(120) NOT NULL,
    subject VARCHAR(500) NOT NULL DEFAULT '',
    body LONGTEXT NOT NULL COMMENT 'JSON: the editor''s tree, with merge fields',
    UNIQUE KEY wording_name (kind, name)
  )`,
  // What is dispatched is a mailing's message to one client, or one written message to all on its envelope.
  `ALTER TABLE dispatch
    MODIFY mailing_id INT UNSIGNED NULL,
    MODIFY client_id INT UNSIGNED NULL,
    MODIFY person_id INT UNSIGNED NULL,
    MODIFY file_id INT UNSIGNED NULL,
    ADD COLUMN draft_id INT UNSIGNED NULL AFTER mailing_id,
    ADD COLUMN refused VARCHAR(500) NULL COMMENT 'addresses of the envelope that were refused while others were taken',
    ADD UNIQUE KEY dispatch_draft (draft_id),
    ADD CONSTRAINT dispatch_draft_fk FOREIGN KEY (draft_id) REFERENCES draft (id)`,
  `ALTER TABLE message
    ADD COLUMN unread TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'unread in one of its mailboxes at least',
    ADD COLUMN starred TINYINT(1) NOT NULL DEFAULT 0,
    ADD COLUMN asks TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'leaves its readers something to answer',
    ADD COLUMN waits ENUM('we','they') NULL COMMENT 'the last word of its conversation: who owes an answer',
    ADD COLUMN differs VARCHAR(300) NULL COMMENT 'what is different in the copy that lies in Sent',
    ADD COLUMN handler_id INT UNSIGNED NULL COMMENT 'who deals with it, where several read one mailbox',
    ADD CONSTRAINT message_handler FOREIGN KEY (handler_id) REFERENCES staff (id),
    ADD KEY message_unread (unread, at),
    ADD KEY message_starred (starred, at),
    ADD KEY message_waits (waits, at)`,
];

export async function up(knex: Knex): Promise<void> {
  for (const alteration of ALTERATIONS) {
    const made = alteration.startsWith('CREATE')
      ? `${alteration} ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`
      : alteration;
    await apply(knex, made);
  }
  await knex.raw(
    `UPDATE message JOIN (SELECT DISTINCT message_id FROM message_copy WHERE seen = 0) AS unseen
      ON unseen.message_id = message.id SET unread = 1`,
  );
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
