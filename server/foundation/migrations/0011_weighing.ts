import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** The past is weighed as a whole: what is still to be weighed, what a person has seen and kept, what evidence taught. */
const STEPS = [
  `ALTER TABLE message
    ADD COLUMN past TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'it lay there before its mailbox was connected',
    ADD COLUMN waived TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'nobody confirmed the sender, who then was not known to be confirmed as a rule',
    ADD COLUMN weigh TINYINT UNSIGNED NOT NULL DEFAULT 0 COMMENT '1: to be learned from; 2: to be decided on with all it has to do with; 3: learned from, and everything is to be decided on anew',
    ADD COLUMN alone TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'it has to do with no other, and nothing that is learned would change where it is',
    ADD COLUMN kept_at DATETIME(3) NULL COMMENT 'a person has seen where it is and left it there',
    ADD COLUMN probability FLOAT NULL COMMENT 'how sure filing was when it filed alone',
    ADD KEY message_reason (reason, at),
    ADD KEY message_weigh (weigh, id)`,
  'ALTER TABLE lesson ADD COLUMN evident TINYINT(1) NOT NULL DEFAULT 0 AFTER sign',
  "INSERT IGNORE INTO turn (name) VALUES ('weighing')",
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
