import { fork, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pino from 'pino';
import { loadRecords, makeWorld, pointMailboxes } from '../demo/load.ts';
import { startMariaDB } from '../scripts/mariadb.ts';
import { ensureDatabase, openDatabase, type Database } from '../server/foundation/database.ts';
import { AppContext } from '../server/foundation/context.ts';
import { migrate } from '../server/foundation/migrate.ts';

/** A firm, its outside world in a process of its own, and a fresh database: the ground every bench stands on. */
export interface Ground {
  db: Database;
  context: AppContext;
  imap: number;
  smtp: number;
  /** MariaDB's process and the outside world's. */
  processes: number[];
  close(): Promise<void>;
}

/** @param conversations how many there are of each client in the mailboxes, on the average */
export async function layGround(
  clients: number,
  furnish: (dir: string) => Promise<void> | void,
  conversations = 0.01,
): Promise<Ground> {
  const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-bench-'));
  const mariadb = await startMariaDB(join(dir, 'mariadb'));
  const url = mariadb.url('bench');
  await ensureDatabase(url);
  const db = openDatabase(url);
  await migrate(db);
  const key = randomBytes(32);
  const worldDir = join(dir, 'world');
  const register = await makeWorld(worldDir, {
    seed: 'bench',
    now: new Date(),
    clients,
    files: Math.round(clients * 1.8),
    conversationsPerClient: conversations,
  });
  await loadRecords(db, register, key);
  await furnish(worldDir);
  const outside = await startOutside(worldDir);
  await pointMailboxes(db, outside.imap, outside.smtp);
  const config = {
    databaseUrl: url,
    port: 0,
    key,
    workers: false,
    sendGap: 0,
    waitScale: 0.01,
    secureCookies: false,
    webDir: '',
  };
  return {
    db,
    context: new AppContext(db, config, pino({ level: 'warn' })),
    imap: outside.imap,
    smtp: outside.smtp,
    processes: [mariadb.pid, outside.child.pid ?? 0],
    close: async () => {
      await new Promise((resolve) => {
        outside.child.once('exit', resolve);
        outside.child.kill('SIGTERM');
      });
      await db.destroy();
      await mariadb.stop();
      rmSync(dir, { recursive: true, force: true });
    },
  };
}

function startOutside(dir: string): Promise<{ child: ChildProcess; imap: number; smtp: number }> {
  return new Promise((resolve, reject) => {
    const child = fork('outside/main.ts', ['--dir', dir, '--speed', '0.1'], { execArgv: ['--import=tsx'] });
    child.once('message', (ports) => resolve({ child, ...(ports as { imap: number; smtp: number }) }));
    child.once('exit', (code) => reject(new Error(`the outside world ended with code ${code}`)));
  });
}

export async function seconds(work: () => Promise<unknown>): Promise<number> {
  const started = performance.now();
  await work();
  return (performance.now() - started) / 1000;
}

export function line(what: string, time: number, count: number): void {
  console.log(
    `${what.padEnd(58)} ${time.toFixed(1).padStart(7)} s ${Math.round(count / time)
      .toLocaleString('en-GB')
      .padStart(8)} a second`,
  );
}

/** The value below which this share of them lies (nearest rank). */
export function quantile(values: readonly number[], share: number): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.min(sorted.length - 1, Math.ceil(share * sorted.length) - 1)] ?? 0;
}

/** The last line of a measurement, for programs: numbers to three places. */
export function result(name: string, figures: Readonly<Record<string, number>>): void {
  const each = Object.entries(figures).map(([key, value]) => `${key}=${Math.round(value * 1000) / 1000}`);
  console.log(`result ${name} ${each.join(' ')}`);
}

/** One line of a table of times. */
export function row(what: string, millis: readonly number[]): void {
  const figure = (share: number) => quantile(millis, share).toFixed(3).padStart(8);
  console.log(`${what.padEnd(46)} median ${figure(0.5)} ms   99th percentile ${figure(0.99)} ms`);
}
