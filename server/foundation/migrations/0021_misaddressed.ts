import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** With which message an enclosure came here: one of another client's is warned of before it leaves. */
export async function up(knex: Knex): Promise<void> {
  // In one statement: that a constraint is there already is told by no number of its own.
  await apply(
    knex,
    `ALTER TABLE draft_enclosure
      ADD COLUMN from_message_id BIGINT UNSIGNED NULL,
      ADD CONSTRAINT draft_enclosure_from FOREIGN KEY (from_message_id) REFERENCES message (id) ON DELETE SET NULL`,
  );
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
