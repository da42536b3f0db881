import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** What keeping in step with any server wants to know of folders, copies and changes under way. */
const ALTERATIONS = [
  // Names as the server has them: blanks at the end count, and they may be long. A key takes 3,072 bytes at most.
  'ALTER TABLE folder ADD KEY folder_of (mailbox_id)',
  'ALTER TABLE folder DROP KEY folder_path',
  'ALTER TABLE folder MODIFY path VARCHAR(2000) CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin NOT NULL',
  'ALTER TABLE folder ADD COLUMN path_hash BINARY(32) AS (UNHEX(SHA2(path, 256))) STORED',
  'ALTER TABLE folder ADD UNIQUE KEY folder_name (mailbox_id, path_hash)',
  'ALTER TABLE folder DROP KEY folder_of',
  "ALTER TABLE folder ADD COLUMN closed ENUM('personal','refused') NULL COMMENT 'not read though not by choice: bears a name kept for personal mail, or the server does not open it'",
  "ALTER TABLE message_copy ADD COLUMN size INT UNSIGNED NULL COMMENT 'bytes on the server; null: taken in before that was noted'",
  'UPDATE message_copy JOIN message ON message.id = message_copy.message_id SET message_copy.at = message.at WHERE message_copy.at <> message.at',
  // Whoever changes what copies say of a message writes here first: a lock that several database nodes know of.
  'ALTER TABLE message ADD COLUMN turn INT UNSIGNED NOT NULL DEFAULT 0',
  "ALTER TABLE mail_change ADD COLUMN version INT UNSIGNED NOT NULL DEFAULT 1 COMMENT 'counts how often what is wanted was changed'",
  "ALTER TABLE mail_change ADD COLUMN going_to_id INT UNSIGNED NULL COMMENT 'the folder the server was last told to move it to'",
  "ALTER TABLE mail_change ADD COLUMN going_uid BIGINT UNSIGNED NULL COMMENT 'it would have this UID there, or a greater one'",
  'ALTER TABLE mail_change ADD CONSTRAINT mail_change_going FOREIGN KEY (going_to_id) REFERENCES folder (id) ON DELETE SET NULL',
  "ALTER TABLE dispatch ADD COLUMN sent_uid BIGINT UNSIGNED NULL COMMENT 'of the copy that we laid into Sent ourselves'",
];

/** What was asked of a mailbox's server and could not be done, in words, until somebody has seen it. */
const UNDONE = `CREATE TABLE mail_undone (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  mailbox_id INT UNSIGNED NOT NULL,
  message_id BIGINT UNSIGNED NULL,
  staff_id INT UNSIGNED NULL COMMENT 'whose wish it was; null: ours',
  what VARCHAR(120) NOT NULL,
  why VARCHAR(300) NOT NULL,
  at DATETIME(3) NOT NULL,
  seen_at DATETIME(3) NULL,
  KEY mail_undone_mailbox (mailbox_id),
  KEY mail_undone_told (staff_id, seen_at, id),
  CONSTRAINT mail_undone_mailbox_fk FOREIGN KEY (mailbox_id) REFERENCES mailbox (id) ON DELETE CASCADE,
  CONSTRAINT mail_undone_message FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE,
  CONSTRAINT mail_undone_staff FOREIGN KEY (staff_id) REFERENCES staff (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`;

export async function up(knex: Knex): Promise<void> {
  for (const alteration of ALTERATIONS) await apply(knex, alteration);
  await apply(knex, UNDONE);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
