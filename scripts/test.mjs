import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { checkNode, installModules, installPackages, ROOT } from './prepare.mjs';

/** `npm test`: installs what is missing, then checks form, types and behaviour, and stops at the first that fails. */
checkNode();
installPackages(['mariadb-server', 'chromium']);
installPackages(['dovecot-imapd', 'haproxy'], { optional: true });
installModules();

const bin = (path) => join(ROOT, 'node_modules', path);
const STEPS = [
  ['Rules of the house (ESLint)', bin('eslint/bin/eslint.js'), ['.', '--max-warnings', '0']],
  ['Layout (Prettier)', bin('prettier/bin/prettier.cjs'), ['--check', '--log-level', 'warn', '.']],
  ['Types (vue-tsc)', bin('vue-tsc/bin/vue-tsc.js'), ['--noEmit']],
  ['The web app builds (Vite)', bin('vite/bin/vite.js'), ['build', '--logLevel', 'warn']],
  [
    'Behaviour (Mocha)',
    bin('mocha/bin/mocha.js'),
    [
      'test/core/**/*.test.ts',
      'test/references/**/*.test.ts',
      'test/web/**/*.test.ts',
      'test/server/**/*.test.ts',
      'test/browser/**/*.test.ts',
    ],
  ],
];

let running = null;
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => running?.kill(signal));

for (const [name, program, args] of STEPS) {
  console.log(`\n== ${name}`);
  const started = Date.now();
  const code = await new Promise((resolve) => {
    running = spawn(process.execPath, [program, ...args], {
      cwd: ROOT,
      stdio: ['ignore', 'inherit', 'inherit'],
    });
    running.on('exit', (status) => resolve(status ?? 1));
  });
  if (code !== 0) {
    console.error(`\n${name}: failed.`);
    process.exit(1);
  }
  console.log(`   fine, ${Math.round((Date.now() - started) / 1000)} s`);
}
