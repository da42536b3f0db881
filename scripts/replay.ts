import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { replay, toldAll, toldAsked, type CorpusRegister } from '../core/filing/replay.ts';
import { readMbox } from '../core/message/mbox.ts';

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
const truth = readFileSync(join(folder, 'truth.csv'), 'utf8')
  .split(/\r?\n/)
  .slice(1)
  .filter(Boolean)
  .map((line) => splitRow(line)[2] ?? '');

const quote = (field: string) => (/[",\r\n]/.test(field) ? `"${field.replaceAll('"', '""')}"` : field);
const rows = ['message_id,mailbox,decision,files,candidates,micros'];
const truthOf = (index: number) => (truth[index] ?? '').split(';').filter(Boolean);
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
  rows.push(
    [
      step.messageId,
      step.mailbox,
      step.outcome,
      step.files.join(';'),
      step.candidates.join(';'),
      String(Math.round(step.micros)),
    ]
      .map(quote)
      .join(','),
  );
}
writeFileSync(values.out, `${rows.join('\r\n')}\r\n`);
console.error(`told of ${count} of ${rows.length - 1} messages`);

/** Splits one CSV row (RFC 4180) whose fields hold no line breaks. */
function splitRow(line: string): string[] {
  return Array.from(
    line.matchAll(/(?:^|,)(?:"((?:[^"]|"")*)"|([^,]*))/g),
    (match) => match[1]?.replaceAll('""', '"') ?? match[2] ?? '',
  );
}
