import type { Knex } from 'knex';
import { apply } from '../apply.ts';

const ENGINE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** A British postcode within text of capitals; the beginning of a line that is a code of figures. */
const POSTCODE = `COALESCE(
  NULLIF(REPLACE(REGEXP_SUBSTR(UPPER(postal), '\\\\b[A-Z]{1,2}[0-9][A-Z0-9]{0,1} {0,1}[0-9][A-Z]{2}\\\\b'), ' ', ''), ''),
  NULLIF(REGEXP_SUBSTR(postal, '\\\\b[0-9]{4,6}\\\\b'), ''))`;

/** What selections ask for, from indexes: who spoke last and when, fees, postcodes; selections kept, shared and fixed. */
const STEPS = [
  'ALTER TABLE file ADD KEY file_of_client (id, client_id)',
  `ALTER TABLE filing
    ADD COLUMN client_id INT UNSIGNED NULL COMMENT 'whose file it is',
    ADD COLUMN spoken ENUM('client','us') NULL COMMENT 'who speaks in it; null: a machine, or colleagues among themselves'`,
  `UPDATE filing JOIN file ON file.id = filing.file_id JOIN message ON message.id = filing.message_id
    SET filing.client_id = file.client_id,
      filing.spoken = CASE WHEN message.direction = 'sent' THEN 'us'
        WHEN message.direction = 'received' AND (message.automatic IS NULL OR message.automatic = 'list') THEN 'client' END
    WHERE filing.client_id IS NULL`,
  `ALTER TABLE filing
    MODIFY COLUMN client_id INT UNSIGNED NOT NULL COMMENT 'whose file it is',
    ADD KEY filing_client (client_id, spoken, at),
    ADD CONSTRAINT filing_file_client FOREIGN KEY (file_id, client_id) REFERENCES file (id, client_id) ON UPDATE CASCADE`,
  'ALTER TABLE filing DROP FOREIGN KEY filing_file_fk',
  `ALTER TABLE client ADD COLUMN postcode VARCHAR(12) AS (${POSTCODE}) PERSISTENT`,
  'ALTER TABLE client ADD KEY client_postcode (postcode)',
  `CREATE TABLE fee_note (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    client_id INT UNSIGNED NOT NULL,
    file_id INT UNSIGNED NULL,
    number VARCHAR(40) NOT NULL,
    issued_on DATE NOT NULL,
    due_on DATE NOT NULL,
    amount DECIMAL(12,2) NOT NULL COMMENT 'with tax',
    tax DECIMAL(12,2) NOT NULL DEFAULT 0 COMMENT 'of the amount',
    paid_on DATE NULL,
    words VARCHAR(300) NOT NULL DEFAULT '' COMMENT 'what for',
    UNIQUE KEY fee_note_number (number),
    KEY fee_note_open (paid_on, client_id, due_on, amount),
    KEY fee_note_client (client_id, paid_on, due_on, amount),
    KEY fee_note_file (file_id),
    CONSTRAINT fee_note_client_fk FOREIGN KEY (client_id) REFERENCES client (id),
    CONSTRAINT fee_note_file_fk FOREIGN KEY (file_id, client_id) REFERENCES file (id, client_id) ON UPDATE CASCADE
  ) ${ENGINE}`,
  'ALTER TABLE file ADD KEY file_client_open (client_id, closed, stage_id, adviser_id)',
  'ALTER TABLE dispatch ADD KEY dispatch_client_mailing (client_id, mailing_id)',
  'ALTER TABLE client_person ADD KEY client_person_role (client_id, role, person_id)',
  // In one statement: that a constraint is there already is told by no number of its own.
  `ALTER TABLE mailing
    ADD COLUMN topic_id INT UNSIGNED NULL AFTER owner_id,
    ADD CONSTRAINT mailing_topic FOREIGN KEY (topic_id) REFERENCES topic (id)`,
  `ALTER TABLE selection
    ADD COLUMN subject ENUM('client','person','file') NOT NULL DEFAULT 'client',
    ADD COLUMN fixed TINYINT(1) NOT NULL DEFAULT 0 COMMENT 'a list: its members stay whatever the records become',
    ADD COLUMN shared TINYINT(1) NOT NULL DEFAULT 0,
    ADD COLUMN version INT UNSIGNED NOT NULL DEFAULT 1`,
  'ALTER TABLE selection ADD KEY selection_named (name)',
  `CREATE TABLE selection_member (
    selection_id INT UNSIGNED NOT NULL,
    client_id INT UNSIGNED NULL,
    person_id INT UNSIGNED NULL,
    file_id INT UNSIGNED NULL,
    UNIQUE KEY selection_member_client (selection_id, client_id),
    UNIQUE KEY selection_member_person (selection_id, person_id),
    UNIQUE KEY selection_member_file (selection_id, file_id),
    KEY selection_member_of_client (client_id, selection_id),
    KEY selection_member_of_person (person_id, selection_id),
    KEY selection_member_of_file (file_id, selection_id),
    CONSTRAINT selection_member_selection FOREIGN KEY (selection_id) REFERENCES selection (id) ON DELETE CASCADE,
    CONSTRAINT selection_member_client_fk FOREIGN KEY (client_id) REFERENCES client (id) ON DELETE CASCADE,
    CONSTRAINT selection_member_person_fk FOREIGN KEY (person_id) REFERENCES person (id) ON DELETE CASCADE,
    CONSTRAINT selection_member_file_fk FOREIGN KEY (file_id) REFERENCES file (id) ON DELETE CASCADE,
    CONSTRAINT selection_member_one CHECK ((client_id IS NOT NULL) + (person_id IS NOT NULL) + (file_id IS NOT NULL) = 1)
  ) ${ENGINE}`,
  `CREATE TABLE many_change (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    staff_id INT UNSIGNED NOT NULL,
    at DATETIME(3) NOT NULL,
    words VARCHAR(300) NOT NULL,
    changed INT UNSIGNED NOT NULL,
    undone_at DATETIME(3) NULL,
    kept INT UNSIGNED NULL COMMENT 'changed again since: left as they were when it was taken back',
    KEY many_change_at (at),
    CONSTRAINT many_change_staff FOREIGN KEY (staff_id) REFERENCES staff (id)
  ) ${ENGINE}`,
  'ALTER TABLE audit ADD COLUMN many_id INT UNSIGNED NULL, ADD KEY audit_many (many_id, id)',
  `CREATE TABLE preference (
    staff_id INT UNSIGNED NOT NULL,
    name VARCHAR(60) NOT NULL,
    value LONGTEXT NOT NULL COMMENT 'JSON',
    PRIMARY KEY (staff_id, name),
    CONSTRAINT preference_staff FOREIGN KEY (staff_id) REFERENCES staff (id) ON DELETE CASCADE
  ) ${ENGINE}`,
  `ALTER TABLE change_event
    MODIFY COLUMN topic ENUM('records','mail','sorting','mailings','mailboxes','filing','drafts','pending','imports','selections') NOT NULL`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
  // The last step takes the column away: one that was killed after it has nothing more to do.
  if (!(await knex.schema.hasColumn('mailing', 'unticked'))) return;
  await renewTrees(knex);
  await apply(knex, 'ALTER TABLE mailing DROP COLUMN unticked');
}

