import { createHash } from 'node:crypto';
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { join, relative } from 'node:path';
import type { Mailbox } from '../core/address/address.ts';
import { returnKind } from '../core/delivery/report.ts';
import { LIMITS, cut } from '../core/message/limits.ts';
import { readMbox } from '../core/message/mbox.ts';
import { readMessage } from '../core/message/read.ts';
import { writtenPart } from '../core/message/written.ts';

/**
 * Says how each message of a folder of .eml and mbox files is read, one JSON object a line, so that it can be held
 * against another parser: `npm run --silent mail:check -- DIR > read.jsonl`.
 */
const folder = process.argv[2];
if (!folder || !statSync(folder, { throwIfNoEntry: false })?.isDirectory()) {
  console.error('usage: npm run --silent mail:check -- DIR, a folder of .eml and .mbox files');
  process.exit(2);
}

const asText = ({ name, address }: Mailbox) => (name ? `${name} <${address}>` : address);

async function check(file: string, number: number, raw: Uint8Array): Promise<void> {
  const started = performance.now();
  const message = await readMessage(raw);
  const { own, signature, footer, quoted } = writtenPart(
    cut(message.text, LIMITS.filing),
    message.from ? [message.from.name] : [],
    message.from?.address,
  );
  const line = {
    file,
    number,
    subject: message.subject,
    from: message.from && asText(message.from),
    to: message.to.map(asText),
    cc: message.cc.map(asText),
    date: message.date?.toISOString() ?? null,
    messageId: message.messageId,
    references: message.references,
    own,
    folded: { signature, footer, quoted },
    enclosures: message.enclosures.map(({ filename, mimeType, size, content }) => ({
      filename,
      mimeType,
      size,
      sha256: createHash('sha256').update(content).digest('hex'),
    })),
    automatic: message.automatic,
    report:
      message.report &&
      message.report.recipients.map(({ address, action, status, diagnostic }) => ({
        address,
        action,
        status,
        kind: action === 'failed' ? returnKind(status, diagnostic) : null,
      })),
    problem: message.problem,
    milliseconds: Math.round((performance.now() - started) * 10) / 10,
  };
  process.stdout.write(`${JSON.stringify(line)}\n`);
}

for (const name of readdirSync(folder, { recursive: true, encoding: 'utf8' }).sort()) {
  const path = join(folder, name);
  if (!/\.(?:eml|mbox)$/i.test(name) || !statSync(path).isFile()) continue;
  const bytes = readFileSync(path);
  const messages = /\.mbox$/i.test(name) ? readMbox(bytes) : [bytes];
  let number = 0;
  for (const raw of messages) await check(relative(folder, path), ++number, raw);
}
