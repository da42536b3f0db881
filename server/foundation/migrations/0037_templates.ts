import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const ENGINE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** Word-processor templates that the firm brings along, and pieces that are made of them. */
const STEPS = [
  `CREATE TABLE docx_template (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    title VARCHAR(200) NOT NULL,
    owner_id INT UNSIGNED NOT NULL,
    filename VARCHAR(255) NOT NULL,
    hash BINARY(32) NOT NULL,
    size INT UNSIGNED NOT NULL,
    fields LONGTEXT NOT NULL COMMENT 'JSON: what it wants, and what in it is left as it is',
    matching LONGTEXT NOT NULL COMMENT 'JSON: which fact stands for which field',
    version INT UNSIGNED NOT NULL DEFAULT 1,
    saved_at DATETIME(3) NOT NULL,
    gone_at DATETIME(3) NULL,
    KEY docx_template_list (gone_at, title),
    KEY docx_template_owner (owner_id),
    KEY docx_template_content (hash),
    CONSTRAINT docx_template_owner_fk FOREIGN KEY (owner_id) REFERENCES staff (id),
    CONSTRAINT docx_template_raw FOREIGN KEY (hash) REFERENCES raw (hash)
  ) ${ENGINE}`,
  `ALTER TABLE paper_run
    ADD COLUMN template_id INT UNSIGNED NULL COMMENT 'its words are those of a word-processor template',
    ADD COLUMN template_hash BINARY(32) NULL COMMENT 'as it was when the pieces were laid on the desk',
    ADD COLUMN template_matching LONGTEXT NULL COMMENT 'JSON',
    ADD COLUMN carries ENUM('pdf','docx') NOT NULL DEFAULT 'pdf' COMMENT 'what an email has enclosed',
    ADD KEY paper_run_template (template_id),
    ADD KEY paper_run_template_content (template_hash),
    ADD CONSTRAINT paper_run_template_fk FOREIGN KEY (template_id) REFERENCES docx_template (id),
    ADD CONSTRAINT paper_run_template_raw FOREIGN KEY (template_hash) REFERENCES raw (hash)`,
  `ALTER TABLE paper_piece
    ADD COLUMN docx_hash BINARY(32) NULL COMMENT 'the document it was printed from; raw_hash is the same where it could not be',
    ADD COLUMN own_docx BINARY(32) NULL COMMENT 'changed by hand, in the place of what is made',
    ADD KEY paper_piece_docx (docx_hash),
    ADD KEY paper_piece_own_docx (own_docx),
    ADD CONSTRAINT paper_piece_docx_raw FOREIGN KEY (docx_hash) REFERENCES raw (hash),
    ADD CONSTRAINT paper_piece_own_docx_raw FOREIGN KEY (own_docx) REFERENCES raw (hash)`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
