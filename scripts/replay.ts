import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { replay, toldAll, toldAsked, type CorpusRegister } from '../core/filing/replay.ts';
import { readMbox } from '../core/message/mbox.ts';
import { decisionsCsv, readTruth, type DecisionRow } from './decisions.ts';

/**
 * Replays a corpus through core/filing: `npm run --silent filing:replay -- DIR --out decisions.csv`. Told are all
 * messages at once, or only those that are asked about and a share of the mistakes (`--notice`), so many messages
 * late (`--delay`), or none.
 */
const { positionals, values } = parseArgs({
  allowPositionals: true,
  options: {
    out: { type: 'string' },
    told: { type: 'string', default: 'all' },
    delay: { type: 'string', default: '15' },
    notice: { type: 'string', default: '0.25' },
  },
});
const folder = positionals[0];
const delay = Number(values.delay);
const notice = Number(values.notice);
const USAGE =
  'usage: npm run --silent filing:replay -- DIR --out decisions.csv [--told all|asked|never] [--delay N] [--notice P]';
if (
  !folder ||
  !values.out ||
  !['all', 'asked', 'never'].includes(values.told) ||
  !(Number.isInteger(delay) && delay >= 0) ||
  !(notice >= 0 && notice <= 1)
) {
  console.error(USAGE);
  process.exit(2);
}

const register = JSON.parse(readFileSync(join(folder, 'register.json'), 'utf8')) as CorpusRegister;
const truth = readTruth(folder);
const rows: DecisionRow[] = [];
const truthOf = (index: number) => truth[index] ?? [];
/** The same on every run. */
let state = 1;
const chance = () => (state = (state * 48271) % 0x7fffffff) / 0x7fffffff;
const told =
  values.told === 'all'
    ? toldAll(truthOf)
    : values.told === 'asked'
      ? toldAsked(truthOf, { delay, notice }, chance)
      : () => [];
let count = 0;
const messages = readMbox(readFileSync(join(folder, 'mail.mbox')));
for await (const step of replay(
  register,
  messages,
  (step, index) => {
    const lessons = told(step, index);
    count += lessons.length;
    return lessons;
  },
  () => performance.now(),
)) {
  rows.push(step);
}
writeFileSync(values.out, decisionsCsv(rows));
console.error(`told of ${count} of ${rows.length} messages`);
