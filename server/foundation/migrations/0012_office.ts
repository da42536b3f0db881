import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** An office set up from nothing: one-time links, a second step at sign-in, stages as records of their own. */
export async function up(knex: Knex): Promise<void> {
  await apply(
    knex,
    `CREATE TABLE one_time_link (
      token_hash BINARY(32) NOT NULL PRIMARY KEY,
      kind ENUM('set up','invite','reset') NOT NULL,
      staff_id INT UNSIGNED NULL COMMENT 'whose password it lets one choose; null: it lets one set the office up',
      made_at DATETIME(3) NOT NULL,
      expires_at DATETIME(3) NOT NULL,
      KEY one_time_link_expiry (expires_at),
      CONSTRAINT one_time_link_staff FOREIGN KEY (staff_id) REFERENCES staff (id) ON DELETE CASCADE
    ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  );
  await apply(
    knex,
    `CREATE TABLE recovery_code (
      staff_id INT UNSIGNED NOT NULL,
      code_hash BINARY(32) NOT NULL,
      PRIMARY KEY (staff_id, code_hash),
      CONSTRAINT recovery_code_staff FOREIGN KEY (staff_id) REFERENCES staff (id) ON DELETE CASCADE
    ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  );
  await apply(
    knex,
    `ALTER TABLE staff
      ADD COLUMN signature TEXT NOT NULL DEFAULT '' COMMENT 'lines; empty: made of name, title and telephone',
      ADD COLUMN second_step VARBINARY(255) NULL COMMENT 'the sealed secret of one-time codes; null: none is asked for',
      ADD COLUMN second_step_last BIGINT UNSIGNED NULL COMMENT 'the period of the code used last: none serves twice',
      ADD COLUMN left_at DATETIME(3) NULL`,
  );
  await apply(
    knex,
    `CREATE TABLE stage (
      id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
      name VARCHAR(60) NOT NULL,
      position SMALLINT UNSIGNED NOT NULL DEFAULT 0,
      UNIQUE KEY stage_name (name)
    ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  );
  // The last step takes the column away: one that was killed after it has nothing more to do.
  if (!(await knex.schema.hasColumn('file', 'stage'))) return;
  await apply(knex, "INSERT IGNORE INTO stage (name) SELECT DISTINCT stage FROM file WHERE stage <> ''");
  await apply(knex, 'ALTER TABLE file ADD COLUMN stage_id INT UNSIGNED NULL AFTER stage');
  await apply(knex, 'UPDATE file JOIN stage ON stage.name = file.stage SET file.stage_id = stage.id');
  await apply(knex, 'ALTER TABLE file ADD KEY file_stage (stage_id, closed)');
  await apply(
    knex,
    'ALTER TABLE file ADD CONSTRAINT file_stage_fk FOREIGN KEY (stage_id) REFERENCES stage (id)',
  );
  await apply(knex, 'ALTER TABLE file DROP COLUMN stage');
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
