import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { replay, type CorpusRegister } from '../core/filing/replay.ts';
import { readMbox } from '../core/message/mbox.ts';

/** Replays a corpus through core/filing: `npm run --silent filing:replay -- DIR --out decisions.csv`. */
const { positionals, values } = parseArgs({ allowPositionals: true, options: { out: { type: 'string' } } });
const folder = positionals[0];
if (!folder || !values.out) {
  console.error('usage: npm run --silent filing:replay -- DIR --out decisions.csv');
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
const messages = readMbox(readFileSync(join(folder, 'mail.mbox')));
for await (const step of replay(
  register,
  messages,
  (index) => (truth[index] ?? '').split(';').filter(Boolean),
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

/** Splits one CSV row (RFC 4180) whose fields hold no line breaks. */
function splitRow(line: string): string[] {
  return Array.from(
    line.matchAll(/(?:^|,)(?:"((?:[^"]|"")*)"|([^,]*))/g),
    (match) => match[1]?.replaceAll('""', '"') ?? match[2] ?? '',
  );
}
