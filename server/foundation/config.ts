import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';

/** What a server process is told by its surroundings. */
export interface Config {
  databaseUrl: string;
  port: number;
  /** 32 bytes that seal mailbox passwords; kept outside the database. */
  key: Buffer;
  /** Whether to keep mailboxes in step and send mailings in this process. */
  workers: boolean;
  /**
   * Least time between two messages of mailings from one mailbox, in milliseconds, where it has no limit of its own.
   * Common practice: ten a minute is 600 an hour, and nobody needs more.
   */
  sendGap: number;
  /** Factor on the waits between attempts; 1 but in tests. */
  waitScale: number;
  /** Whether cookies are for https only. */
  secureCookies: boolean;
  /** Which servers before this one are believed about who asks and whether by https; none when left out. */
  trustProxy?: string | number;
  /** Authorities whose certificates mail servers may bear besides the usual ones, as PEM; none when left out. */
  mailAuthorities?: string;
  webDir: string;
}

/** Reads the configuration from the environment. @throws with a sentence saying what is missing */
export function readConfig(env: NodeJS.ProcessEnv): Config {
  if (!env.DATABASE_URL)
    throw new Error('DATABASE_URL is not set: give it the address of a MariaDB database.');
  return {
    databaseUrl: env.DATABASE_URL,
    port: Number(env.PORT ?? 4310),
    key: readKey(env.SEAL_KEY_FILE ?? '.data/seal.key'),
    workers: env.WORKERS !== 'off',
    sendGap: Number(env.SEND_GAP_MS ?? 6000),
    waitScale: Number(env.WAIT_SCALE ?? 1),
    secureCookies: env.SECURE_COOKIES === 'on',
    ...(env.TRUST_PROXY
      ? { trustProxy: /^\d{1,2}$/.test(env.TRUST_PROXY) ? Number(env.TRUST_PROXY) : env.TRUST_PROXY }
      : {}),
    ...(env.MAIL_AUTHORITIES ? { mailAuthorities: readAuthorities(env.MAIL_AUTHORITIES) } : {}),
    webDir: env.WEB_DIR ?? 'dist',
  };
}

/** Certificates of authorities. @throws with a sentence saying what is wrong with the file */
function readAuthorities(path: string): string {
  const text = existsSync(path) ? readFileSync(path, 'utf8') : '';
  if (!text.includes('-----BEGIN CERTIFICATE-----'))
    throw new Error(`MAIL_AUTHORITIES names ${path}, which holds no certificate (PEM).`);
  return text;
}

/** The sealing key, made at the first start. @throws when the key is not 32 bytes in hexadecimal */
export function readKey(path: string): Buffer {
  if (!existsSync(path)) {
    mkdirSync(dirname(path), { recursive: true });
    writeFileSync(path, randomBytes(32).toString('hex'), { mode: 0o600, flag: 'wx' });
  }
  const key = Buffer.from(readFileSync(path, 'utf8').trim(), 'hex');
  if (key.length !== 32) throw new Error(`${path} does not hold a key of 32 bytes.`);
  return key;
}
