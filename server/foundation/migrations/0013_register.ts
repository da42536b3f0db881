import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const ENGINE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** A list of the office's own: names in an order. */
const list = (table: string) =>
  `CREATE TABLE ${table} (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(80) NOT NULL,
    position SMALLINT UNSIGNED NOT NULL DEFAULT 0,
    UNIQUE KEY ${table}_name (name)
  ) ${ENGINE}`;

/** What stands in the firm's own fields of people or files, as `field_value` holds it of clients. */
const values = (owner: string) =>
  `CREATE TABLE ${owner}_field_value (
    ${owner}_id INT UNSIGNED NOT NULL,
    field_id INT UNSIGNED NOT NULL,
    item SMALLINT UNSIGNED NOT NULL DEFAULT 0,
    text_value TEXT NULL,
    number_value DECIMAL(18,4) NULL,
    date_value DATE NULL,
    choice_id INT UNSIGNED NULL,
    person_link INT UNSIGNED NULL,
    client_link INT UNSIGNED NULL,
    PRIMARY KEY (${owner}_id, field_id, item),
    KEY ${owner}_field_number (field_id, number_value, ${owner}_id),
    KEY ${owner}_field_date (field_id, date_value, ${owner}_id),
    KEY ${owner}_field_choice (choice_id, ${owner}_id),
    KEY ${owner}_field_text (field_id, text_value(60)),
    CONSTRAINT ${owner}_field_value_owner FOREIGN KEY (${owner}_id) REFERENCES ${owner} (id) ON DELETE CASCADE,
    CONSTRAINT ${owner}_field_value_field FOREIGN KEY (field_id) REFERENCES field (id) ON DELETE CASCADE,
    CONSTRAINT ${owner}_field_value_choice FOREIGN KEY (choice_id) REFERENCES field_choice (id) ON DELETE CASCADE,
    CONSTRAINT ${owner}_field_value_person FOREIGN KEY (person_link) REFERENCES person (id) ON DELETE CASCADE,
    CONSTRAINT ${owner}_field_value_client FOREIGN KEY (client_link) REFERENCES client (id) ON DELETE CASCADE
  ) ${ENGINE}`;

