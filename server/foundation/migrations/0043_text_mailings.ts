import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Text messages that a mailing or a standing order writes: how a copy fares, what lies prepared. */
const STEPS = [
  `ALTER TABLE mailing
    ADD COLUMN channel ENUM('email','text') NOT NULL DEFAULT 'email'`,
  `ALTER TABLE text_message
    ADD COLUMN dispatch_id BIGINT UNSIGNED NULL COMMENT 'the copy of a mailing that it is',
    ADD UNIQUE KEY text_message_dispatch (dispatch_id),
    ADD CONSTRAINT text_message_dispatch_fk FOREIGN KEY (dispatch_id) REFERENCES dispatch (id) ON DELETE SET NULL`,
  `ALTER TABLE text_message
    MODIFY COLUMN state ENUM('waiting','going','sent','delivered','failed','cancelled','received','prepared') NOT NULL,
    ADD COLUMN course_id INT UNSIGNED NULL COMMENT 'a standing order wrote it',
    ADD KEY text_message_course (course_id),
    ADD CONSTRAINT text_message_course_fk FOREIGN KEY (course_id) REFERENCES order_course (id) ON DELETE SET NULL`,
  `ALTER TABLE dispatch
    ADD COLUMN answered_text_id INT UNSIGNED NULL,
    ADD KEY dispatch_answered_text (answered_text_id),
    ADD CONSTRAINT dispatch_answered_text_fk FOREIGN KEY (answered_text_id) REFERENCES text_message (id) ON DELETE SET NULL`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
