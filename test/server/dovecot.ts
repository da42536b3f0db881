import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { chownSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { tmpdir, userInfo } from 'node:os';
import { join } from 'node:path';
import { ImapFlow } from 'imapflow';
import type { Context } from 'mocha';
import { freePort } from '../../scripts/mariadb.ts';
import { seal } from '../../server/security/seal.ts';
import type { TestFirm } from './helpers.ts';

/** How an independent IMAP server is set up for a test. */
export interface DovecotOptions {
  layout?: 'maildir' | 'sdbox';
  separator?: '/' | '.';
  /** Before the names of all folders but INBOX. */
  prefix?: string;
  /** What it says it can do; everything it can when left out. */
  capability?: string;
  /** Whether it tells which folder is which (RFC 6154), and has them from the start. */
  specialUse?: boolean;
  /** Kilobytes that fit into a mailbox. */
  quota?: number;
}

export const PASSWORD = 'a long way round';

const PROGRAM = '/usr/sbin/dovecot';

/** Passes tests over, with a word, where Debian's package dovecot-imapd is not here; `npm test` installs it where it may. */
export function skipWithoutDovecot(tests: Context): void {
  if (existsSync('/usr/lib/dovecot/imap')) return;
  process.stdout.write('    passed over: dovecot-imapd is not here\n');
  tests.skip();
}

/** Dovecot from Debian's packages: an IMAP server that nobody of this project wrote, on loopback, with a certificate of our own making. */
export class Dovecot {
  private constructor(
    readonly dir: string,
    readonly port: number,
    readonly tlsPort: number,
    private child: ChildProcess,
    private readonly options: DovecotOptions,
  ) {}

  /** The authority that signed its certificate, as PEM. */
  get authority(): string {
    return readFileSync(join(this.dir, 'authority.pem'), 'utf8');
  }

  static async start(options: DovecotOptions = {}): Promise<Dovecot> {
    const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-dovecot-'));
    execFileSync('chmod', ['755', dir]);
    const [port, tlsPort] = [await freePort(), await freePort()];
    makeCertificates(dir);
    const home = join(dir, 'home');
    mkdirSync(home);
    if (process.getuid?.() === 0) chownSync(home, NOBODY, NOGROUP);
    writeFileSync(join(dir, 'users'), '');
    writeFileSync(join(dir, 'dovecot.conf'), configuration(dir, port, tlsPort, options));
    const server = new Dovecot(dir, port, tlsPort, await run(dir, port), options);
    process.once('exit', server.endNow);
    return server;
  }

  /** Serves one mailbox of a firm from now on, by STARTTLS; the others rest. */
  async serve(firm: TestFirm, address: string): Promise<void> {
    this.user(address);
    Object.assign(firm.config, { mailAuthorities: this.authority });
    await firm.db('mailbox').whereNot({ address }).update({ paused_at: new Date() });
    await firm
      .db('mailbox')
      .where({ address })
      .update({
        imap_host: 'localhost',
        imap_port: this.port,
        imap_security: 'starttls',
        user: address,
        sealed_password: seal(firm.config.key, PASSWORD),
      });
  }

  /** Adds a person, or changes their password. */
  user(name: string, password = PASSWORD): void {
    const others = readFileSync(join(this.dir, 'users'), 'utf8')
      .split('\n')
      .filter((line) => line && !line.startsWith(`${name}:`));
    writeFileSync(join(this.dir, 'users'), `${[...others, `${name}:{PLAIN}${password}`].join('\n')}\n`);
  }

  /** A client of our own making that acts on the other side. */
  async other(user: string): Promise<ImapFlow> {
    const client = new ImapFlow({
      host: '127.0.0.1',
      port: this.port,
      secure: false,
      doSTARTTLS: false,
      auth: { user, pass: PASSWORD },
      logger: false,
      disableAutoIdle: true,
    });
    client.on('error', () => undefined);
    await client.connect();
    return client;
  }

  /** Ends the processes that serve a person's connections, as an administrator would, or a fault. */
  kick(user: string): void {
    execFileSync('doveadm', ['-c', join(this.dir, 'dovecot.conf'), 'kick', user], { stdio: 'ignore' });
  }

  /** What its administrator runs. */
  admin(...args: string[]): string {
    return execFileSync('doveadm', ['-c', join(this.dir, 'dovecot.conf'), ...args], { encoding: 'utf8' });
  }

  async restart(change: Partial<DovecotOptions> = {}): Promise<void> {
    await this.end();
    Object.assign(this.options, change);
    writeFileSync(
      join(this.dir, 'dovecot.conf'),
      configuration(this.dir, this.port, this.tlsPort, this.options),
    );
    this.child = await run(this.dir, this.port);
  }

  async end(): Promise<void> {
    if (this.child.exitCode !== null || this.child.signalCode !== null) return;
    const ended = new Promise((resolve) => this.child.once('exit', resolve));
    this.child.kill('SIGTERM');
    await ended;
    // Those that carry protected connections go on without their master.
    try {
      process.kill(-(this.child.pid ?? 0), 'SIGKILL');
    } catch {
      // None was left.
    }
  }

  /** However this process ends, short of kill -9, the server does not outlive it. */
  private readonly endNow = (): void => void this.child.kill('SIGTERM');

  async stop(): Promise<void> {
    process.off('exit', this.endNow);
    await this.end();
    rmSync(this.dir, { recursive: true, force: true });
  }
}

const NOBODY = 65_534;
const NOGROUP = 65_534;

function makeCertificates(dir: string): void {
  const openssl = (...args: string[]) => execFileSync('openssl', args, { cwd: dir, stdio: 'ignore' });
  const key = ['-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:prime256v1', '-nodes'];
  openssl(
    'req',
    '-x509',
    ...key,
    '-keyout',
    'authority.key',
    '-out',
    'authority.pem',
    '-days',
    '30',
    '-subj',
    '/CN=Trial authority',
  );
  openssl('req', ...key, '-keyout', 'server.key', '-out', 'server.csr', '-subj', '/CN=localhost');
  writeFileSync(join(dir, 'names'), 'subjectAltName=DNS:localhost,IP:127.0.0.1\n');
  openssl(
    'x509',
    '-req',
    '-in',
    'server.csr',
    '-CA',
    'authority.pem',
    '-CAkey',
    'authority.key',
    '-CAcreateserial',
    '-days',
    '30',
    '-extfile',
    'names',
    '-out',
    'server.pem',
  );
}

function configuration(dir: string, port: number, tlsPort: number, options: DovecotOptions): string {
  const { layout = 'sdbox', separator = '/', prefix = '', capability, specialUse = true, quota } = options;
  const own = userInfo();
  const asRoot = own.uid === 0;
  const [uid, gid] = asRoot ? [NOBODY, NOGROUP] : [own.uid, own.gid];
  const people = asRoot
    ? ''
    : `default_login_user = ${own.username}\ndefault_internal_user = ${own.username}\ndefault_internal_group = ${own.gid}`;
  const roles = specialUse
    ? ['Drafts', 'Junk', 'Sent', 'Trash', 'Archive']
        .map((name) => `  mailbox ${name} {\n    special_use = \\${name}\n    auto = create\n  }`)
        .join('\n')
    : '';
  const folders = layout === 'maildir' ? 'maildir:~/Maildir' : 'sdbox:~/sdbox';
  return `protocols = imap
listen = 127.0.0.1
base_dir = ${dir}/run
state_dir = ${dir}/state
log_path = ${dir}/log
ssl = yes
ssl_cert = <${dir}/server.pem
ssl_key = <${dir}/server.key
disable_plaintext_auth = no
auth_failure_delay = 0
auth_cache_size = 0
first_valid_uid = 1
last_valid_uid = 0
${people}
mail_location = ${folders}
mail_max_userip_connections = 50
mail_plugins = ${quota ? 'quota' : ''}
protocol imap {
  mail_plugins = ${quota ? 'quota imap_quota' : ''}
}
${quota ? `plugin {\n  quota = count:box\n  quota_vsizes = yes\n  quota_rule = *:storage=${quota}K\n  quota_grace = 0\n}` : ''}
${capability ? `imap_capability = ${capability}` : ''}
passdb {
  driver = passwd-file
  args = username_format=%u ${dir}/users
}
userdb {
  driver = static
  args = uid=${uid} gid=${gid} home=${dir}/home/%u
}
namespace inbox {
  inbox = yes
  separator = ${separator}
  prefix = ${prefix}
${roles}
}
service imap-login {
  chroot =
  inet_listener imap {
    port = ${port}
  }
  inet_listener imaps {
    port = ${tlsPort}
    ssl = yes
  }
}
service anvil {
  chroot =
}
service stats {
  unix_listener stats-writer {
    mode = 0666
  }
}
`;
}

/** Starts it and waits until it answers. */
async function run(dir: string, port: number): Promise<ChildProcess> {
  const child = spawn(PROGRAM, ['-F', '-c', join(dir, 'dovecot.conf')], {
    stdio: 'ignore',
    detached: true,
  });
  for (let tries = 0; tries < 100; tries++) {
    if (child.exitCode !== null) break;
    if (await answers(port)) return child;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  const log = join(dir, 'log');
  throw new Error(`Dovecot did not come up: ${execFileSync('tail', ['-5', log], { encoding: 'utf8' })}`);
}

function answers(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const probe = connect(port, '127.0.0.1');
    probe.once('data', () => resolve(true));
    probe.once('error', () => resolve(false));
    probe.once('data', () => probe.destroy());
  });
}