/** The full register: telephones, delivery, topics, tags, services, and fields of all kinds for clients, people and files. */
export async function up(knex: Knex): Promise<void> {
  for (const table of ['service', 'tag', 'topic']) await apply(knex, list(table));
  await apply(knex, 'ALTER TABLE interest ADD COLUMN position SMALLINT UNSIGNED NOT NULL DEFAULT 0');
  await apply(
    knex,
    `INSERT IGNORE INTO service (name) SELECT DISTINCT service FROM client WHERE service IS NOT NULL AND service <> ''`,
  );
  await apply(knex, `UPDATE client SET service = NULL WHERE service = ''`);
  await apply(
    knex,
    `ALTER TABLE client
      ADD COLUMN country CHAR(2) NOT NULL DEFAULT '' COMMENT 'ISO 3166; empty: the office''s own',
      ADD COLUMN note TEXT NOT NULL DEFAULT ''`,
  );
  await apply(
    knex,
    'ALTER TABLE client ADD CONSTRAINT client_service_fk FOREIGN KEY (service) REFERENCES service (name) ON UPDATE CASCADE',
  );
  await apply(
    knex,
    `ALTER TABLE person
      ADD COLUMN title VARCHAR(40) NOT NULL DEFAULT '',
      ADD COLUMN greeting VARCHAR(120) NULL COMMENT 'what stands after Dear; null: made of the name',
      ADD COLUMN note TEXT NOT NULL DEFAULT ''`,
  );
  await apply(knex, `ALTER TABLE address ADD COLUMN purpose VARCHAR(60) NOT NULL DEFAULT ''`);
  await apply(
    knex,
    `CREATE TABLE phone (
      id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
      client_id INT UNSIGNED NULL,
      person_id INT UNSIGNED NULL,
      number VARCHAR(40) NOT NULL COMMENT 'as it is read',
      number_key VARCHAR(20) NOT NULL COMMENT 'E.164, for comparing; as typed where it is none',
      purpose VARCHAR(60) NOT NULL DEFAULT '',
      position SMALLINT UNSIGNED NOT NULL DEFAULT 0,
      KEY phone_key (number_key),
      CONSTRAINT phone_client FOREIGN KEY (client_id) REFERENCES client (id) ON DELETE CASCADE,
      CONSTRAINT phone_person FOREIGN KEY (person_id) REFERENCES person (id) ON DELETE CASCADE,
      CONSTRAINT phone_one CHECK ((client_id IS NULL) <> (person_id IS NULL))
    ) ${ENGINE}`,
  );
  await apply(
    knex,
    `CREATE TABLE client_tag (
      client_id INT UNSIGNED NOT NULL,
      tag_id INT UNSIGNED NOT NULL,
      PRIMARY KEY (client_id, tag_id),
      KEY client_tag_tag (tag_id, client_id),
      CONSTRAINT client_tag_client FOREIGN KEY (client_id) REFERENCES client (id) ON DELETE CASCADE,
      CONSTRAINT client_tag_fk FOREIGN KEY (tag_id) REFERENCES tag (id) ON DELETE CASCADE
    ) ${ENGINE}`,
  );
  await apply(
    knex,
    `CREATE TABLE delivery (
      client_id INT UNSIGNED NOT NULL,
      kind ENUM('letters','statements','mailings') NOT NULL,
      way ENUM('email','post','both','none') NOT NULL,
      person_id INT UNSIGNED NULL COMMENT 'null: whoever the client''s mail is addressed to',
      PRIMARY KEY (client_id, kind),
      CONSTRAINT delivery_client FOREIGN KEY (client_id) REFERENCES client (id) ON DELETE CASCADE,
      CONSTRAINT delivery_person FOREIGN KEY (person_id) REFERENCES person (id) ON DELETE SET NULL
    ) ${ENGINE}`,
  );
  // As opt_out, which is of everything: they hang on the address itself and outlive the records they came with.
  await apply(
    knex,
    `CREATE TABLE topic_opt_out (
      email_key VARCHAR(254) NOT NULL,
      topic_id INT UNSIGNED NOT NULL,
      at DATETIME(3) NOT NULL,
      how VARCHAR(120) NOT NULL,
      PRIMARY KEY (email_key, topic_id),
      KEY topic_opt_out_topic (topic_id, email_key),
      CONSTRAINT topic_opt_out_topic_fk FOREIGN KEY (topic_id) REFERENCES topic (id)
    ) ${ENGINE}`,
  );
  await apply(
    knex,
    `ALTER TABLE field
      MODIFY COLUMN kind ENUM('text','number','date','long text','money','yes or no','choice','choices','person','client') NOT NULL,
      ADD COLUMN of ENUM('client','person','file') NOT NULL DEFAULT 'client' AFTER label,
      ADD COLUMN gone_at DATETIME(3) NULL COMMENT 'taken away: what stands in it is kept, and shown nowhere',
      DROP KEY field_label,
      ADD UNIQUE KEY field_label_of (of, label)`,
  );
  await apply(
    knex,
    `CREATE TABLE field_choice (
      id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
      field_id INT UNSIGNED NOT NULL,
      label VARCHAR(80) NOT NULL,
      position SMALLINT UNSIGNED NOT NULL DEFAULT 0,
      UNIQUE KEY field_choice_label (field_id, label),
      CONSTRAINT field_choice_field FOREIGN KEY (field_id) REFERENCES field (id) ON DELETE CASCADE
    ) ${ENGINE}`,
  );
  await apply(knex, values('person'));
  await apply(knex, values('file'));
  await apply(knex, values('client'));
  // The last step takes the older table away: one that was killed after it has nothing more to do.
  if (!(await knex.schema.hasTable('field_value'))) return;
  await apply(
    knex,
    `INSERT IGNORE INTO client_field_value (client_id, field_id, text_value, number_value, date_value)
      SELECT client_id, field_id, text_value, number_value, date_value FROM field_value`,
  );
  await apply(knex, 'DROP TABLE field_value');
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
