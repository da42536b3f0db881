import { readFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { performance } from 'node:perf_hooks';
import { ImapFlow } from 'imapflow';
import PostalMime from 'postal-mime';
import { STAFF } from '../demo/register.ts';
import { Account } from '../outside/store.ts';
import { compose } from '../outside/letters.ts';
import { pick, seeded } from '../outside/random.ts';
import { GENERAL, MATTERS } from '../demo/names.ts';
import { MailboxSync } from '../server/mailbox/sync.ts';
import { layGround, line, seconds } from './ground.ts';

const owner = STAFF[1]?.email ?? '';

/** Takes in a mailbox of so many messages, against one process that fetches and parses the same and keeps nothing. */
export async function benchSync(count = 20_000): Promise<void> {
  console.log(`Taking in a mailbox of ${count.toLocaleString('en-GB')} messages …`);
  const ground = await layGround(212, (dir) => fillMailbox(dir, count));
  try {
    const limit = await seconds(() => fetchAndParse(ground.imap, count));
    line('limit: ImapFlow fetches, PostalMime parses, nothing kept', limit, count);
    const mailbox = await ground.db('mailbox').where({ address: owner }).first();
    let peak = 0;
    const watch = setInterval(() => (peak = Math.max(peak, process.memoryUsage().rss)), 200);
    const loop = performance.eventLoopUtilization();
    const cpu = process.cpuUsage();
    const others = ground.processes.map((pid) => cpuSeconds(pid));
    const ours = await seconds(() => new MailboxSync(ground.office, mailbox).runOnce());
    const used = process.cpuUsage(cpu);
    const busy = performance.eventLoopUtilization(loop).utilization;
    clearInterval(watch);
    line('ours: fetched, parsed, filed, kept with source and index', ours, count);
    const [database = 0, exchange = 0] = ground.processes.map(
      (pid, index) => cpuSeconds(pid) - (others[index] ?? 0),
    );
    console.log(
      `  main thread busy ${(100 * busy).toFixed(0)} %; processor time: ours ${((used.user + used.system) / 1e6).toFixed(1)} s, ` +
        `MariaDB ${database.toFixed(1)} s, the exchange ${exchange.toFixed(1)} s, of ${(availableParallelism() * ours).toFixed(1)} s there are`,
    );
    const again = await seconds(() => new MailboxSync(ground.office, mailbox).runOnce());
    console.log(`${'found unchanged afterwards'.padEnd(58)} ${again.toFixed(2).padStart(7)} s`);
    console.log(`${'greatest memory of our process'.padEnd(58)} ${Math.round(peak / 1e6)} MB`);
    console.log(`${'share of the limit’s speed'.padEnd(58)} ${((100 * limit) / ours).toFixed(0)} %`);
    const states = await ground.db('message').groupBy('state').select('state').count('* as count');
    console.log(states.map((row) => `${row.state} ${row.count}`).join(', '));
  } finally {
    await ground.close();
  }
}

/** Processor time a process has used so far, in seconds (Linux counts it in hundredths). */
function cpuSeconds(pid: number): number {
  const fields = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1]?.split(' ') ?? [];
  return (Number(fields[11]) + Number(fields[12])) / 100;
}

async function fillMailbox(dir: string, count: number): Promise<void> {
  const random = seeded('bench mail');
  const patterns = await Promise.all(
    Array.from({ length: 400 }, async (_, index) => {
      const matter = pick(random, [...MATTERS, GENERAL]);
      const from = `writer${index}@sender${index % 90}.example`;
      const words = Array.from({ length: 3 + Math.floor(random() * 12) }, () =>
        pick(random, matter.lines),
      ).join('\n\n');
      return compose({
        from: { name: `Writer ${index}`, address: from },
        to: owner,
        subject: pick(random, matter.subjects),
        text: words,
        ...(random() < 0.4 ? { html: `<p>${words.replaceAll('\n\n', '</p><p>')}</p>` } : {}),
        ...(random() < 0.15
          ? { attachments: [{ filename: 'plan.bin', content: Buffer.alloc(20_000, index) }] }
          : {}),
        messageId: '<PATTERN@bench.example>',
      });
    }),
  );
  const account = new Account(owner, '', join(dir, 'accounts', owner));
  const inbox = account.folder('INBOX');
  for (let index = 0; index < count; index++) {
    const raw = patterns[index % patterns.length] ?? Buffer.alloc(0);
    const at = raw.indexOf('PATTERN@');
    // Every fourth answers the one before it.
    const reply = index % 4 === 3 ? `In-Reply-To: <m${index - 1}@bench.example>\r\n` : '';
    inbox?.append(
      Buffer.concat([
        Buffer.from(reply),
        raw.subarray(0, at),
        Buffer.from(`m${index}`),
        raw.subarray(at + 7),
      ]),
      ['\\Seen'],
      new Date(Date.now() - (count - index) * 60_000),
    );
  }
  account.close();
}

async function fetchAndParse(port: number, count: number): Promise<void> {
  const client = new ImapFlow({
    host: '127.0.0.1',
    port,
    secure: false,
    doSTARTTLS: false,
    auth: { user: owner, pass: `mail-${owner.split('@')[0]}` },
    logger: false,
  });
  await client.connect();
  const lock = await client.getMailboxLock('INBOX', { readOnly: true });
  let parsed = 0;
  for await (const message of client.fetch('1:*', {
    uid: true,
    source: true,
    flags: true,
    internalDate: true,
  })) {
    if (message.source) await PostalMime.parse(message.source);
    parsed++;
  }
  lock.release();
  await client.logout();
  if (parsed < count) throw new Error(`only ${parsed} of ${count} messages were fetched`);
}
