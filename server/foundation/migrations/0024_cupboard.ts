import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Wordings with what they are for, whose they are, and what they were before. */
const STEPS = [
  'ALTER TABLE wording MODIFY subject LONGTEXT NOT NULL',
  // A subject may have facts in it, as the text below it.
  `UPDATE wording SET subject = '{"type":"doc","content":[{"type":"paragraph"}]}' WHERE subject = ''`,
  `UPDATE wording SET subject = JSON_OBJECT('type', 'doc', 'content', JSON_ARRAY(JSON_OBJECT('type', 'paragraph',
      'content', JSON_ARRAY(JSON_OBJECT('type', 'text', 'text', subject)))))
    WHERE subject NOT LIKE '{"type": "doc"%' AND subject NOT LIKE '{"type":"doc"%'`,
  `ALTER TABLE wording
    ADD COLUMN description VARCHAR(300) NOT NULL DEFAULT '' AFTER name,
    ADD COLUMN own TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'for its keeper alone; else for everybody',
    ADD COLUMN letters VARCHAR(20) COLLATE utf8mb4_bin NOT NULL DEFAULT '' COMMENT 'that put it in where one writes',
    ADD COLUMN occasion ENUM('file opened','document shared','fee note sent','answer owed','client welcomed','client leaving') NULL
      COMMENT 'that it serves by default',
    ADD COLUMN version INT UNSIGNED NOT NULL DEFAULT 1,
    ADD COLUMN changed_at DATETIME(3) NULL,
    ADD UNIQUE KEY wording_occasion (occasion)`,
  `CREATE TABLE wording_version (
    wording_id INT UNSIGNED NOT NULL,
    version INT UNSIGNED NOT NULL,
    name VARCHAR(120) NOT NULL,
    subject LONGTEXT NOT NULL COMMENT 'JSON',
    body LONGTEXT NOT NULL COMMENT 'JSON',
    changed_at DATETIME(3) NOT NULL COMMENT 'when another took its place',
    changed_by INT UNSIGNED NULL,
    PRIMARY KEY (wording_id, version),
    CONSTRAINT wording_version_of FOREIGN KEY (wording_id) REFERENCES wording (id) ON DELETE CASCADE,
    CONSTRAINT wording_version_by FOREIGN KEY (changed_by) REFERENCES staff (id)
  ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
