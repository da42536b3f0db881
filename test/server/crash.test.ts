import { fork, type ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { World } from '../../outside/world.ts';
import { startMariaDB, type PrivateMariaDB } from '../../scripts/mariadb.ts';
import { openFirm, until, type TestFirm } from './helpers.ts';
import { releaseToAll, serverProcess } from './processes.ts';
import { Way } from './way.ts';

/** `npm run crash`: as many as the issue of it asks; in `npm test` one short run. */
const LONG = process.env.CRASH === 'long';
const RECIPIENTS = LONG ? 2000 : 160;
/** Server processes of each run, and kills in each. */
const RUNS = LONG ? [1, 2, 4, 1, 2, 4, 2, 4] : [2];
const KILLS = LONG ? 25 : 4;
/** Milliseconds between two messages of one mailbox, so that every kill falls among messages that are still to go. */
const GAP = LONG ? 260 : 900;

type Victim = 'server' | 'database' | 'exchange';

/** Numbers between 0 and 1, the same for the same seed. */
function seeded(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state * 1664525 + 1013904223) % 2 ** 32;
    return state / 2 ** 32;
  };
}

/** A firm whose servers, database and exchange are processes of their own, each of which can be killed and begun anew. */
class Trial {
  readonly servers: ChildProcess[] = [];
  private exchange: ChildProcess | null = null;
  private readonly ports: { imap: number; smtp: number };

  private constructor(
    readonly firm: TestFirm,
    private mariadb: PrivateMariaDB,
    private readonly dir: string,
    private readonly way: Way,
  ) {
    this.ports = { imap: firm.world.imapPort, smtp: firm.world.smtpPort };
  }

  static async open(): Promise<Trial> {
    const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-crash-'));
    const mariadb = await startMariaDB(dir);
    const direct = new URL(mariadb.url('mysql'));
    const way = new Way(Number(direct.port));
    await way.listen();
    direct.port = String(way.port);
    const firm = await openFirm({
      clients: Math.round(RECIPIENTS * 1.15),
      files: Math.round(RECIPIENTS * 1.5),
      conversationsPerClient: 0.05,
      server: direct.toString(),
    });
    await firm.sync();
    return new Trial(firm, mariadb, dir, way);
  }

  /** From here on the exchange is a process of its own. */
  async begin(processes: number): Promise<void> {
    await this.firm.world.close();
    await this.startExchange();
    while (this.servers.length < processes) await this.addServer();
  }

  private async startExchange(): Promise<void> {
    const { imap, smtp } = this.ports;
    const child = fork(
      'outside/main.ts',
      ['--dir', this.firm.dir, '--imap', String(imap), '--smtp', String(smtp)],
      { execArgv: ['--import=tsx'], stdio: ['ignore', 'ignore', 'ignore', 'ipc'] },
    );
    this.exchange = child;
    await new Promise<void>((resolve, reject) => {
      child.once('message', () => resolve());
      child.once('exit', () => reject(new Error('the exchange did not come up')));
    });
  }

  async addServer(): Promise<void> {
    this.servers.push((await serverProcess(this.firm)).child);
  }

  async kill(victim: Victim, random: () => number): Promise<void> {
    if (victim === 'server') {
      const [child] = this.servers.splice(Math.floor(random() * this.servers.length), 1);
      if (child) await killed(child);
      await this.addServer();
    } else if (victim === 'exchange') {
      if (this.exchange) await killed(this.exchange);
      await new Promise((resolve) => setTimeout(resolve, 300));
      await this.startExchange();
    } else {
      process.kill(this.mariadb.pid, 'SIGKILL');
      this.way.cut();
      this.mariadb = await startMariaDB(this.dir);
      this.way.target = Number(new URL(this.mariadb.url('mysql')).port);
    }
  }

  /** Ends all of it but the database, and looks into the exchange's own books. */
  async counted(): Promise<Map<string, number>> {
    await Promise.all(this.servers.splice(0).map(killed));
    if (this.exchange) await killed(this.exchange);
    this.exchange = null;
    const books = await World.open({ dir: this.firm.dir, imapPort: 0, smtpPort: 0, speed: 1 });
    const counts = books.counts();
    await books.close();
    return counts;
  }

