import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** What goes to a client may go to two of its people; a picture of a signature stands on letters; PDFs go with the post too. */
const STEPS = [
  `ALTER TABLE delivery
    ADD COLUMN also_id INT UNSIGNED NULL COMMENT 'somebody else who gets it too',
    ADD KEY delivery_also (also_id),
    ADD CONSTRAINT delivery_also_fk FOREIGN KEY (also_id) REFERENCES person (id) ON DELETE SET NULL`,
  `ALTER TABLE paper_run_enclosure
    ADD COLUMN pages SMALLINT UNSIGNED NULL COMMENT 'of a PDF: it is printed with what is posted'`,
  `ALTER TABLE staff
    ADD COLUMN signed BINARY(32) NULL COMMENT 'a picture of their signature, for letters',
    ADD KEY staff_signed (signed),
    ADD CONSTRAINT staff_signed_raw FOREIGN KEY (signed) REFERENCES raw (hash)`,
];

export async function up(knex: Knex): Promise<void> {
  for (const step of STEPS) await apply(knex, step);
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
