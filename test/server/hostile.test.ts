import { countOf } from '../../server/foundation/rows.ts';
import { spawn, type ChildProcess } from 'node:child_process';
import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect } from 'chai';
import { DEMO_PASSWORD } from '../../demo/load.ts';
import { ATTACKS } from '../attacks.ts';
import { deliver, openFirm, until, vouchedFor, type TestFirm } from './helpers.ts';

const PETRA = 'petra.lund@quillhurst.example';
const RUFUS = 'rufus.adair@quillhurst.example';

describe('hostile mail, and a server of its own that takes it in', () => {
  let firm: TestFirm;
  let server: ChildProcess;
  let address = '';
  let cookie = '';
  const waits: number[] = [];
  let probing = true;
  let probe: Promise<void> = Promise.resolve();
  const ask = (path: string, init: RequestInit = {}) =>
    fetch(`${address}/api${path}`, {
      ...init,
      headers: { cookie, 'content-type': 'application/json', ...init.headers },
    });
  const recorded = async (id: string) =>
    firm.db('message').where({ message_id: id }).first() as Promise<
      { id: number; problem: string | null } | undefined
    >;

  before(async () => {
    firm = await openFirm({ clients: 6, files: 10, conversationsPerClient: 0.3 });
    await firm.sync();
    const key = join(firm.dir, 'seal.key');
    writeFileSync(key, firm.config.key.toString('hex'), { mode: 0o600 });
    server = spawn(process.execPath, ['--import=tsx', 'server/main.ts'], {
      env: { ...process.env, DATABASE_URL: firm.url, PORT: '0', SEAL_KEY_FILE: key, LOG_LEVEL: 'error' },
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
    });
    const port = await new Promise<number>((ready) =>
      server.once('message', (said) => ready((said as { port: number }).port)),
    );
    address = `http://127.0.0.1:${port}`;
    const signedIn = await ask('/session', {
      method: 'POST',
      body: JSON.stringify({ email: 'maren.okell@quillhurst.example', password: DEMO_PASSWORD }),
    });
    cookie = (signedIn.headers.getSetCookie()[0] ?? '').split(';')[0] ?? '';
    deliver(firm, RUFUS, 'warm@fell.example');
    await until(
      'the first letter is here',
      async () => (await recorded('warm@fell.example')) !== undefined,
      40,
    );
    probe = (async () => {
      while (probing) {
        const start = performance.now();
        await (await ask('/session')).text();
        waits.push(performance.now() - start);
        await new Promise((resolve) => setTimeout(resolve, 100));
      }
    })();
  });
  after(async () => {
    probing = false;
    await probe;
    const ended = new Promise((resolve) => server.once('exit', resolve));
    server.kill('SIGTERM');
    await ended;
    rmSync(join(firm.dir, 'seal.key'), { force: true });
    await firm.close();
  });

  const attack = (name: string, length: number, id: string): void => {
    const make = ATTACKS[name];
    if (!make) throw new Error(name);
    const head = `From: Ada Fell <ada@fell.example>\r\nTo: ${PETRA}\r\nX-Test: ${id}\r\n`;
    const raw = Buffer.from(head + make(length));
    firm.world.account(PETRA)?.folder('INBOX')?.append(raw, [], new Date());
  };

  for (const length of [900, 9_000, 70_000, 150_000]) {
    it(`is taken in whole, ${length.toLocaleString('en-GB')} letters each, and the ordinary letter after it`, async () => {
      const inbox = firm.world.account(PETRA)?.folder('INBOX');
      for (const name of Object.keys(ATTACKS)) {
        // As they vary: no two of the same length.
        attack(name, length + Math.floor(Math.random() * 50), `${name} ${length}`);
        if (length < 100_000) continue;
        deliver(firm, PETRA, `after-${name.replaceAll(' ', '-')}-${length}@fell.example`);
        await until(
          'it is recorded',
          async () => {
            const id = `after-${name.replaceAll(' ', '-')}-${length}@fell.example`;
            return (await recorded(id)) !== undefined;
          },
          10,
        );
      }
      deliver(firm, PETRA, `after-${length}@fell.example`);
      await until(
        'the letter after them is recorded',
        async () => (await recorded(`after-${length}@fell.example`)) !== undefined,
        10,
      );
      await until('every message has a record', async () => {
        const row = await countOf(
          firm
            .db('message_copy')
            .join('folder', 'folder.id', 'message_copy.folder_id')
            .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
            .where({ address: PETRA, path: 'INBOX' }),
        );
        return row === inbox?.messages.length;
      });
    }).timeout(120_000);
  }

  it('is opened, shown and settled like any other', async () => {
    const ids: number[] = await firm
      .db('message')
      .join('message_copy', 'message_copy.message_id', 'message.id')
      .join('folder', 'folder.id', 'message_copy.folder_id')
      .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
      .where('mailbox.address', PETRA)
      .whereIn('message.state', ['suggested', 'logged'])
      .distinct('message.id')
      .pluck('message.id');
    expect(ids.length).to.be.greaterThan(100);
    for (const id of ids)
      for (const path of ['', '/page', '/source', '/alike']) {
        const answer = await ask(`/messages/${id}${path}`);
        await answer.arrayBuffer();
        expect([id, path, answer.status]).to.deep.equal([id, path, 200]);
      }
    const settled = await ask('/sorting', {
      method: 'POST',
      body: JSON.stringify({ messageId: ids[0], alsoIds: ids.slice(1), to: { kind: 'aside' } }),
    });
    expect(settled.status).to.equal(200);
  }).timeout(180_000);

  it('what cannot be read is kept as its source, says why, and waits for a person', async () => {
    const lines = Buffer.from(
      `From: Ada Fell <ada@fell.example>\r\nTo: ${PETRA}\r\nMessage-ID: <crumbs@fell.example>\r\nSubject: A million lines\r\n\r\n${'a\r\n'.repeat(1_000_000)}`,
    );
    firm.world.account(PETRA)?.folder('INBOX')?.append(lines, [], new Date());
    deliver(firm, PETRA, 'after-crumbs@fell.example', { headers: vouchedFor('ada@fell.example') });
    await until(
      'the letter after it is recorded',
      async () => (await recorded('after-crumbs@fell.example')) !== undefined,
      10,
    );
    const kept = await recorded('crumbs@fell.example');
    expect(kept?.problem).to.contain('short lines');
    const view = (await (await ask(`/messages/${kept?.id}`)).json()) as {
      subject: string;
      own: string;
      problem: string;
    };
    expect(view).to.include({ subject: 'A million lines' });
    expect(view.own).to.contain('a\r\na');
    const today = (await (await ask('/today')).json()) as { unreadable: number };
    expect(today.unreadable).to.be.greaterThan(0);
    const source = Buffer.from(await (await ask(`/messages/${kept?.id}/source`)).arrayBuffer());
    expect(source.equals(lines)).to.equal(true);
    const again = await ask(`/messages/${kept?.id}/read-again`, { method: 'POST', body: '{}' });
    expect(await again.json()).to.deep.equal({ problem: kept?.problem });
    const filed = await ask('/sorting', {
      method: 'POST',
      body: JSON.stringify({ messageId: kept?.id, to: { kind: 'files', fileIds: [1] } }),
    });
    expect(filed.status).to.equal(200);
  });

  it('holds nobody up: no page waited longer than 0.3 s, and the server was never held for 50 ms', async () => {
    const held = (await (await ask('/held')).json()) as { p99: number; most: number };
    const sorted = [...waits].sort((a, b) => a - b);
    expect(waits.length).to.be.greaterThan(50);
    expect(sorted.at(Math.floor(0.99 * sorted.length))).to.be.below(300);
    expect(held.p99).to.be.below(50);
    if (process.env.SHOW_WAITS)
      process.stdout.write(
        `waits: ${waits.length}, median ${sorted.at(Math.floor(sorted.length / 2))?.toFixed(0)}, p99 ${sorted.at(Math.floor(0.99 * sorted.length))?.toFixed(0)}, most ${sorted.at(-1)?.toFixed(0)}; held ${JSON.stringify(held)}\n`,
      );
  });
});
