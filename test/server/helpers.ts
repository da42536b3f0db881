import { randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pino from 'pino';
import { loadRecords, makeWorld, pointMailboxes } from '../../demo/load.ts';
import type { DemoRegister } from '../../demo/register.ts';
import { EXCHANGE } from '../../outside/vouch.ts';
import { World } from '../../outside/world.ts';
import { startMariaDB, type PrivateMariaDB } from '../../scripts/mariadb.ts';
import type { Config } from '../../server/foundation/config.ts';
import { ensureDatabase, openDatabase, type Database } from '../../server/foundation/database.ts';
import { weigh } from '../../server/filing/weighing.ts';
import { MailboxSync } from '../../server/mailbox/sync/sync.ts';
import { AppContext } from '../../server/foundation/context.ts';
import { CHORES } from '../../server/parts.ts';
import { migrate } from '../../server/foundation/migrate.ts';

let mariadb: Promise<{ server: PrivateMariaDB; dir: string }> | null = null;
let databases = 0;

/**
 * A fresh database on the tests' own MariaDB, started at the first call.
 * @param server the address of another one to use; DATABASE_URL when that is set
 */
export async function freshDatabase(
  server = process.env.DATABASE_URL,
): Promise<{ url: string; db: Database }> {
  const name = `test_${process.pid}_${++databases}`;
  let url: string;
  if (server) {
    const own = new URL(server);
    own.pathname = `/${name}`;
    url = own.toString();
  } else {
    mariadb ??= (async () => {
      const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-test-'));
      return { dir, server: await startMariaDB(dir) };
    })();
    url = (await mariadb).server.url(name);
  }
  await ensureDatabase(url);
  const db = openDatabase(url);
  await migrate(db);
  return { url, db };
}

/** The folder of the tests' own MariaDB; null when another is used. */
export async function mariadbFolder(): Promise<string | null> {
  return mariadb ? (await mariadb).dir : null;
}

/** Stops the tests' MariaDB; called once at the very end. */
export async function stopMariaDB(): Promise<void> {
  if (!mariadb) return;
  const { server, dir } = await mariadb;
  await server.stop();
  rmSync(dir, { recursive: true, force: true });
  mariadb = null;
}

/** The office manager of the demo firm, as the services are told of her. */
export const MANAGER = {
  id: 1,
  name: 'Maren Okell',
  email: 'maren.okell@quillhurst.example',
  role: 'manager',
} as const;

export interface TestFirm {
  url: string;
  db: Database;
  context: AppContext;
  config: Config;
  world: World;
  register: DemoRegister;
  dir: string;
  /** Brings every mailbox in step once. */
  sync(): Promise<void>;
  close(): Promise<void>;
}

export interface FirmOptions {
  clients?: number;
  files?: number;
  conversationsPerClient?: number;
  speed?: number;
  now?: Date;
  answerShare?: number;
  extensions?: readonly string[];
  /** The address of the database server; the tests' own when left out. */
  server?: string;
  /** Changes the records before they are loaded. */
  adjust?(register: DemoRegister): void;
  /** Changes the outside world's folder before it is opened. */
  arrange?(dir: string): void;
}

/** A small demo firm in a fresh database, with its outside world in this process. */
export async function openFirm(options: FirmOptions = {}): Promise<TestFirm> {
  const { url, db } = await freshDatabase(options.server);
  const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-world-'));
  const register = await makeWorld(dir, {
    seed: 'test',
    now: options.now ?? new Date(),
    clients: options.clients ?? 24,
    files: options.files ?? 44,
    conversationsPerClient: options.conversationsPerClient ?? 1,
    answerShare: options.answerShare ?? 0,
  });
  options.adjust?.(register);
  const key = randomBytes(32);
  await loadRecords(db, register, key);
  options.arrange?.(dir);
  const world = await World.open({
    dir,
    imapPort: 0,
    smtpPort: 0,
    speed: options.speed ?? 1,
    ...(options.extensions ? { extensions: options.extensions } : {}),
  });
  await pointMailboxes(db, world.imapPort, world.smtpPort);
  const config = testConfig(url, key);
  const context = new AppContext(db, config, pino({ level: 'silent' }));
  return {
    url,
    db,
    context,
    config,
    world,
    register,
    dir,
    sync: async () => {
      for (const mailbox of await db('mailbox').select())
        await new MailboxSync(context, mailbox, CHORES).runOnce();
      await weigh(context);
    },
    close: async () => {
      await world.close();
      await db.destroy();
      rmSync(dir, { recursive: true, force: true });
    },
  };
}

/** An office that nobody has set up yet: its tables, and nothing in them. */
export async function openEmptyOffice(): Promise<
  Pick<TestFirm, 'url' | 'db' | 'context' | 'config' | 'close'>
> {
  const { url, db } = await freshDatabase();
  const config = testConfig(url, randomBytes(32));
  const context = new AppContext(db, config, pino({ level: 'silent' }));
  return { url, db, context, config, close: async () => void (await db.destroy()) };
}

function testConfig(databaseUrl: string, key: Buffer): Config {
  return {
    databaseUrl,
    port: 0,
    key,
    workers: false,
    sendGap: 0,
    waitScale: 0.005,
    secureCookies: false,
    webDir: 'dist',
  };
}

/** Waits until the condition holds, looking every 50 ms. @throws when it does not in time */
export async function until(what: string, holds: () => Promise<boolean>, seconds = 20): Promise<void> {
  const end = Date.now() + seconds * 1000;
  while (!(await holds())) {
    if (Date.now() > end) throw new Error(`waited ${seconds} s in vain until ${what}`);
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}

/** A plain raw message. */
export function rawMessage(headers: Record<string, string>, text: string): Buffer {
  const lines = Object.entries({
    'MIME-Version': '1.0',
    'Content-Type': 'text/plain; charset=utf-8',
    ...headers,
  }).map(([name, value]) => `${name}: ${value}`);
  return Buffer.from(`${lines.join('\r\n')}\r\n\r\n${text.replace(/\r?\n/g, '\r\n')}\r\n`);
}

/** What the exchange would have written on top of a genuine message. */
export function vouchedFor(from: string): Record<string, string> {
  const domain = /@([^\s<>]{1,255})/.exec(from)?.[1] ?? 'unknown.invalid';
  return { 'Authentication-Results': `${EXCHANGE}; dmarc=pass header.from=${domain}` };
}

/** Puts a message into a mailbox of the firm, as if it had just arrived. */
export function deliver(
  firm: TestFirm,
  to: string,
  id: string,
  {
    text = 'Good morning.',
    folder = 'INBOX',
    headers = {} as Record<string, string>,
    flags = [] as string[],
  } = {},
): void {
  const raw = rawMessage(
    {
      From: 'Ada Fell <ada@fell.example>',
      To: to,
      Subject: `About ${id}`,
      'Message-ID': `<${id}>`,
      Date: new Date().toUTCString(),
      ...vouchedFor(headers.From ?? 'ada@fell.example'),
      ...headers,
    },
    text,
  );
  firm.world.account(to)?.folder(folder)?.append(raw, flags, new Date());
}

/** The row a query finds. @throws when there is none */
export async function one<Q extends PromiseLike<unknown>>(query: Q): Promise<NonNullable<Awaited<Q>>> {
  const row = await query;
  if (row === undefined || row === null) throw new Error('There is no such row.');
  return row as NonNullable<Awaited<Q>>;
}

/** A note on a file, as a person writes it down. */
export const noteOn = (fileId: number, words: string) => ({
  kind: 'note' as const,
  fileId,
  at: new Date().toISOString(),
  endsAt: null,
  state: 'done' as const,
  place: '',
  words,
  outcome: '',
  personIds: [],
  staffIds: [],
  remindAt: null,
});
