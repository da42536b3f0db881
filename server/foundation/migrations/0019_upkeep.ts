import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const ENGINE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** What looks wrong in a record and is right, as somebody said; a change of it is looked at anew. */
const STEPS = [
  `CREATE TABLE right_as_it_is (
    gap VARCHAR(40) NOT NULL COMMENT 'what looked wrong',
    record_id INT UNSIGNED NOT NULL,
    mark VARCHAR(200) COLLATE utf8mb4_bin NOT NULL COMMENT 'what stood there',
    staff_id INT UNSIGNED NOT NULL,
    at DATETIME(3) NOT NULL,
    PRIMARY KEY (gap, record_id),
    CONSTRAINT right_as_it_is_staff FOREIGN KEY (staff_id) REFERENCES staff (id)
  ) ${ENGINE}`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
