import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import { openDatabase, type Database } from './database.ts';
import * as firstDay from './migrations/0001_first_day.ts';
import * as filing from './migrations/0002_filing.ts';
import * as search from './migrations/0003_search.ts';
import * as mailboxes from './migrations/0004_mailboxes.ts';
import * as trust from './migrations/0005_trust.ts';
import * as processes from './migrations/0006_processes.ts';
import * as inStep from './migrations/0007_in_step.ts';
import * as kinds from './migrations/0008_kinds.ts';
import * as changes from './migrations/0009_changes.ts';
import * as selections from './migrations/0010_selections.ts';
import * as weighing from './migrations/0011_weighing.ts';
import * as office from './migrations/0012_office.ts';
import * as register from './migrations/0013_register.ts';
import * as imports from './migrations/0014_import.ts';
import * as selected from './migrations/0015_selections.ts';
import * as countries from './migrations/0016_countries.ts';
import * as timeline from './migrations/0017_timeline.ts';
import * as doubles from './migrations/0018_doubles.ts';
import * as upkeep from './migrations/0019_upkeep.ts';
import * as sent from './migrations/0020_sent.ts';
import * as addressed from './migrations/0021_misaddressed.ts';
import * as results from './migrations/0022_results.ts';
import * as writing from './migrations/0023_writing.ts';
import * as cupboard from './migrations/0024_cupboard.ts';
import * as leftOut from './migrations/0025_left_out.ts';
import * as plain from './migrations/0026_plain.ts';
import * as newsletter from './migrations/0027_newsletter.ts';
import * as series from './migrations/0028_series.ts';
import * as ownCopies from './migrations/0029_own_copies.ts';
import * as roles from './migrations/0030_roles.ts';
import * as keptEnclosures from './migrations/0031_kept_enclosures.ts';
import * as signatures from './migrations/0032_signatures.ts';
import * as documents from './migrations/0033_documents.ts';
import * as ownEnclosures from './migrations/0034_own_enclosures.ts';
import * as paperwork from './migrations/0035_paperwork.ts';
import * as reminders from './migrations/0036_reminders.ts';
import * as templates from './migrations/0037_templates.ts';
import * as ways from './migrations/0038_ways.ts';
import * as orders from './migrations/0039_orders.ts';
import * as reckoning from './migrations/0040_reckoning.ts';
import * as texts from './migrations/0041_texts.ts';
import * as collection from './migrations/0042_collection.ts';
import * as textMailings from './migrations/0043_text_mailings.ts';
import * as alone from './migrations/0044_alone.ts';
import * as newRecords from './migrations/0045_new_records.ts';
import * as weighingApart from './migrations/0046_weighing.ts';

const MIGRATIONS: Record<string, Knex.Migration> = {
  '0001_first_day': firstDay,
  '0002_filing': filing,
  '0003_search': search,
  '0004_mailboxes': mailboxes,
  '0005_trust': trust,
  '0006_processes': processes,
  '0007_in_step': inStep,
  '0008_kinds': kinds,
  '0009_changes': changes,
  '0010_selections': selections,
  '0011_weighing': weighing,
  '0012_office': office,
  '0013_register': register,
  '0014_import': imports,
  '0015_selections': selected,
  '0016_countries': countries,
  '0017_timeline': timeline,
  '0018_doubles': doubles,
  '0019_upkeep': upkeep,
  '0020_sent': sent,
  '0021_misaddressed': addressed,
  '0022_results': results,
  '0023_writing': writing,
  '0024_cupboard': cupboard,
  '0025_left_out': leftOut,
  '0026_plain': plain,
  '0027_newsletter': newsletter,
  '0028_series': series,
  '0029_own_copies': ownCopies,
  '0030_roles': roles,
  '0031_kept_enclosures': keptEnclosures,
  '0032_signatures': signatures,
  '0033_documents': documents,
  '0034_own_enclosures': ownEnclosures,
  '0035_paperwork': paperwork,
  '0036_reminders': reminders,
  '0037_templates': templates,
  '0038_ways': ways,
  '0039_orders': orders,
  '0040_reckoning': reckoning,
  '0041_texts': texts,
  '0042_collection': collection,
  '0043_text_mailings': textMailings,
  '0044_alone': alone,
  '0045_new_records': newRecords,
  '0046_weighing': weighingApart,
};

/** Whether migrations are still to be carried out. */
async function pending(db: Database): Promise<boolean> {
  const done: string[] = await db('knex_migrations')
    .pluck('name')
    .catch((error: { errno?: number }) => {
      if (error.errno === NO_SUCH_TABLE) return [];
      throw error;
    });
  return Object.keys(MIGRATIONS).some((name) => !done.includes(name));
}

const NO_SUCH_TABLE = 1146;
/** Who migrates says this often that it is still alive, in milliseconds; after the second figure, in seconds, it is not. */
const RENEWED = 4000;
const MIGRATION_LEASE_SECONDS = 20;

/** Brings the tables of a database up to date, however long that takes; see {@link migrate}. */
export async function migrateAt(url: string): Promise<void> {
  const db = openDatabase(url, { pool: 2, patience: 0 });
  try {
    await migrate(db);
  } finally {
    await db.destroy();
  }
}

/**
 * Brings the tables up to date. Of several processes that start at once one does it, under a lease by the
 * database's clock, and the others wait for it; one that is killed meanwhile is followed by the next, which
 * begins anew what was not finished (see `apply`).
 */
export async function migrate(db: Database): Promise<void> {
  if (!(await pending(db))) return;
  await db.raw(
    'CREATE TABLE IF NOT EXISTS migration_lease (one TINYINT NOT NULL PRIMARY KEY, owner VARCHAR(40) NULL, until DATETIME(3) NOT NULL)',
  );
  await db.raw("INSERT IGNORE INTO migration_lease VALUES (1, NULL, '2000-01-01')");
  const owner = randomUUID();
  const until = `UTC_TIMESTAMP(3) + INTERVAL ${MIGRATION_LEASE_SECONDS} SECOND`;
  const claim = () =>
    db('migration_lease')
      .where({ one: 1 })
      .where((free) => free.where({ owner }).orWhereNull('owner').orWhereRaw('until < UTC_TIMESTAMP(3)'))
      .update({ owner, until: db.raw(until) });
  while (!(await claim())) {
    if (!(await pending(db))) return;
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
  const renewing = setInterval(() => void claim().catch(() => undefined), RENEWED);
  try {
    if (await pending(db)) await carryOut(db);
  } finally {
    clearInterval(renewing);
    await db('migration_lease').where({ owner }).update({ owner: null });
  }
}

/** Knex's own lock is left behind by whoever was killed with it; the lease tells that nobody else is at work. */
async function carryOut(db: Database): Promise<void> {
  if (await db.schema.hasTable('knex_migrations_lock'))
    await db('knex_migrations_lock').update({ is_locked: 0 });
  await db.migrate.latest({
    migrationSource: {
      getMigrations: async () => Object.keys(MIGRATIONS),
      getMigrationName: (name: string) => name,
      getMigration: async (name: string) => MIGRATIONS[name] as Knex.Migration,
    },
  });
}
