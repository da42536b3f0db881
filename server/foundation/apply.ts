import type { Knex } from 'knex';

/** What the server says when a statement has been carried out already: table, column, key or constraint are there, or gone. */
const CARRIED_OUT = new Set([1050, 1060, 1061, 1091, 1826]);

/**
 * Carries out one statement of a migration, or finds that it has been. MariaDB carries out each statement
 * that changes tables wholly or not at all (its manual, "Atomic DDL"), but no two of them together: a
 * migration that was killed begins anew, and passes over what it had done.
 * @throws what the database throws, unless it says that the statement has been carried out already
 */
export async function apply(knex: Knex, statement: string): Promise<void> {
  try {
    await knex.raw(statement);
  } catch (error) {
    if (!CARRIED_OUT.has((error as { errno?: number }).errno ?? 0)) throw error;
  }
}
