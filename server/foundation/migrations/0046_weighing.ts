import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** What is still to be weighed has narrow tables of its own: the message's row, with all its keys, is left alone. */
const STEPS = [
  `CREATE TABLE weighing (
    message_id BIGINT UNSIGNED NOT NULL,
    stage TINYINT UNSIGNED NOT NULL COMMENT '0: settled, until history teaches something; 1: to be learned from; 2: to be decided on with all it has to do with',
    PRIMARY KEY (message_id),
    KEY weighing_stage (stage, message_id),
    CONSTRAINT weighing_message FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE
  ) COMMENT 'messages that are not settled for good'`,
  `CREATE TABLE history_taught (
    message_id BIGINT UNSIGNED NOT NULL,
    PRIMARY KEY (message_id),
    CONSTRAINT history_taught_message FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE
  ) COMMENT 'one of each batch of history that taught something, until what is open has been decided on anew'`,
  // Whether evidence still teaches the same is asked of many at once: the key alone answers.
  `ALTER TABLE lesson
    ADD COLUMN file_id INT UNSIGNED AS (JSON_VALUE(lesson, '$.files[0].id')) STORED COMMENT 'the first file it teaches of',
    ADD KEY lesson_live (message_id, id, sign, evident, file_id),
    DROP KEY lesson_message`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
  const [columns] = (await knex.raw("SHOW COLUMNS FROM message LIKE 'weigh'")) as [unknown[]];
  if (!columns.length) return;
  await knex.raw(
    'INSERT IGNORE INTO weighing SELECT id, LEAST(weigh, 2) FROM message WHERE alone = 0 OR weigh > 0',
  );
  await knex.raw('INSERT IGNORE INTO history_taught SELECT id FROM message WHERE weigh = 3');
  await apply(knex, 'ALTER TABLE message DROP KEY message_weigh, DROP COLUMN weigh, DROP COLUMN alone');
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