/** Selections in their older forms, with whom mailings left out by hand; past clients come as they did. */
async function renewTrees(knex: Knex): Promise<void> {
  const services = new Map(
    ((await knex('service').select('id', 'name')) as { id: number; name: string }[]).map(({ id, name }) => [
      name.toLowerCase(),
      id,
    ]),
  );
  const rows = (await knex('selection')
    .leftJoin('mailing', 'mailing.selection_id', 'selection.id')
    .select('selection.id', 'selection.tree', 'mailing.unticked')) as {
    id: number;
    tree: string;
    unticked: string | null;
  }[];
  for (const row of rows) {
    const kept = JSON.parse(row.tree) as Older;
    if (kept.version === 2) continue;
    const of = (kept.root?.of ?? kept.all ?? []).map((line) => renewed(line, services));
    const root = kept.root && kept.root.match !== 'all' && of.length ? [{ match: kept.root.match, of }] : of;
    const removed = row.unticked ? (JSON.parse(row.unticked) as number[]) : [];
    const tree = { version: 2, subject: 'client', past: true, of: root, added: [], removed };
    await knex('selection')
      .where({ id: row.id })
      .update({ tree: JSON.stringify(tree) });
  }
}

interface OlderLine {
  field?: string;
  values?: (string | number)[];
  interestId?: number;
  has?: boolean;
  fieldId?: number;
  test?: string;
  value?: number;
  text?: string;
  match?: string;
  of?: OlderLine[];
}
interface Older {
  version?: number;
  root?: { match: string; of: OlderLine[] };
  all?: OlderLine[];
}

function renewed(line: OlderLine, services: ReadonlyMap<string, number>): object {
  const choice = (fact: string, values: unknown[] = []) => ({ fact, test: { op: 'one of', values } });
  switch (line.field) {
    case 'status':
      return choice('client.status', line.values);
    case 'adviser':
      return choice('client.adviser', line.values);
    case 'service':
      // A name that is no service any more chose nobody: number 0 is none either, and says so.
      return choice(
        'client.service',
        line.values?.map((name) => services.get(String(name).toLowerCase()) ?? 0),
      );
    case 'interest':
      return {
        fact: 'client.interests',
        test: { op: line.has ? 'one of' : 'none of', values: [line.interestId] },
      };
    case 'number':
      return { fact: `field:${line.fieldId}`, test: { op: line.test, value: line.value } };
    case 'email':
      return { fact: 'client.email', test: { op: line.has ? 'yes' : 'no' } };
    case 'words':
      return {
        match: 'any',
        of: [
          { fact: 'client.words', test: { op: 'contains', text: line.text } },
          { fact: 'client.fileNumbers', test: { op: 'begins with', text: line.text } },
        ],
      };
    default:
      return { match: line.match, of: (line.of ?? []).map((each) => renewed(each, services)) };
  }
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
