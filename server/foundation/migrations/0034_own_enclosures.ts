import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const ENGINE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** A mailing takes each client's own documents along: which are fixed for each copy at its release. */
const STEPS = [
  `CREATE TABLE mailing_own_enclosure (
    mailing_id INT UNSIGNED NOT NULL,
    kind_id INT UNSIGNED NOT NULL COMMENT 'each client''s newest document of this kind',
    needed TINYINT(1) NOT NULL DEFAULT 1 COMMENT 'nobody gets the mailing without one',
    PRIMARY KEY (mailing_id, kind_id),
    KEY mailing_own_enclosure_kind (kind_id),
    CONSTRAINT mailing_own_enclosure_of FOREIGN KEY (mailing_id) REFERENCES mailing (id) ON DELETE CASCADE,
    CONSTRAINT mailing_own_enclosure_is FOREIGN KEY (kind_id) REFERENCES document_kind (id) ON DELETE CASCADE
  ) ${ENGINE}`,
  `CREATE TABLE dispatch_enclosure (
    dispatch_id BIGINT UNSIGNED NOT NULL,
    document_id INT UNSIGNED NOT NULL,
    PRIMARY KEY (dispatch_id, document_id),
    KEY dispatch_enclosure_document (document_id),
    CONSTRAINT dispatch_enclosure_of FOREIGN KEY (dispatch_id) REFERENCES dispatch (id) ON DELETE CASCADE,
    CONSTRAINT dispatch_enclosure_is FOREIGN KEY (document_id) REFERENCES document (id)
  ) ${ENGINE}`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
