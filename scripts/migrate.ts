import { ensureDatabase } from '../server/foundation/database.ts';
import { migrateAt } from '../server/foundation/migrate.ts';

/** `npm run migrate`: brings the tables of DATABASE_URL up to date, before servers of a new version start. */
const url = process.env.DATABASE_URL;
if (!url) throw new Error('DATABASE_URL is not set: give it the address of a MariaDB database.');
await ensureDatabase(url);
await migrateAt(url);
console.log('The database is up to date.');
