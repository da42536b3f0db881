import { fork, type ChildProcess } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect } from 'chai';
import { mailingDraft, releaseDraft } from './drafts.ts';
import { until, type TestFirm } from './helpers.ts';

/** A server process of its own for a firm. @param server the database server it talks to, when another than the firm's */
export function serverProcess(
  firm: TestFirm,
  server = firm.url,
): Promise<{ child: ChildProcess; port: number }> {
  const url = new URL(server);
  url.pathname = new URL(firm.url).pathname;
  const keyFile = join(firm.dir, 'seal.key');
  writeFileSync(keyFile, firm.config.key.toString('hex'));
  return new Promise((resolve, reject) => {
    const child = fork('server/main.ts', {
      env: {
        ...process.env,
        DATABASE_URL: url.toString(),
        PORT: '0',
        SEAL_KEY_FILE: keyFile,
        WAIT_SCALE: '0.005',
        SEND_GAP_MS: String(firm.config.sendGap),
        LOG_LEVEL: 'silent',
        WEB_DIR: '/nonexistent',
      },
      execArgv: ['--import=tsx'],
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
    });
    child.once('message', ({ port }: { port: number }) => resolve({ child, port }));
    child.once('exit', () => reject(new Error('a server process ended')));
  });
}

/** Ends a server process. @throws when it had ended by itself */
export async function ended(child: ChildProcess): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null)
    throw new Error('a server process did not outlive it');
  const gone = new Promise((resolve) => child.once('exit', resolve));
  child.kill('SIGTERM');
  const timer = setTimeout(() => child.kill('SIGKILL'), 12_000);
  await gone;
  clearTimeout(timer);
}

/** Releases a mailing to everybody, or to so many of them. @returns its number */
export async function releaseToAll(firm: TestFirm, most = Infinity): Promise<number> {
  return (await releaseDraft(firm, mailingDraft(), most)).id;
}

/** Waits until what has left of a mailing is on record and lies in Sent. */
export async function untilSettled(firm: TestFirm, mailingId: number): Promise<void> {
  const open = () =>
    firm
      .db('dispatch')
      .where({ mailing_id: mailingId, state: 'sent' })
      .where((any) => any.whereNull('logged_message_id').orWhereNull('sent_copy_at'))
      .first('id');
  await until('all are logged and lie in Sent', async () => !(await open()), 90);
}

/** By the exchange's own books: everybody to whom a mailing left has it once, and its copy lies in Sent once. */
export async function expectOnceEach(firm: TestFirm, mailingId: number): Promise<void> {
  const got = firm.world.counts();
  const rows: { to_address: string; state: string; sent_at: Date | null; message_id: string }[] = await firm
    .db('dispatch')
    .where({ mailing_id: mailingId });
  for (const row of rows) expect(got.get(row.to_address) ?? 0, row.to_address).to.equal(row.sent_at ? 1 : 0);
  const addresses: string[] = await firm.db('mailbox').pluck('address');
  const sent = addresses.map((address) => firm.world.account(address)?.folder('Sent'));
  for (const { message_id } of rows.filter(({ state }) => state === 'sent'))
    expect(
      sent.flatMap((folder) => folder?.withMessageId(message_id) ?? []),
      message_id,
    ).to.have.length(1);
}
