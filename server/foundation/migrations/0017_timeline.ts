import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const ENGINE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** Notes, calls and meetings are one timeline; who took part in each, and whom it tells. */
const STEPS = [
  `CREATE TABLE timeline (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    kind ENUM('note','call','meeting') NOT NULL,
    state ENUM('planned','done','off') NOT NULL DEFAULT 'done',
    client_id INT UNSIGNED NOT NULL COMMENT 'whose file it is',
    file_id INT UNSIGNED NOT NULL,
    message_id BIGINT UNSIGNED NULL COMMENT 'what it is about, or came by',
    staff_id INT UNSIGNED NOT NULL COMMENT 'who wrote it',
    at DATETIME(3) NOT NULL COMMENT 'when it took place, or is to',
    ends_at DATETIME(3) NULL,
    place VARCHAR(200) NOT NULL DEFAULT '',
    words TEXT NOT NULL,
    outcome TEXT NOT NULL DEFAULT '',
    remind_at DATETIME(3) NULL,
    remind_id INT UNSIGNED NULL COMMENT 'whom; null: nobody any more',
    uid VARCHAR(255) NULL COMMENT 'of the invitation it came by',
    sequence INT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'how often it has been moved since, as calendars count',
    gone_at DATETIME(3) NULL COMMENT 'taken away',
    KEY timeline_client (client_id, kind, at),
    KEY timeline_file (file_id, at),
    KEY timeline_message (message_id),
    KEY timeline_planned (state, at),
    KEY timeline_reminder (remind_id, remind_at),
    KEY timeline_uid (uid),
    CONSTRAINT timeline_file_client FOREIGN KEY (file_id, client_id) REFERENCES file (id, client_id) ON UPDATE CASCADE,
    CONSTRAINT timeline_message FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE SET NULL,
    CONSTRAINT timeline_staff FOREIGN KEY (staff_id) REFERENCES staff (id),
    CONSTRAINT timeline_reminded FOREIGN KEY (remind_id) REFERENCES staff (id)
  ) ${ENGINE}`,
  `CREATE TABLE timeline_person (
    timeline_id INT UNSIGNED NOT NULL,
    person_id INT UNSIGNED NOT NULL,
    PRIMARY KEY (timeline_id, person_id),
    KEY timeline_of_person (person_id, timeline_id),
    CONSTRAINT timeline_person_entry FOREIGN KEY (timeline_id) REFERENCES timeline (id) ON DELETE CASCADE,
    CONSTRAINT timeline_person_fk FOREIGN KEY (person_id) REFERENCES person (id)
  ) ${ENGINE}`,
  `CREATE TABLE timeline_staff (
    timeline_id INT UNSIGNED NOT NULL,
    staff_id INT UNSIGNED NOT NULL,
    tie ENUM('took part','told') NOT NULL,
    seen_at DATETIME(3) NULL COMMENT 'of one who is told: settled',
    PRIMARY KEY (timeline_id, staff_id, tie),
    KEY timeline_of_staff (staff_id, tie, seen_at, timeline_id),
    CONSTRAINT timeline_staff_entry FOREIGN KEY (timeline_id) REFERENCES timeline (id) ON DELETE CASCADE,
    CONSTRAINT timeline_staff_fk FOREIGN KEY (staff_id) REFERENCES staff (id)
  ) ${ENGINE}`,
  `ALTER TABLE wording MODIFY COLUMN kind ENUM('template','paragraph','note') NOT NULL`,
  `ALTER TABLE change_event
    MODIFY COLUMN topic ENUM('records','mail','sorting','mailings','mailboxes','filing','drafts','pending','imports','selections','timeline') NOT NULL`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
  // Taken away last: one that was killed after it has nothing more to do.
  if (!(await knex.schema.hasTable('note'))) return;
  await knex.raw(
    `INSERT IGNORE INTO timeline (id, kind, client_id, file_id, message_id, staff_id, at, words)
      SELECT note.id, 'note', file.client_id, note.file_id, note.message_id, note.staff_id, note.at, note.words
      FROM note JOIN file ON file.id = note.file_id`,
  );
  await apply(knex, 'DROP TABLE note');
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
