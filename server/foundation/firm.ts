import type { Knex } from 'knex';
import { z } from 'zod';

/** What the firm has settled about itself. */
const Firm = z.object({
  name: z.string(),
  domains: z.array(z.string()),
  fileNumberPattern: z.string(),
  /** Domains, beside the common ones, at which anybody can have an address. */
  freemail: z.array(z.string()).default([]),
  /** Names of mail folders that are their owner's alone: never opened, nor what lies in them. */
  personalFolders: z.array(z.string()).default(['Personal', 'Private']),
  /** IANA name of the zone in which times are shown. */
  zone: z.string(),
  notice: z.string(),
  /** Known to the staff alone: what is copied to it is filed. It must lie in a connected mailbox. */
  filingAddress: z.string().default(''),
});
export type Firm = z.infer<typeof Firm>;

/** What the firm has settled about itself. @throws when it has not been set up in this database */
export async function readFirm(db: Knex): Promise<Firm> {
  const row = await db('setting').where({ name: 'firm' }).first('value');
  if (!row)
    throw new Error('The firm has not been set up in this database. Load the demo or a register first.');
  return Firm.parse(JSON.parse(row.value));
}

/** Keeps what the firm settles about itself, in the place of what it was. */
export async function writeFirm(db: Knex, firm: Firm): Promise<void> {
  await db('setting')
    .insert({ name: 'firm', value: JSON.stringify(firm) })
    .onConflict('name')
    .merge();
}
