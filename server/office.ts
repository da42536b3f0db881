import { randomUUID } from 'node:crypto';
import type { Logger } from 'pino';
import type { FilingMind } from '../core/filing/decide.ts';
import type { FilingRegister } from '../core/filing/register.ts';
import type { OfficeRule } from '../core/filing/rules.ts';
import type { Config } from './config.ts';
import type { Database } from './database/database.ts';
import { readFirm, type Firm } from './database/settings.ts';
import { Held } from './held.ts';
import { HeldExperience, readRules } from './filing/mind.ts';
import { loadFilingRegister } from './register/filingRegister.ts';
import { Watch } from './watch.ts';

/** What every capability stands on: the database, the configuration, the log, and the records held for filing. */
export class Office {
  /** Names this process on leases. */
  readonly process = randomUUID().slice(0, 18);
  /** How long anything holds this process. */
  readonly held = new Held();
  /** What changed, whoever changed it. */
  readonly watch: Watch;
  private register: { version: number; register: FilingRegister } | null = null;
  private loading: Promise<FilingRegister> | null = null;
  private readonly learned = new HeldExperience();
  private rules: { version: number; rules: OfficeRule[] } | null = null;

  constructor(
    readonly db: Database,
    readonly config: Config,
    readonly log: Logger,
  ) {
    this.watch = new Watch(db, log);
  }

  firm(): Promise<Firm> {
    return readFirm(this.db);
  }

  /** The records indexed for filing; read again only when they changed. */
  async filingRegister(): Promise<FilingRegister> {
    const row: { version: number } | undefined = await this.db('pulse')
      .where({ topic: 'records' })
      .first('version');
    const version = Number(row?.version ?? 0);
    if (this.register?.version === version) return this.register.register;
    this.loading ??= loadFilingRegister(this.db)
      .then((register) => {
        this.register = { version, register };
        return register;
      })
      .finally(() => (this.loading = null));
    return this.loading;
  }
  /** All that filing decides from: the records, what was learned, the office's own rules; each read again only when it changed. */
  async filingMind(): Promise<FilingMind> {
    const [register, row] = await Promise.all([
      this.filingRegister(),
      this.db('pulse').where({ topic: 'filing' }).first('version'),
      this.learned.catchUp(this.db),
    ]);
    const version = Number(row?.version ?? 0);
    if (this.rules?.version !== version) this.rules = { version, rules: await readRules(this.db) };
    return { register, experience: this.learned.experience, rules: this.rules.rules };
  }
}
