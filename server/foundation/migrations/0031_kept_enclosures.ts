import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Enclosures kept in the cupboard with their versions, mailings to colleagues, and who is at a mailing now. */
const STEPS = [
  `ALTER TABLE wording
    MODIFY COLUMN kind ENUM('template','paragraph','note','article','enclosure') NOT NULL,
    ADD COLUMN filename VARCHAR(255) NULL COMMENT 'of an enclosure',
    ADD COLUMN mime_type VARCHAR(120) NULL COMMENT 'of an enclosure',
    ADD COLUMN hash BINARY(32) NULL COMMENT 'of an enclosure: its content',
    ADD KEY wording_content (hash),
    ADD CONSTRAINT wording_raw FOREIGN KEY (hash) REFERENCES raw (hash)`,
  `ALTER TABLE wording_version
    ADD COLUMN filename VARCHAR(255) NULL COMMENT 'of an enclosure',
    ADD COLUMN mime_type VARCHAR(120) NULL COMMENT 'of an enclosure',
    ADD COLUMN hash BINARY(32) NULL COMMENT 'of an enclosure: its content',
    ADD KEY wording_version_content (hash),
    ADD CONSTRAINT wording_version_raw FOREIGN KEY (hash) REFERENCES raw (hash)`,
  `CREATE TABLE wording_enclosure (
    wording_id INT UNSIGNED NOT NULL COMMENT 'the template that it goes with',
    enclosure_id INT UNSIGNED NOT NULL,
    PRIMARY KEY (wording_id, enclosure_id),
    KEY wording_enclosure_what (enclosure_id),
    CONSTRAINT wording_enclosure_with FOREIGN KEY (wording_id) REFERENCES wording (id) ON DELETE CASCADE,
    CONSTRAINT wording_enclosure_is FOREIGN KEY (enclosure_id) REFERENCES wording (id) ON DELETE CASCADE
  ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  `ALTER TABLE mailing_enclosure
    ADD COLUMN wording_id INT UNSIGNED NULL COMMENT 'the kept enclosure that it is',
    ADD KEY mailing_enclosure_wording (wording_id),
    ADD CONSTRAINT mailing_enclosure_kept FOREIGN KEY (wording_id) REFERENCES wording (id) ON DELETE SET NULL`,
  `ALTER TABLE mailing ADD COLUMN colleagues LONGTEXT NULL
    COMMENT 'JSON: all, or of whom; null: it goes to those of its selection' AFTER roles`,
  `ALTER TABLE dispatch
    ADD COLUMN staff_id INT UNSIGNED NULL COMMENT 'the colleague whose copy it is' AFTER person_id,
    ADD UNIQUE KEY dispatch_colleague_once (mailing_id, staff_id),
    ADD KEY dispatch_colleague (staff_id),
    ADD CONSTRAINT dispatch_staff FOREIGN KEY (staff_id) REFERENCES staff (id)`,
  `CREATE TABLE mailing_presence (
    mailing_id INT UNSIGNED NOT NULL,
    staff_id INT UNSIGNED NOT NULL,
    step VARCHAR(20) NOT NULL,
    seen_at DATETIME(3) NOT NULL,
    PRIMARY KEY (mailing_id, staff_id),
    KEY mailing_presence_staff (staff_id),
    CONSTRAINT mailing_presence_at FOREIGN KEY (mailing_id) REFERENCES mailing (id) ON DELETE CASCADE,
    CONSTRAINT mailing_presence_who FOREIGN KEY (staff_id) REFERENCES staff (id) ON DELETE CASCADE
  ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