  async close(): Promise<void> {
    await Promise.all(this.servers.splice(0).map(killed));
    if (this.exchange) await killed(this.exchange);
    await this.firm.close();
    await this.way.close();
    await this.mariadb.stop();
    rmSync(this.dir, { recursive: true, force: true });
  }
}

async function killed(child: ChildProcess): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) return;
  const gone = new Promise((resolve) => child.once('exit', resolve));
  child.kill('SIGKILL');
  await gone;
}

describe('crashes of everything in mid-mailing', () => {
  const sum = {
    runs: 0,
    recipients: 0,
    kills: 0,
    server: 0,
    database: 0,
    exchange: 0,
    sent: 0,
    returned: 0,
    uncertain: 0,
    arrived: 0,
    twice: 0,
    lost: 0,
  };
  after(() => {
    const figures = Object.entries(sum).map(([name, count]) => `${name}=${count}`);
    process.stdout.write(`result crash ${figures.join(' ')}\n`);
  });

  for (const [run, processes] of RUNS.entries())
    it(`run ${run + 1}, ${processes} at work: everybody once or said to be uncertain, and the exchange’s books agree`, async () => {
      const random = seeded(run + 1);
      const trial = await Trial.open();
      const { firm } = trial;
      try {
        const before = firm.world.counts();
        firm.config.sendGap = GAP;
        const id = await releaseToAll(firm, RECIPIENTS);
        await trial.begin(processes);
        const states = async (): Promise<Record<string, number>> => {
          const rows = await firm
            .db('dispatch')
            .where({ mailing_id: id })
            .groupBy('state')
            .select('state', firm.db.raw('COUNT(*) AS count'))
            .catch(() => []);
          return Object.fromEntries(
            (rows as { state: string; count: number }[]).map((row) => [row.state, Number(row.count)]),
          );
        };
        const kills: Record<Victim, number> = { server: 0, database: 0, exchange: 0 };
        for (let count = 0; count < KILLS; count++) {
          await new Promise((resolve) => setTimeout(resolve, 150 + random() * (LONG ? 1800 : 700)));
          const now = await states();
          if (Object.keys(now).length && !now.waiting && !now.delayed && !now.going) break;
          const draw = random();
          const victim: Victim = draw < 0.6 ? 'server' : draw < 0.8 ? 'exchange' : 'database';
          await trial.kill(victim, random);
          kills[victim]++;
        }
        // What the dead have left lying is taken up when their leases end; here sooner.
        const settled = async () => {
          const now = await states();
          return Object.keys(now).length > 0 && !now.waiting && !now.delayed && !now.going;
        };
        await until(
          'nothing waits',
          async () => {
            if (await settled()) return true;
            await firm
              .db('dispatch')
              .where({ state: 'going' })
              .whereRaw('lease_until < UTC_TIMESTAMP(3) + INTERVAL 50 SECOND')
              .update({ lease_until: new Date(0) })
              .catch(() => 0);
            return false;
          },
          LONG ? 400 : 120,
        );
        const rows = await firm.db('dispatch').where({ mailing_id: id }).orderBy('id');
        const got = await trial.counted();
        sum.runs++;
        sum.recipients += rows.length;
        for (const victim of ['server', 'database', 'exchange'] as const) {
          sum.kills += kills[victim];
          sum[victim] += kills[victim];
        }
        const wrong: string[] = [];
        for (const { to_address, state } of rows) {
          const times = (got.get(to_address) ?? 0) - (before.get(to_address) ?? 0);
          if (times > 1) sum.twice++;
          if (state === 'sent') sum.sent++;
          else if (state === 'returned') sum.returned++;
          else sum.uncertain++;
          if (state === 'uncertain') sum.arrived += times;
          if (state === 'sent' && times === 0) sum.lost++;
          const right = state === 'sent' ? times === 1 : state === 'returned' ? times === 0 : times < 2;
          if (!right) wrong.push(`${to_address}: ${state}, came ${times} times`);
        }
        expect(wrong).to.deep.equal([]);
        expect(rows.length).to.be.at.least(RECIPIENTS * 0.8);
        expect(kills.server + kills.database + kills.exchange).to.be.at.least(LONG ? KILLS * 0.8 : 2);
      } finally {
        await trial.close();
      }
    }).timeout(LONG ? 900_000 : 240_000);
});
