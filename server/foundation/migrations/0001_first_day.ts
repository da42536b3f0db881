import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** Everything the first working day needs. Times are UTC with milliseconds. */
const TABLES = [
  `CREATE TABLE setting (
    name VARCHAR(60) NOT NULL PRIMARY KEY,
    value LONGTEXT NOT NULL
  )`,
  // What changed lately, by topic: screens and other processes ask for what is newer than they know.
  `CREATE TABLE pulse (
    topic VARCHAR(30) NOT NULL PRIMARY KEY,
    version BIGINT UNSIGNED NOT NULL DEFAULT 0
  )`,
  `CREATE TABLE staff (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(120) NOT NULL,
    email VARCHAR(254) NOT NULL,
    phone VARCHAR(40) NOT NULL DEFAULT '',
    title VARCHAR(120) NOT NULL DEFAULT '',
    role ENUM('manager','adviser','assistant') NOT NULL,
    password_hash VARCHAR(255) NOT NULL,
    active TINYINT(1) NOT NULL DEFAULT 1,
    UNIQUE KEY staff_email (email)
  )`,
  `CREATE TABLE session (
    token_hash BINARY(32) NOT NULL PRIMARY KEY,
    staff_id INT UNSIGNED NOT NULL,
    created_at DATETIME(3) NOT NULL,
    seen_at DATETIME(3) NOT NULL,
    expires_at DATETIME(3) NOT NULL,
    KEY session_expiry (expires_at),
    CONSTRAINT session_staff FOREIGN KEY (staff_id) REFERENCES staff (id) ON DELETE CASCADE
  )`,
  `CREATE TABLE audit (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    at DATETIME(3) NOT NULL,
    staff_id INT UNSIGNED NULL,
    action VARCHAR(60) NOT NULL,
    subject VARCHAR(60) NOT NULL,
    subject_id BIGINT UNSIGNED NULL,
    before_value LONGTEXT NULL,
    after_value LONGTEXT NULL,
    KEY audit_subject (subject, subject_id, id),
    CONSTRAINT audit_staff FOREIGN KEY (staff_id) REFERENCES staff (id)
  )`,
  `CREATE TABLE client (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(200) NOT NULL,
    kind ENUM('person','couple','company','trust','estate','public body') NOT NULL,
    status ENUM('active','past','prospect') NOT NULL,
    since SMALLINT UNSIGNED NULL,
    service VARCHAR(80) NULL,
    place VARCHAR(200) NOT NULL DEFAULT '',
    postal LONGTEXT NOT NULL DEFAULT '[]',
    greeting VARCHAR(120) NULL,
    adviser_id INT UNSIGNED NULL,
    KEY client_name (name),
    KEY client_status (status, name),
    KEY client_adviser (adviser_id, name),
    KEY client_service (service),
    CONSTRAINT client_adviser_fk FOREIGN KEY (adviser_id) REFERENCES staff (id)
  )`,
  `CREATE TABLE field (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    label VARCHAR(80) NOT NULL,
    kind ENUM('text','number','date') NOT NULL,
    unit VARCHAR(20) NOT NULL DEFAULT '',
    position SMALLINT UNSIGNED NOT NULL DEFAULT 0,
    UNIQUE KEY field_label (label)
  )`,
  `CREATE TABLE field_value (
    client_id INT UNSIGNED NOT NULL,
    field_id INT UNSIGNED NOT NULL,
    text_value VARCHAR(500) NULL,
    number_value DECIMAL(18,4) NULL,
    date_value DATE NULL,
    PRIMARY KEY (client_id, field_id),
    KEY field_number (field_id, number_value, client_id),
    CONSTRAINT field_value_client FOREIGN KEY (client_id) REFERENCES client (id) ON DELETE CASCADE,
    CONSTRAINT field_value_field FOREIGN KEY (field_id) REFERENCES field (id) ON DELETE CASCADE
  )`,
  `CREATE TABLE interest (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(80) NOT NULL,
    UNIQUE KEY interest_name (name)
  )`,
  `CREATE TABLE client_interest (
    client_id INT UNSIGNED NOT NULL,
    interest_id INT UNSIGNED NOT NULL,
    PRIMARY KEY (client_id, interest_id),
    KEY client_interest_interest (interest_id, client_id),
    CONSTRAINT client_interest_client FOREIGN KEY (client_id) REFERENCES client (id) ON DELETE CASCADE,
    CONSTRAINT client_interest_fk FOREIGN KEY (interest_id) REFERENCES interest (id) ON DELETE CASCADE
  )`,
  `CREATE TABLE person (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    first_name VARCHAR(80) NOT NULL DEFAULT '',
    last_name VARCHAR(80) NOT NULL DEFAULT '',
    KEY person_name (last_name, first_name)
  )`,
  `CREATE TABLE address (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    person_id INT UNSIGNED NOT NULL,
    email VARCHAR(254) NOT NULL,
    email_key VARCHAR(254) NOT NULL,
    current TINYINT(1) NOT NULL DEFAULT 1,
    position SMALLINT UNSIGNED NOT NULL DEFAULT 0,
    returned_at DATETIME(3) NULL,
    returned_why VARCHAR(255) NULL,
    UNIQUE KEY address_person (person_id, email_key),
    KEY address_key (email_key),
    CONSTRAINT address_person_fk FOREIGN KEY (person_id) REFERENCES person (id) ON DELETE CASCADE
  )`,
  // Opt-outs hang on the address itself and outlive the records they came with.
  `CREATE TABLE opt_out (
    email_key VARCHAR(254) NOT NULL PRIMARY KEY,
    at DATETIME(3) NOT NULL,
    how VARCHAR(120) NOT NULL
  )`,
  `CREATE TABLE client_person (
    client_id INT UNSIGNED NOT NULL,
    person_id INT UNSIGNED NOT NULL,
    role VARCHAR(80) NOT NULL,
    position SMALLINT UNSIGNED NOT NULL DEFAULT 0,
    writes TINYINT(1) NOT NULL DEFAULT 1 COMMENT 'whether mailings to the client are addressed to this person',
    PRIMARY KEY (client_id, person_id),
    KEY client_person_person (person_id),
    CONSTRAINT client_person_client FOREIGN KEY (client_id) REFERENCES client (id) ON DELETE CASCADE,
    CONSTRAINT client_person_fk FOREIGN KEY (person_id) REFERENCES person (id) ON DELETE CASCADE
  )`,
  `CREATE TABLE file (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    number VARCHAR(40) NOT NULL,
    title VARCHAR(200) NOT NULL,
    client_id INT UNSIGNED NOT NULL,
    adviser_id INT UNSIGNED NULL,
    stage VARCHAR(60) NOT NULL DEFAULT '',
    general TINYINT(1) NOT NULL DEFAULT 0,
    opened DATE NOT NULL,
    closed DATE NULL,
    UNIQUE KEY file_number (number),
    KEY file_client (client_id, closed, general),
    KEY file_title (title),
    CONSTRAINT file_client_fk FOREIGN KEY (client_id) REFERENCES client (id),
    CONSTRAINT file_adviser_fk FOREIGN KEY (adviser_id) REFERENCES staff (id)
  )`,
  `CREATE TABLE file_person (
    file_id INT UNSIGNED NOT NULL,
    person_id INT UNSIGNED NOT NULL,
    role VARCHAR(80) NOT NULL DEFAULT '',
    PRIMARY KEY (file_id, person_id),
    KEY file_person_person (person_id),
    CONSTRAINT file_person_file FOREIGN KEY (file_id) REFERENCES file (id) ON DELETE CASCADE,
    CONSTRAINT file_person_fk FOREIGN KEY (person_id) REFERENCES person (id) ON DELETE CASCADE
  )`,
  `CREATE TABLE mailbox (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    staff_id INT UNSIGNED NOT NULL,
    address VARCHAR(254) NOT NULL,
    imap_host VARCHAR(255) NOT NULL,
    imap_port SMALLINT UNSIGNED NOT NULL,
    smtp_host VARCHAR(255) NOT NULL,
    smtp_port SMALLINT UNSIGNED NOT NULL,
    secure TINYINT(1) NOT NULL DEFAULT 1,
    user VARCHAR(254) NOT NULL,
    sealed_password VARBINARY(1024) NOT NULL,
    in_step_at DATETIME(3) NULL,
    failing_since DATETIME(3) NULL,
    problem VARCHAR(500) NULL,
    retry_at DATETIME(3) NULL COMMENT 'somebody asked for another try then',
    lease_owner VARCHAR(40) NULL,
    lease_until DATETIME(3) NULL,
    UNIQUE KEY mailbox_address (address),
    KEY mailbox_staff (staff_id),
    CONSTRAINT mailbox_staff_fk FOREIGN KEY (staff_id) REFERENCES staff (id)
  )`,
  `CREATE TABLE folder (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    mailbox_id INT UNSIGNED NOT NULL,
    path VARCHAR(255) COLLATE utf8mb4_bin NOT NULL,
    role ENUM('inbox','sent','drafts','trash','junk','archive','other') NOT NULL,
    uid_validity BIGINT UNSIGNED NOT NULL DEFAULT 0,
    next_uid BIGINT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'everything from here on is new',
    history_uid BIGINT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'everything below here is still to be taken in; 1 or less when done',
    modseq BIGINT UNSIGNED NOT NULL DEFAULT 0,
    on_server INT UNSIGNED NOT NULL DEFAULT 0,
    UNIQUE KEY folder_path (mailbox_id, path),
    CONSTRAINT folder_mailbox FOREIGN KEY (mailbox_id) REFERENCES mailbox (id) ON DELETE CASCADE
  )`,
  `CREATE TABLE raw (
    hash BINARY(32) NOT NULL PRIMARY KEY,
    size INT UNSIGNED NOT NULL,
    packed LONGBLOB NOT NULL COMMENT 'the message as it came, compressed'
  )`,
  `CREATE TABLE conversation (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY
  )`,
  `CREATE TABLE message (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    identity BINARY(32) NOT NULL,
    message_id VARCHAR(998) COLLATE utf8mb4_bin NULL,
    message_key BINARY(32) NULL COMMENT 'hash of message_id, for look-ups',
    raw_hash BINARY(32) NOT NULL,
    conversation_id BIGINT UNSIGNED NOT NULL,
    direction ENUM('received','sent','internal') NOT NULL,
    at DATETIME(3) NOT NULL COMMENT 'when it was sent; when it arrived if that makes no sense',
    from_name VARCHAR(255) NOT NULL,
    from_address VARCHAR(254) NOT NULL,
    to_words VARCHAR(500) NOT NULL,
    subject VARCHAR(500) NOT NULL,
    subject_key BINARY(32) NOT NULL COMMENT 'hash of base subject and outside people',
    base_subject VARCHAR(500) NOT NULL,
    snippet VARCHAR(200) NOT NULL,
    enclosures SMALLINT UNSIGNED NOT NULL DEFAULT 0,
    automatic ENUM('report','reply','notice','list') NULL,
    state ENUM('logged','suggested','aside','private') NOT NULL,
    sorting ENUM('certain','look','nobody') NULL COMMENT 'group in Sorting while suggested',
    decided_at DATETIME(3) NOT NULL,
    decided_by INT UNSIGNED NULL COMMENT 'null: filed without help',
    evidence LONGTEXT NOT NULL COMMENT 'JSON: why it is where it is',
    candidates LONGTEXT NOT NULL COMMENT 'JSON: ranked suggestions',
    taken_in_at DATETIME(3) NOT NULL,
    UNIQUE KEY message_identity (identity),
    KEY message_key (message_key),
    KEY message_conversation (conversation_id, at),
    KEY message_sorting (state, sorting, at),
    KEY message_subject (subject_key, at),
    KEY message_at (at),
    KEY message_automatic (automatic, at),
    CONSTRAINT message_raw FOREIGN KEY (raw_hash) REFERENCES raw (hash),
    CONSTRAINT message_conversation_fk FOREIGN KEY (conversation_id) REFERENCES conversation (id),
    CONSTRAINT message_decider FOREIGN KEY (decided_by) REFERENCES staff (id)
  )`,
  // Every identifier a message bears or names, so that conversations join whatever comes first.
  `CREATE TABLE message_link (
    message_id BIGINT UNSIGNED NOT NULL,
    link_key BINARY(32) NOT NULL,
    PRIMARY KEY (message_id, link_key),
    KEY message_link_key (link_key),
    CONSTRAINT message_link_message FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE
  )`,
  `CREATE TABLE message_party (
    message_id BIGINT UNSIGNED NOT NULL,
    role ENUM('from','to','cc','bcc') NOT NULL,
    email_key VARCHAR(254) NOT NULL,
    email VARCHAR(254) NOT NULL,
    name VARCHAR(255) NOT NULL,
    PRIMARY KEY (message_id, role, email_key),
    KEY message_party_key (email_key, message_id),
    CONSTRAINT message_party_message FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE
  )`,
  `CREATE TABLE message_copy (
    folder_id INT UNSIGNED NOT NULL,
    uid BIGINT UNSIGNED NOT NULL,
    message_id BIGINT UNSIGNED NOT NULL,
    seen TINYINT(1) NOT NULL DEFAULT 0,
    PRIMARY KEY (folder_id, uid),
    KEY message_copy_message (message_id),
    CONSTRAINT message_copy_folder FOREIGN KEY (folder_id) REFERENCES folder (id) ON DELETE CASCADE,
    CONSTRAINT message_copy_message_fk FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE
  )`,
  `CREATE TABLE filing (
    message_id BIGINT UNSIGNED NOT NULL,
    file_id INT UNSIGNED NOT NULL,
    at DATETIME(3) NOT NULL COMMENT 'of the message, for the ledger',
    PRIMARY KEY (message_id, file_id),
    KEY filing_file (file_id, at, message_id),
    CONSTRAINT filing_message FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE,
    CONSTRAINT filing_file_fk FOREIGN KEY (file_id) REFERENCES file (id)
  )`,
  // What a person did to where messages are; one step may move several and is undone as one.
  `CREATE TABLE filing_step (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    staff_id INT UNSIGNED NOT NULL,
    at DATETIME(3) NOT NULL,
    words VARCHAR(300) NOT NULL,
    undone_at DATETIME(3) NULL,
    KEY filing_step_staff (staff_id, undone_at, id),
    CONSTRAINT filing_step_staff_fk FOREIGN KEY (staff_id) REFERENCES staff (id)
  )`,
  `CREATE TABLE filing_step_message (
    step_id BIGINT UNSIGNED NOT NULL,
    message_id BIGINT UNSIGNED NOT NULL,
    before_value LONGTEXT NOT NULL,
    after_value LONGTEXT NOT NULL,
    PRIMARY KEY (step_id, message_id),
    KEY filing_step_message_message (message_id, step_id),
    CONSTRAINT filing_step_message_step FOREIGN KEY (step_id) REFERENCES filing_step (id) ON DELETE CASCADE,
    CONSTRAINT filing_step_message_fk FOREIGN KEY (message_id) REFERENCES message (id) ON DELETE CASCADE
  )`,
  `CREATE TABLE mailing (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(200) NOT NULL,
    state ENUM('draft','preparing','leaving','paused','finished','cancelled') NOT NULL DEFAULT 'draft',
    owner_id INT UNSIGNED NOT NULL,
    selection LONGTEXT NOT NULL,
    unticked LONGTEXT NOT NULL COMMENT 'JSON: clients taken out by hand',
    subject LONGTEXT NOT NULL,
    body LONGTEXT NOT NULL,
    file_choice ENUM('general','latest') NOT NULL DEFAULT 'general',
    version INT UNSIGNED NOT NULL DEFAULT 1,
    saved_at DATETIME(3) NOT NULL,
    tested_at DATETIME(3) NULL,
    released_at DATETIME(3) NULL,
    released_by INT UNSIGNED NULL,
    finished_at DATETIME(3) NULL,
    KEY mailing_state (state, saved_at),
    CONSTRAINT mailing_owner FOREIGN KEY (owner_id) REFERENCES staff (id),
    CONSTRAINT mailing_releaser FOREIGN KEY (released_by) REFERENCES staff (id)
  )`,
  `CREATE TABLE dispatch (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    mailing_id INT UNSIGNED NOT NULL,
    client_id INT UNSIGNED NOT NULL,
    person_id INT UNSIGNED NOT NULL,
    mailbox_id INT UNSIGNED NOT NULL,
    file_id INT UNSIGNED NOT NULL,
    to_name VARCHAR(255) NOT NULL,
    to_address VARCHAR(254) NOT NULL,
    message_id VARCHAR(200) COLLATE utf8mb4_bin NOT NULL COMMENT 'fixed before anything leaves',
    facts LONGTEXT NOT NULL COMMENT 'JSON: merge values as they were at release',
    state ENUM('waiting','leaving','left','delayed','returned','uncertain','cancelled') NOT NULL DEFAULT 'waiting',
    attempts SMALLINT UNSIGNED NOT NULL DEFAULT 0,
    next_at DATETIME(3) NOT NULL,
    lease_owner VARCHAR(40) NULL,
    lease_until DATETIME(3) NULL,
    raw_hash BINARY(32) NULL,
    handed_at DATETIME(3) NULL COMMENT 'set before the first byte of the text goes to the server',
    left_at DATETIME(3) NULL,
    answer VARCHAR(500) NULL COMMENT 'the server''s own words',
    return_kind ENUM('hard','soft') NULL,
    sent_copy_at DATETIME(3) NULL,
    logged_message_id BIGINT UNSIGNED NULL,
    answered_message_id BIGINT UNSIGNED NULL,
    UNIQUE KEY dispatch_once (mailing_id, client_id),
    UNIQUE KEY dispatch_message_id (message_id),
    KEY dispatch_due (state, next_at),
    KEY dispatch_lease (state, lease_until),
    KEY dispatch_copy (state, sent_copy_at, mailbox_id),
    KEY dispatch_log (state, logged_message_id),
    KEY dispatch_mailing (mailing_id, state),
    CONSTRAINT dispatch_mailing_fk FOREIGN KEY (mailing_id) REFERENCES mailing (id),
    CONSTRAINT dispatch_client FOREIGN KEY (client_id) REFERENCES client (id),
    CONSTRAINT dispatch_person FOREIGN KEY (person_id) REFERENCES person (id),
    CONSTRAINT dispatch_mailbox FOREIGN KEY (mailbox_id) REFERENCES mailbox (id),
    CONSTRAINT dispatch_file FOREIGN KEY (file_id) REFERENCES file (id),
    CONSTRAINT dispatch_raw FOREIGN KEY (raw_hash) REFERENCES raw (hash),
    CONSTRAINT dispatch_logged FOREIGN KEY (logged_message_id) REFERENCES message (id) ON DELETE SET NULL,
    CONSTRAINT dispatch_answered FOREIGN KEY (answered_message_id) REFERENCES message (id) ON DELETE SET NULL
  )`,
];

const TOPICS = ['records', 'mail', 'sorting', 'mailings', 'mailboxes'];

export async function up(knex: Knex): Promise<void> {
  for (const table of TABLES) {
    await apply(knex, `${table} ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`);
  }
  // The rows must be there from the start: intake waits its turn on one of them.
  await knex('pulse')
    .insert(TOPICS.map((topic) => ({ topic })))
    .onConflict()
    .ignore();
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
