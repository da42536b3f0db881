import { spawnSync } from 'node:child_process';
import { cpSync, mkdtempSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import ts from 'typescript';

/**
 * `npm run mutate -- 48 7`: changes one word of `core/` at a time in a copy of the project, so many times from so
 * great a seed, and says how many of these changes the unit tests notice. Some changes mean the same as before; those
 * that none notices are listed, to be looked at.
 */
const [wanted = '48', seed = '7'] = process.argv.slice(2).filter((argument) => argument !== '--');
const root = resolve(import.meta.dirname, '..');
const copy = mkdtempSync(join(tmpdir(), 'patient-clerk-mutants-'));
const PATIENCE = 120_000;

/** What an operator or a literal is changed into. */
const OPERATORS: Partial<Record<ts.SyntaxKind, string>> = {
  [ts.SyntaxKind.LessThanToken]: '<=',
  [ts.SyntaxKind.LessThanEqualsToken]: '<',
  [ts.SyntaxKind.GreaterThanToken]: '>=',
  [ts.SyntaxKind.GreaterThanEqualsToken]: '>',
  [ts.SyntaxKind.EqualsEqualsEqualsToken]: '!==',
  [ts.SyntaxKind.ExclamationEqualsEqualsToken]: '===',
  [ts.SyntaxKind.AmpersandAmpersandToken]: '||',
  [ts.SyntaxKind.BarBarToken]: '&&',
  [ts.SyntaxKind.PlusToken]: '-',
  [ts.SyntaxKind.MinusToken]: '+',
  [ts.SyntaxKind.TrueKeyword]: 'false',
  [ts.SyntaxKind.FalseKeyword]: 'true',
};

interface Mutant {
  file: string;
  from: number;
  to: number;
  text: string;
}

function mutantsOf(file: string): Mutant[] {
  const source = ts.createSourceFile(
    file,
    readFileSync(join(root, file), 'utf8'),
    ts.ScriptTarget.Latest,
    true,
  );
  const found: Mutant[] = [];
  const visit = (node: ts.Node): void => {
    // Types mean nothing while the program runs.
    if (ts.isTypeNode(node) || ts.isInterfaceDeclaration(node) || ts.isTypeAliasDeclaration(node)) return;
    const text = ts.isBinaryExpression(node)
      ? OPERATORS[node.operatorToken.kind]
      : (OPERATORS[node.kind] ?? (ts.isNumericLiteral(node) ? String(Number(node.text) + 1) : undefined));
    const at = ts.isBinaryExpression(node) ? node.operatorToken : node;
    if (text !== undefined) found.push({ file, from: at.getStart(), to: at.getEnd(), text });
    ts.forEachChild(node, visit);
  };
  visit(source);
  return found;
}

/** Numbers from a seed (mulberry32, public domain; from memory). */
function numbersFrom(start: number): () => number {
  let state = start;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

function noticed(): boolean {
  const mocha = join(root, 'node_modules/mocha/bin/mocha.js');
  const tests = ['test/core/*.test.ts', 'test/references/*.test.ts', 'test/web/*.test.ts'];
  const run = spawnSync(
    process.execPath,
    [
      mocha,
      '--import=tsx',
      '--bail',
      '--ignore',
      'test/core/growth.test.ts',
      '--ignore',
      'test/core/house.test.ts',
      ...tests,
    ],
    { cwd: copy, stdio: 'ignore', timeout: PATIENCE },
  );
  return run.status !== 0;
}

try {
  for (const part of [
    'core',
    'contract',
    'server',
    'web',
    'outside',
    'demo',
    'scripts',
    'test',
    '.mocharc.json',
    'package.json',
    'tsconfig.json',
  ])
    cpSync(join(root, part), join(copy, part), { recursive: true });
  symlinkSync(join(root, 'node_modules'), join(copy, 'node_modules'));
  if (noticed()) throw new Error('The tests fail before anything is changed.');
  const files = readdirSync(join(root, 'core'), { recursive: true, encoding: 'utf8' })
    .filter((name) => name.endsWith('.ts'))
    .map((name) => join('core', name));
  const mutants = files.flatMap(mutantsOf);
  const chance = numbersFrom(Number(seed));
  let caught = 0;
  for (let n = 0; n < Number(wanted); n++) {
    const mutant = mutants[Math.floor(chance() * mutants.length)];
    if (!mutant) break;
    const whole = readFileSync(join(root, mutant.file), 'utf8');
    writeFileSync(
      join(copy, mutant.file),
      whole.slice(0, mutant.from) + mutant.text + whole.slice(mutant.to),
    );
    const seen = noticed();
    if (seen) caught++;
    else {
      const line = whole.slice(0, mutant.from).split('\n').length;
      console.log(
        `${mutant.file}:${line}  ${whole.slice(mutant.from, mutant.to)} → ${mutant.text}  ${whole.split('\n')[line - 1]?.trim()}`,
      );
    }
    writeFileSync(join(copy, mutant.file), whole);
  }
  const share = Math.round((100 * caught) / Number(wanted));
  console.log(`result mutate changes=${wanted} seed=${seed} noticed=${caught} share=${share}%`);
} finally {
  rmSync(copy, { recursive: true, force: true });
}
