import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Messages that follow a mailing, each some days behind the one before, to those who have not left meanwhile. */
const STEPS = [
  `ALTER TABLE mailing
    ADD COLUMN head_id INT UNSIGNED NULL COMMENT 'the first of its series; null for what is none, or the first itself' AFTER id,
    ADD COLUMN step SMALLINT UNSIGNED NOT NULL DEFAULT 1 COMMENT 'in its series' AFTER head_id,
    ADD COLUMN wait_days SMALLINT UNSIGNED NULL COMMENT 'after the message before' AFTER step,
    ADD COLUMN advanced_at DATETIME(3) NULL COMMENT 'when people last moved on to it' AFTER finished_at,
    ADD UNIQUE KEY mailing_step (head_id, step),
    ADD CONSTRAINT mailing_head FOREIGN KEY (head_id) REFERENCES mailing (id) ON DELETE CASCADE`,
  `ALTER TABLE mailing_left_out
    ADD COLUMN person_id INT UNSIGNED NULL COMMENT 'who left a series, rather than a client at release' AFTER client_id,
    ADD COLUMN at DATETIME(3) NULL AFTER detail,
    ADD UNIQUE KEY mailing_left_out_person (mailing_id, client_id, person_id),
    ADD CONSTRAINT mailing_left_out_whom FOREIGN KEY (person_id) REFERENCES person (id) ON DELETE CASCADE`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
