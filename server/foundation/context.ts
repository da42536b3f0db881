import { randomUUID } from 'node:crypto';
import type { Logger } from 'pino';
import type { Config } from './config.ts';
import type { Database } from './database.ts';
import { readFirm, type Firm } from './firm.ts';
import { Held } from './held.ts';
import { Watch } from './watch.ts';

/** What every capability stands on: the database, the configuration, the log, and what changes. */
export class AppContext {
  /** Names this process on leases. */
  readonly process = randomUUID().slice(0, 18);
  /** How long anything holds this process. */
  readonly held = new Held();
  /** What changed, whoever changed it. */
  readonly watch: Watch;

  constructor(
    readonly db: Database,
    readonly config: Config,
    readonly log: Logger,
  ) {
    this.watch = new Watch(db, log);
  }

  /** What the firm has settled about itself. @throws when it has not been set up */
  firm(): Promise<Firm> {
    return readFirm(this.db);
  }
}
