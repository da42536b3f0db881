import { openFolder } from '../server/mailserver/imap.ts';
import { idsOf, select } from '../server/foundation/rows.ts';
import { readMailbox } from '../server/mailserver/access.ts';
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
import { weigh } from '../server/filing/weighing.ts';
import { MailboxSync } from '../server/mailbox/sync/sync.ts';
import { MailQuery } from '../contract/index.ts';
import { hashOf } from '../server/foundation/sources.ts';
import { listMail } from '../server/mailbox/list/list.ts';
import { layGround, line, quantile, result, row, seconds, type Ground } from './ground.ts';

const owner = STAFF[1]?.email ?? '';

/** Takes in a mailbox of so many messages, against one process that fetches and parses the same and keeps nothing. */
export async function benchSync(count = 20_000): Promise<void> {
  console.log(`Taking in a mailbox of ${count.toLocaleString('en-GB')} messages …`);
  const ground = await layGround(212, (dir) => fillMailbox(dir, count));
  try {
    // Before and after, as the machine's speed changes from minute to minute.
    const before = await seconds(() => fetchAndParse(ground.imap, count));
    line('limit: ImapFlow fetches, PostalMime parses, nothing kept', before, count);
    const [mailboxId = 0] = await idsOf(ground.db('mailbox').where({ address: owner }), 'mailbox.id');
    const mailbox = await readMailbox(ground.db, mailboxId);
    // A server that is up has heard of its records long before a mailbox is connected.
    await weigh(ground.context);
    globalThis.gc?.();
    const memory: number[] = [];
    const watch = setInterval(() => memory.push(process.memoryUsage().rss), 500);
    const loop = performance.eventLoopUtilization();
    const cpu = process.cpuUsage();
    const others = ground.processes.map((pid) => cpuSeconds(pid));
    const ours = await seconds(() => new MailboxSync(ground.context, mailbox).runOnce());
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
    const weighed = await seconds(() => weigh(ground.context));
    line('ours: weighed as a whole', weighed, count);
    console.log(
      `${'  of the time it took to take it in'.padEnd(58)} ${((100 * weighed) / ours).toFixed(0)} %`,
    );
    const again = await seconds(() => new MailboxSync(ground.context, mailbox).runOnce());
    console.log(`${'found unchanged afterwards'.padEnd(58)} ${again.toFixed(2).padStart(7)} s`);
    // The limit, before, has left this process larger than it starts.
    console.log(
      `${'memory of our process, half the time below / at most'.padEnd(58)} ${Math.round(quantile(memory, 0.5) / 1e6)} / ${Math.round(quantile(memory, 1) / 1e6)} MB`,
    );
    const after = await seconds(() => fetchAndParse(ground.imap, count));
    line('limit, once more', after, count);
    const limit = (before + after) / 2;
    console.log(`${'share of the limit’s speed'.padEnd(58)} ${((100 * limit) / ours).toFixed(0)} %`);
    const arrival = await newMessage(ground, mailbox.id);
    await lists(ground);
    const states = await select(ground.db('message').groupBy('state'), {
      state: 'message.state',
      count: ground.db.raw<number>('COUNT(*)'),
    });
    console.log(states.map((row) => `${row.state} ${row.count}`).join(', '));
    result('sync', {
      messages: count,
      limit: count / limit,
      ours: count / ours,
      share: limit / ours,
      weighed: weighed / ours,
      arrival,
    });
  } finally {
    await ground.close();
  }
}

/** Processor time a process has used so far, in seconds (Linux counts it in hundredths). */
function cpuSeconds(pid: number): number {
  const fields = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1]?.split(' ') ?? [];
  return (Number(fields[11]) + Number(fields[12])) / 100;
}

const NEW = 20;

/** From the exchange keeping a new message to its record being there, with the connection waiting. @returns the median in milliseconds */
async function newMessage(ground: Ground, mailboxId: number): Promise<number> {
  const mailbox = await readMailbox(ground.db, mailboxId);
  const sync = new MailboxSync(ground.context, mailbox);
  const running = sync.run().catch(() => undefined);
  const other = new ImapFlow({
    host: '127.0.0.1',
    port: ground.imap,
    secure: false,
    doSTARTTLS: false,
    auth: { user: owner, pass: `mail-${owner.split('@')[0]}` },
    logger: false,
  });
  await other.connect();
  await new Promise((resolve) => setTimeout(resolve, 3000));
  const times: number[] = [];
  for (let index = 0; index < NEW; index++) {
    const id = `new${index}@bench.example`;
    const raw = `From: ada@sender1.example\r\nTo: ${owner}\r\nSubject: New ${index}\r\nMessage-ID: <${id}>\r\nDate: ${new Date().toUTCString()}\r\n\r\nGood morning\r\n`;
    const started = performance.now();
    await other.append('INBOX', raw);
    while (
      !(await ground
        .db('message')
        .where({ message_key: hashOf(id) })
        .first('id'))
    )
      await new Promise((resolve) => setTimeout(resolve, 5));
    times.push(performance.now() - started);
    await new Promise((resolve) => setTimeout(resolve, 300));
  }
  row('a new message is recorded after arriving', times);
  sync.stop();
  await running;
  other.close();
  return quantile(times, 0.5);
}

/** Pages of the mail at hand, beside reading as many rows by their key. */
async function lists(ground: Ground): Promise<void> {
  const time = async (what: string, work: () => Promise<unknown>) => {
    const times: number[] = [];
    for (let index = 0; index < 25; index++) {
      const started = performance.now();
      await work();
      times.push(performance.now() - started);
    }
    row(what, times);
  };
  const page = (query: Record<string, string>) =>
    listMail(ground.context, 2, MailQuery.parse({ limit: 60, ...query }));
  const [middle] = await ground.db('message').orderBy('at').offset(500).limit(1).select('at', 'id');
  const [newest] = (await page({})).rows;
  await time('limit: 60 rows by key', () =>
    ground
      .db('message')
      .where('id', '>=', (newest?.id ?? 0) - 60)
      .limit(60)
      .select(),
  );
  await time('first page of the mail', () => page({}));
  await time('the page at its far end', () => page({ after: `${middle?.at.getTime()} ${middle?.id}` }));
  await time('unread', () => page({ view: 'unread' }));
  const common = MATTERS[0]?.lines[0]?.match(/[a-z]{6,}/)?.[0] ?? '';
  await time(`search: a common word, “${common}”`, () => page({ q: common }));
  await time('search: a word that is not there', () => page({ q: 'zanzibar' }));
}

export async function fillMailbox(dir: string, count: number): Promise<void> {
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
  const lock = await openFolder(client, 'INBOX', { readOnly: true });
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
