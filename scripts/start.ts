import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import {
  chmodSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import {
  DEMO_PASSWORD,
  DEMO_SEED,
  loadRecords,
  makeWorld,
  pointGateway,
  pointMailboxes,
  sayWhere,
} from '../demo/load.ts';
import { releaseAutumnLetter } from '../demo/mailings.ts';
import { STAFF } from '../demo/register.ts';
import { readKey } from '../server/foundation/config.ts';
import { ensureDatabase, openDatabase } from '../server/foundation/database.ts';
import { clusterPackages, ClusterProxy, GaleraCluster } from './galera.ts';
import { portOrOther, startMariaDB, type PrivateMariaDB } from './mariadb.ts';
import { migrateAt } from '../server/foundation/migrate.ts';

/**
 * `npm start`: everything, in order; `--empty` begins an office of one's own, without the demo, in a folder beside it;
 * `--libreoffice` installs what prints word-processor templates first, `--fresh` begins the demo again, `--dev` serves the web app with reloading,
 * `--cluster` shows it on three databases and two servers (docs/SCALING.md), in a folder that goes at the end.
 */
const { values } = parseArgs({
  options: {
    fresh: { type: 'boolean' },
    dev: { type: 'boolean' },
    cluster: { type: 'boolean' },
    empty: { type: 'boolean' },
    libreoffice: { type: 'boolean' },
  },
});
const root = resolve(import.meta.dirname, '..');
const data = values.cluster
  ? mkdtempSync(join(tmpdir(), 'patient-clerk-'))
  : resolve(process.env.PATIENT_CLERK_DATA ?? join(root, values.empty ? '.office' : '.data'));
const external = values.cluster ? undefined : process.env.DATABASE_URL;
const children: ChildProcess[] = [];
let mariadb: PrivateMariaDB | null = null;
let cluster: { nodes: GaleraCluster; proxy: ClusterProxy } | null = null;
let ending = false;
/** Whether the data folder is ours; another start may hold it. */
let owner = false;

process.on('SIGINT', () => void end(0));
process.on('SIGTERM', () => void end(0));
process.on('SIGHUP', () => void end(0));

try {
  await begin();
} catch (error) {
  console.error(`\nPatient Clerk could not start: ${(error as Error).message}\n`);
  await end(1);
}

async function begin(): Promise<void> {
  mkdirSync(data, { recursive: true });
  onlyOnce();
  if (values.fresh && !external)
    for (const part of ['mariadb', 'outside']) rmSync(join(data, part), { recursive: true, force: true });
  const databaseUrl = external ?? (await database()).url('patient_clerk');
  const demo = !values.empty && (!external || process.env.DEMO === 'on');
  const key = readKey(join(data, 'seal.key'));
  const wanted = Number(process.env.PORT ?? 4310);
  await ensureDatabase(databaseUrl);
  await migrateAt(databaseUrl);
  const db = openDatabase(databaseUrl, { pool: 4 });
  let world: { imap: number; smtp: number; page: number } | null = null;
  try {
    if (demo) {
      if (!existsSync(join(data, 'outside', 'world.json')))
        say('Making the demo firm and nine months of its mail …');
      const register = await makeWorld(join(data, 'outside'), { seed: DEMO_SEED, now: new Date() });
      const fresh = await loadRecords(db, register, key);
      say('Starting the outside world …');
      world = await child<{ imap: number; smtp: number; page: number }>('outside/main.ts', [
        '--dir',
        join(data, 'outside'),
        '--page',
        String(await portOrOther(4320)),
        '--speed',
        process.env.WORLD_SPEED ?? '60',
      ]);
      await pointMailboxes(db, world.imap, world.smtp);
      await pointGateway(db, key, `http://127.0.0.1:${world.page}/gateway`, fresh);
      if (fresh) {
        // For the links in mailings.
        await sayWhere(db, `http://127.0.0.1:${await portOrOther(wanted)}`);
        await releaseAutumnLetter(db, key);
      }
    }
  } finally {
    await db.destroy();
  }
  if (!values.dev) build();
  const { port, setUpCode } = await serve(databaseUrl, wanted);
  const address = values.dev ? await serveWithReloading(port) : `http://127.0.0.1:${port}`;
  console.log(`\n  Patient Clerk is at      ${address}`);
  if (cluster) await tellOfCluster(databaseUrl, port + 1);
  if (setUpCode)
    console.log(
      `  This office is still to be set up. Open it and give this code, which stands nowhere else:\n\n      ${setUpCode}`,
    );
  if (demo) console.log(`  Sign in with             ${STAFF[0]?.email}`);
  if (demo) console.log(`  Password                 ${DEMO_PASSWORD}   (the same for all five of the staff)`);
  if (world)
    console.log(
      `  The outside world is at  http://127.0.0.1:${world.page}   (its clock runs ${process.env.WORLD_SPEED ?? '60'} times faster than life)`,
    );
  console.log('\n  Ctrl-C stops everything.\n');
}

/** The database, or three of them behind one address. */
async function database(): Promise<{ url(name: string): string }> {
  if (!values.cluster) {
    say('Starting MariaDB …');
    return (mariadb = await startMariaDB(join(data, 'mariadb')));
  }
  const { missing } = clusterPackages();
  if (missing.length) throw new Error(`these Debian packages are missing: ${missing.join(', ')}.`);
  say('Starting three databases …');
  chmodSync(data, 0o755);
  const nodes = await GaleraCluster.start(join(data, 'databases'), 3, randomBytes(24).toString('hex'));
  const proxy = await ClusterProxy.start(nodes);
  cluster = { nodes, proxy };
  return proxy;
}

/** Starts a server process. @returns its port, and the code for setting the office up while that is to be done */
async function serve(
  databaseUrl: string,
  wanted: number,
): Promise<{ port: number; setUpCode: string | null }> {
  const port = await portOrOther(wanted);
  if (port !== wanted) say(`Port ${wanted} is in use; taking ${port} instead.`);
  const { setUpCode } = await child<{ setUpCode: string | null }>('server/main.ts', [], {
    DATABASE_URL: databaseUrl,
    PORT: String(port),
    SEAL_KEY_FILE: join(data, 'seal.key'),
    WEB_DIR: join(root, 'dist'),
    LOG_LEVEL: process.env.LOG_LEVEL ?? 'warn',
  });
  return { port, setUpCode };
}

async function tellOfCluster(databaseUrl: string, wanted: number): Promise<void> {
  console.log(`  and, a second server, at http://127.0.0.1:${(await serve(databaseUrl, wanted)).port}`);
  for (const node of cluster?.nodes.nodes ?? [])
    console.log(`  Database ${node.name}             process ${node.pid}, port ${node.ports.sql}`);
  console.log('  All write to db1. Kill it (kill -9 and its process) and see what the office sees of it.');
}

function say(words: string): void {
  if (!ending) console.log(words);
}

/** Two starts must not share one data folder. */
function onlyOnce(): void {
  const path = join(data, 'start.pid');
  if (existsSync(path)) {
    const pid = Number(readFileSync(path, 'utf8'));
    let command = '';
    try {
      command = readFileSync(`/proc/${pid}/cmdline`, 'utf8');
    } catch {
      // It is gone.
    }
    if (pid !== process.pid && command.includes('start.mjs'))
      throw new Error(`it is running already, as process ${pid}, on the data in ${data}.`);
  }
  writeFileSync(path, String(process.pid));
  owner = true;
}

/** Runs one of our programs and waits until it says it is ready. */
function child<T>(program: string, args: string[], env: Record<string, string> = {}): Promise<T> {
  return new Promise((ready, fail) => {
    const started = spawn(process.execPath, ['--import=tsx', join(root, program), ...args], {
      cwd: root,
      env: { ...process.env, ...env },
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
      // Ctrl-C reaches it through us, in order.
      detached: true,
    });
    children.push(started);
    started.once('message', (message) => ready(message as T));
    started.once('exit', (code) => {
      fail(new Error(`${program} ended with code ${code}`));
      if (!ending) void end(1, `${program} ended unexpectedly.`);
    });
  });
}

function newest(dir: string): number {
  return Math.max(
    0,
    ...readdirSync(dir, { withFileTypes: true, recursive: true })
      .filter((entry) => entry.isFile())
      .map((entry) => statSync(join(entry.parentPath, entry.name)).mtimeMs),
  );
}

/** Builds the web app unless the last build is newer than everything it is made of. */
function build(): void {
  const built = join(root, 'dist', 'index.html');
  const sources = Math.max(...['web', 'contract', 'core'].map((dir) => newest(join(root, dir))));
  if (existsSync(built) && statSync(built).mtimeMs > sources) return;
  say('Building the web app …');
  const done = spawnSync(
    process.execPath,
    [join(root, 'node_modules/vite/bin/vite.js'), 'build', '--logLevel', 'warn'],
    { cwd: root, stdio: 'inherit' },
  );
  if (done.status !== 0) throw new Error('the web app could not be built.');
}

async function serveWithReloading(apiPort: number): Promise<string> {
  process.env.API_ADDRESS = `http://127.0.0.1:${apiPort}`;
  const { createServer } = await import('vite');
  const vite = await createServer({
    configFile: join(root, 'vite.config.ts'),
    server: { port: await portOrOther(4330) },
  });
  await vite.listen();
  return vite.resolvedUrls?.local[0] ?? '';
}

/** Ends every part, the last started first; MariaDB after all that use it. */
async function end(code: number, why?: string): Promise<void> {
  if (ending) return;
  ending = true;
  if (why) console.error(why);
  for (const started of [...children].reverse()) await endChild(started);
  await mariadb?.stop();
  await cluster?.proxy.stop();
  await cluster?.nodes.stop();
  if (values.cluster) rmSync(data, { recursive: true, force: true });
  else if (owner) rmSync(join(data, 'start.pid'), { force: true });
  process.exit(code);
}

function endChild(started: ChildProcess): Promise<void> {
  return new Promise((done) => {
    if (started.exitCode !== null || started.signalCode !== null) return done();
    const timer = setTimeout(() => started.kill('SIGKILL'), 8000);
    started.once('exit', () => {
      clearTimeout(timer);
      done();
    });
    started.kill('SIGTERM');
  });
}
