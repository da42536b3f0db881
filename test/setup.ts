import { stopMariaDB } from './server/helpers.ts';

/** Mocha's root hook: whatever database was started is stopped at the end. */
export async function mochaGlobalTeardown(): Promise<void> {
  await stopMariaDB();
}
