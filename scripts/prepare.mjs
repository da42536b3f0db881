import { execFileSync, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

/** Plain JavaScript without dependencies: it runs before anything is installed. */
export const ROOT = join(dirname(fileURLToPath(import.meta.url)), '..');

const PROGRAMS = {
  'mariadb-server': ['/usr/sbin/mariadbd', '/usr/bin/mariadbd', '/usr/libexec/mariadbd'],
  chromium: ['/usr/bin/chromium'],
  'dovecot-imapd': ['/usr/lib/dovecot/imap'],
  haproxy: ['/usr/sbin/haproxy'],
  'poppler-utils': ['/usr/bin/pdftotext'],
  'libreoffice-writer-nogui': ['/usr/bin/soffice'],
};

/** A sentence for the person at the terminal, then the end. */
export function giveUp(message) {
  console.error(`\n${message}\n`);
  process.exit(1);
}

/**
 * Installs the Debian packages that are missing; without root it says exactly which command does it.
 * @param {(keyof typeof PROGRAMS)[]} packages
 * @param {{ optional?: boolean }} how whether it goes on without them, with a word
 */
export function installPackages(packages, { optional = false } = {}) {
  const missing = packages.filter((name) => !PROGRAMS[name].some(existsSync));
  if (!missing.length) return;
  const command = `apt-get install -y --no-install-recommends ${missing.join(' ')}`;
  if (optional && process.getuid?.() !== 0)
    return console.log(`Without ${missing.join(' and ')}: what needs them is passed over (${command}).`);
  if (process.getuid?.() !== 0) {
    giveUp(
      `These Debian packages are missing: ${missing.join(', ')}.\nInstall them with\n\n  sudo ${command}\n\nand start again. No service needs to be enabled: Patient Clerk runs its own.`,
    );
  }
  console.log(`Installing ${missing.join(' and ')} …`);
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  const run = (args) =>
    spawnSync('apt-get', args, { env, stdio: ['ignore', 'ignore', 'inherit'] }).status === 0;
  const install = ['install', '-y', '-qq', '--no-install-recommends', ...missing];
  // The lists may be old or absent: fetch them, and once more if a mirror was busy.
  for (let attempt = 0; attempt < 3; attempt++) {
    run(['update', '-qq']);
    if (run(install)) return;
  }
  if (optional)
    return console.log(`${missing.join(' and ')} could not be installed; what needs them is passed over.`);
  giveUp(`The packages could not be installed. Try by hand:\n\n  ${command}`);
}

/** Says what is missing without a package, and how it is had; it is large, and not everybody wants it. */
export function offerPackage(name, what, how) {
  if (PROGRAMS[name].some(existsSync)) return;
  console.log(`${what}\nTo have it: ${how}, or apt-get install -y --no-install-recommends ${name}.`);
}

/** Installs the npm packages when they are missing or the lock file changed. */
export function installModules() {
  const lock = createHash('sha256')
    .update(readFileSync(join(ROOT, 'package-lock.json')))
    .digest('hex');
  const mark = join(ROOT, 'node_modules', '.installed-for');
  if (existsSync(mark) && readFileSync(mark, 'utf8') === lock) return;
  console.log('Installing npm packages …');
  try {
    execFileSync('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error'], {
      cwd: ROOT,
      stdio: ['ignore', 'ignore', 'inherit'],
    });
  } catch {
    giveUp('The npm packages could not be installed. Is the npm registry in reach?');
  }
  writeFileSync(mark, lock);
}

/** Refuses to run on a Node that is too old. */
export function checkNode() {
  const major = Number(process.versions.node.split('.')[0]);
  if (major < 20) giveUp(`Node 20 or newer is needed; this is ${process.versions.node}.`);
}

/** Lets the rest be TypeScript. */
export async function loadTypeScript() {
  const { register } = await import('tsx/esm/api');
  register();
}
