import { spawn } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statfsSync } from 'node:fs';
import { join } from 'node:path';
import { checkNode, installModules, installPackages, ROOT } from './prepare.mjs';

/** `npm test`: installs what is missing, then checks form, types and behaviour, and stops at the first that fails. */
checkNode();
installPackages(['mariadb-server', 'chromium', 'poppler-utils']);
installPackages(['dovecot-imapd', 'haproxy'], { optional: true });
installModules();

const bin = (path) => join(ROOT, 'node_modules', path);
/** What looks at the code alone: side by side, since each keeps one core busy. */
const LANES = [
  [['Types (vue-tsc)', bin('vue-tsc/bin/vue-tsc.js'), ['--noEmit']]],
  [
    ['Rules of the house (ESLint)', bin('eslint/bin/eslint.js'), ['.', '--max-warnings', '0']],
    ['Layout (Prettier)', bin('prettier/bin/prettier.cjs'), ['--check', '--log-level', 'warn', '.']],
    ['The web app builds (Vite)', bin('vite/bin/vite.js'), ['build', '--logLevel', 'warn']],
  ],
];
const mocha = (name, ...args) => [name, bin('mocha/bin/mocha.js'), args];
/** It measures what a page waits beside hostile mail: nothing runs beside it. */
const ALONE = 'test/server/hostile.test.ts';
/** They wait for servers to end and to come back, most of the time. */
const WAITING = ['away', 'cluster', 'crash'].map((name) => `test/server/${name}.test.ts`);
/** What looks at how it behaves, each lane with a database of its own; about as long one as the other. */
const BEHAVIOUR = [
  mocha(
    'Behaviour, the server (Mocha)',
    'test/server/**/*.test.ts',
    ...[ALONE, ...WAITING].flatMap((file) => ['--ignore', file]),
  ),
  mocha(
    'Behaviour, the heart, servers that go away, and the screens (Mocha)',
    'test/core/**/*.test.ts',
    'test/references/**/*.test.ts',
    'test/web/**/*.test.ts',
    ...WAITING,
    'test/browser/**/*.test.ts',
  ),
];

/** What the tests write at most, with room to spare: some 160 small databases. */
const SCRATCH_BYTES = 12 * 1024 ** 3;
const MEMORY = '/dev/shm';
const SCRATCH = /^patient-clerk-tests-(\d+)$/;

/**
 * Makes a folder in memory for what the tests write and throw away, where there is room: a disk that others use too
 * may stand still for half a minute, and it is not the disk that is tested. One left by a run that was killed goes.
 * @returns its path; null where there is no room, or the person at the terminal says where to write
 */
function scratch() {
  if (process.env.TMPDIR || !existsSync(MEMORY)) return null;
  for (const name of readdirSync(MEMORY)) {
    const [, pid] = SCRATCH.exec(name) ?? [];
    if (pid && !existsSync(`/proc/${pid}`)) rmSync(join(MEMORY, name), { recursive: true, force: true });
  }
  const { bavail, bsize } = statfsSync(MEMORY);
  const [, free] = /^MemAvailable: *(\d+) kB$/m.exec(readFileSync('/proc/meminfo', 'utf8')) ?? [];
  if (!(Math.min(bavail * bsize, Number(free) * 1024) >= SCRATCH_BYTES)) return null;
  const dir = join(MEMORY, `patient-clerk-tests-${process.pid}`);
  mkdirSync(dir);
  // A mail server among the tests works as a user of its own.
  chmodSync(dir, 0o1777);
  process.once('exit', () => rmSync(dir, { recursive: true, force: true }));
  return dir;
}
const dir = scratch();
if (dir) process.env.TMPDIR = dir;

const running = new Set();
const stop = (signal) => running.forEach((child) => child.kill(signal));
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => stop(signal));

/**
 * Carries out one step.
 * @param apart whether it is shown only when it is through
 * @returns whether it went well
 */
async function step([name, program, args], apart) {
  if (!apart) console.log(`\n== ${name}`);
  const started = Date.now();
  const shown = apart ? 'pipe' : 'inherit';
  const child = spawn(process.execPath, [program, ...args], { cwd: ROOT, stdio: ['ignore', shown, shown] });
  running.add(child);
  let said = apart ? `\n== ${name}\n` : '';
  for (const stream of [child.stdout, child.stderr]) stream?.on('data', (data) => (said += data));
  const code = await new Promise((resolve) => child.on('close', (status) => resolve(status ?? 1)));
  running.delete(child);
  if (said) process.stdout.write(said);
  if (code === 0) console.log(`   ${name}: fine, ${Math.round((Date.now() - started) / 1000)} s`);
  else console.error(`\n${name}: failed.`);
  return code === 0;
}

function end() {
  stop('SIGTERM');
  process.exit(1);
}

await Promise.all(
  LANES.map(async (lane) => {
    for (const each of lane) if (!(await step(each, true))) end();
  }),
);
const [first, ...others] = BEHAVIOUR;
const well = await Promise.all([step(first, false), ...others.map((other) => step(other, true))]);
well.push(await step(mocha('Behaviour, beside hostile mail (Mocha)', ALONE), false));
if (!well.every(Boolean)) end();
