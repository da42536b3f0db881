import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Conversations of people nobody knows are settled like single messages: what the mark means now. */
const STEPS = [
  `ALTER TABLE message
    MODIFY COLUMN alone TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'nothing that evidence teaches would change where it is, as long as no other message has to do with it'`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
