import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Selections become records of their own; each mailing has one. */
export async function up(knex: Knex): Promise<void> {
  await apply(
    knex,
    `CREATE TABLE selection (
      id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
      name VARCHAR(120) NULL COMMENT 'null: kept with what it was made for',
      owner_id INT UNSIGNED NOT NULL,
      tree LONGTEXT NOT NULL COMMENT 'JSON: the criteria, with their version',
      saved_at DATETIME(3) NOT NULL,
      CONSTRAINT selection_owner FOREIGN KEY (owner_id) REFERENCES staff (id)
    ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  );
  // The last step takes the column away: one that was killed after it has nothing more to do.
  if (!(await knex.schema.hasColumn('mailing', 'selection'))) return;
  await apply(
    knex,
    'INSERT IGNORE INTO selection (id, owner_id, tree, saved_at) SELECT id, owner_id, selection, saved_at FROM mailing',
  );
  await apply(knex, 'ALTER TABLE mailing ADD COLUMN selection_id INT UNSIGNED NULL AFTER owner_id');
  await apply(knex, 'UPDATE mailing SET selection_id = id WHERE selection_id IS NULL');
  await apply(knex, 'ALTER TABLE mailing MODIFY selection_id INT UNSIGNED NOT NULL');
  await apply(
    knex,
    'ALTER TABLE mailing ADD CONSTRAINT mailing_selection FOREIGN KEY (selection_id) REFERENCES selection (id)',
  );
  await apply(knex, 'ALTER TABLE mailing DROP COLUMN selection');
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
