import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Articles in the cupboard, and mailings in the firm's frame. */
const STEPS = [
  `ALTER TABLE wording MODIFY COLUMN kind ENUM('template','paragraph','note','article') NOT NULL`,
  `ALTER TABLE mailing ADD COLUMN framed TINYINT(1) NOT NULL DEFAULT 0
    COMMENT 'stands in the frame of the firm' AFTER plain`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
