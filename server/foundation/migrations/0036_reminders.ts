import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const ENGINE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** Reminders of what is overdue: each step of each fee note once, prepared once a day by whoever comes first. */
const STEPS = [
  `ALTER TABLE paper_run
    MODIFY COLUMN kind ENUM('letter','fee note','statement','reminder') NOT NULL,
    ADD COLUMN tone ENUM('friendly','plain','firm') NULL COMMENT 'of reminders' AFTER kind,
    ADD COLUMN released_for INT UNSIGNED NULL COMMENT 'it goes by itself once it is made: who allowed that',
    ADD KEY paper_run_tone (tone, id),
    ADD KEY paper_run_released_for (released_for),
    ADD CONSTRAINT paper_run_released_for_fk FOREIGN KEY (released_for) REFERENCES staff (id)`,
  `ALTER TABLE paper_piece
    ADD COLUMN steps LONGTEXT NULL COMMENT 'JSON: of which fee notes it is which reminder'`,
  `ALTER TABLE client
    ADD COLUMN reminding LONGTEXT NULL COMMENT 'JSON: reminders off, or other numbers than the firm''s'`,
  `ALTER TABLE fee_note
    ADD COLUMN reminding LONGTEXT NULL COMMENT 'JSON: reminders off, or other numbers than its client''s',
    ADD COLUMN heard_step SMALLINT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'answers to reminders up to this one were seen to',
    ADD KEY fee_note_over (paid_on, due_on)`,
  `CREATE TABLE reminder_step (
    fee_note_id INT UNSIGNED NOT NULL,
    step SMALLINT UNSIGNED NOT NULL COMMENT 'the first is 1',
    piece_id INT UNSIGNED NOT NULL,
    day DATE NOT NULL,
    PRIMARY KEY (fee_note_id, step),
    KEY reminder_step_piece (piece_id),
    CONSTRAINT reminder_step_note FOREIGN KEY (fee_note_id) REFERENCES fee_note (id) ON DELETE CASCADE,
    CONSTRAINT reminder_step_piece_fk FOREIGN KEY (piece_id) REFERENCES paper_piece (id)
  ) ${ENGINE}`,
  `CREATE TABLE reminder_day (
    day DATE NOT NULL PRIMARY KEY COMMENT 'in the firm''s zone',
    lease_owner VARCHAR(40) NULL,
    lease_until DATETIME(3) NULL,
    done_at DATETIME(3) NULL COMMENT 'they were prepared by themselves'
  ) ${ENGINE}`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
