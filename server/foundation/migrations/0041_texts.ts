import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const ENGINE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** Text messages: the gateway they go through, who may be sent them, and what went and came. */
const STEPS = [
  `CREATE TABLE text_gateway (
    one TINYINT NOT NULL PRIMARY KEY,
    url VARCHAR(300) NOT NULL,
    sealed_key VARBINARY(1024) NOT NULL,
    sender VARCHAR(20) NOT NULL COMMENT 'what telephones show: a name of eleven letters, or a number',
    price DECIMAL(10,4) NOT NULL COMMENT 'of one part, as the gateway said last',
    currency CHAR(3) COLLATE ascii_bin NOT NULL,
    monthly_limit DECIMAL(10,2) NULL,
    read_until BIGINT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'its events up to this one were taken in',
    read_at DATETIME(3) NULL,
    problem VARCHAR(300) NULL,
    lease_owner VARCHAR(40) NULL,
    lease_until DATETIME(3) NULL
  ) ${ENGINE}`,
  `CREATE TABLE text_number (
    number_key VARCHAR(20) COLLATE ascii_bin NOT NULL PRIMARY KEY COMMENT 'E.164',
    agreed_at DATETIME(3) NULL,
    agreed_how VARCHAR(200) NOT NULL DEFAULT '',
    agreed_by INT UNSIGNED NULL COMMENT 'who was told',
    stopped_at DATETIME(3) NULL,
    stopped_how VARCHAR(200) NOT NULL DEFAULT '',
    KEY text_number_by (agreed_by),
    CONSTRAINT text_number_by_fk FOREIGN KEY (agreed_by) REFERENCES staff (id)
  ) ${ENGINE}`,
  `CREATE TABLE text_message (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    mark VARCHAR(60) COLLATE ascii_bin NOT NULL COMMENT 'what the gateway knows it by: each once',
    direction ENUM('sent','received') NOT NULL,
    state ENUM('waiting','going','sent','delivered','failed','cancelled','received') NOT NULL,
    number_key VARCHAR(20) COLLATE ascii_bin NOT NULL,
    number VARCHAR(40) NOT NULL,
    client_id INT UNSIGNED NULL,
    person_id INT UNSIGNED NULL,
    file_id INT UNSIGNED NULL,
    staff_id INT UNSIGNED NULL COMMENT 'who wrote it; of an answer, to whom it was',
    text TEXT NOT NULL,
    parts SMALLINT UNSIGNED NOT NULL,
    price DECIMAL(10,4) NOT NULL DEFAULT 0 COMMENT 'reckoned, then as the gateway says',
    at DATETIME(3) NOT NULL,
    next_at DATETIME(3) NULL,
    attempts SMALLINT UNSIGNED NOT NULL DEFAULT 0,
    lease_owner VARCHAR(40) NULL,
    lease_until DATETIME(3) NULL,
    why VARCHAR(300) NOT NULL DEFAULT '' COMMENT 'in the gateway''s own words',
    delivered_at DATETIME(3) NULL,
    waits TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'it wants an answer of ours',
    UNIQUE KEY text_message_mark (mark),
    KEY text_message_due (state, next_at),
    KEY text_message_client (client_id, at),
    KEY text_message_file (file_id, at),
    KEY text_message_number (number_key, at),
    KEY text_message_waits (waits, at),
    KEY text_message_person (person_id),
    KEY text_message_staff (staff_id),
    KEY text_message_at (direction, at),
    CONSTRAINT text_message_client_fk FOREIGN KEY (client_id) REFERENCES client (id),
    CONSTRAINT text_message_person_fk FOREIGN KEY (person_id) REFERENCES person (id),
    CONSTRAINT text_message_file_fk FOREIGN KEY (file_id, client_id) REFERENCES file (id, client_id) ON UPDATE CASCADE,
    CONSTRAINT text_message_staff_fk FOREIGN KEY (staff_id) REFERENCES staff (id)
  ) ${ENGINE}`,
  `ALTER TABLE change_event
    MODIFY COLUMN topic ENUM('records','mail','sorting','mailings','mailboxes','filing','drafts','pending','imports',
      'selections','timeline','doubles','documents','paperwork','orders','tasks','reckoning','texts') NOT NULL`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
