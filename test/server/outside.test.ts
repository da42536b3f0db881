import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { ImapFlow } from 'imapflow';
import nodemailer from 'nodemailer';
import request from 'supertest';
import { readMessage } from '../../core/message/read.ts';
import { outsideApp } from '../../outside/page.ts';
import type { WorldSettings } from '../../outside/settings.ts';
import { Account } from '../../outside/store.ts';
import { World } from '../../outside/world.ts';
import { openFolder } from '../../server/mailserver/imap.ts';
import { rawMessage, until } from './helpers.ts';

const OURS = 'tobias@firm.example';
const SETTINGS: WorldSettings = {
  seed: 'outside',
  firmDomain: 'firm.example',
  accounts: [{ address: OURS, name: 'Tobias', password: 'secret' }],
  correspondents: [
    { address: 'ann@one.example', name: 'Ann One', behaviour: 'ordinary' },
    {
      address: 'other@one.example',
      name: 'Otto One',
      behaviour: 'other-address',
      otherAddress: 'field@one.example',
    },
    { address: 'bare@one.example', name: 'Bea One', behaviour: 'no-references' },
    { address: 'away@one.example', name: 'Ava One', behaviour: 'out-of-office' },
    { address: 'gone@one.example', name: '', behaviour: 'reported' },
    { address: 'full@one.example', name: '', behaviour: 'full' },
    { address: 'later@one.example', name: '', behaviour: 'later' },
    { address: 'silent@one.example', name: '', behaviour: 'silent' },
  ],
  answerShare: 1,
};

async function openWorld(
  dir = mkdtempSync(join(tmpdir(), 'patient-clerk-outside-')),
  speed = 100_000,
): Promise<{ world: World; dir: string }> {
  writeFileSync(join(dir, 'world.json'), JSON.stringify(SETTINGS));
  return { world: await World.open({ dir, imapPort: 0, smtpPort: 0, speed }), dir };
}

async function client(world: World, pass = 'secret'): Promise<ImapFlow> {
  const connection = new ImapFlow({
    host: '127.0.0.1',
    port: world.imapPort,
    secure: false,
    doSTARTTLS: false,
    auth: { user: OURS, pass },
    logger: false,
    disableAutoIdle: true,
  });
  await connection.connect();
  return connection;
}

const message = (id: string, extra: Record<string, string> = {}) =>
  rawMessage(
    {
      From: 'ann@one.example',
      To: OURS,
      Subject: `Message ${id}`,
      Date: 'Mon, 02 Nov 2026 10:00:00 +0000',
      'Message-ID': `<${id}@one.example>`,
      ...extra,
    },
    `Words of ${id}.`,
  );

describe('the exchange, driven by ImapFlow', () => {
  let world: World;
  let dir: string;
  let imap: ImapFlow;
  before(async () => {
    ({ world, dir } = await openWorld());
    imap = await client(world);
  });
  after(async () => {
    await imap.logout();
    await world.close();
    rmSync(dir, { recursive: true, force: true });
  });

  it('refuses a wrong password', async () => {
    const refused = await client(world, 'wrong')
      .then(() => false)
      .catch((error: { authenticationFailed?: boolean }) => error.authenticationFailed);
    expect(refused).to.equal(true);
  });

  it('lists folders with their special uses (RFC 6154)', async () => {
    const folders = await imap.list();
    expect(folders.map((folder) => [folder.path, folder.specialUse])).to.deep.include.members([
      ['INBOX', '\\Inbox'],
      ['Sent', '\\Sent'],
      ['Drafts', '\\Drafts'],
      ['Trash', '\\Trash'],
    ]);
  });

  it('appends with its UID (RFC 4315), and gives the very bytes back', async () => {
    const raw = message('one');
    const appended = await imap.append('INBOX', raw, ['\\Seen'], new Date('2026-11-02T10:00:00Z'));
    expect(appended && appended.uid).to.equal(1);
    await imap.mailboxOpen('INBOX');
    const fetched = await imap.fetchOne(
      '1',
      { uid: true, source: true, flags: true, envelope: true, internalDate: true, size: true },
      { uid: true },
    );
    if (!fetched) throw new Error('nothing fetched');
    expect(fetched.source?.equals(raw)).to.equal(true);
    expect([...(fetched.flags ?? [])]).to.deep.equal(['\\Seen']);
    expect(fetched.size).to.equal(raw.length);
    expect(new Date(fetched.internalDate ?? 0).toISOString()).to.equal('2026-11-02T10:00:00.000Z');
    expect(fetched.envelope?.subject).to.equal('Message one');
    expect(fetched.envelope?.messageId).to.equal('<one@one.example>');
    expect(fetched.envelope?.from?.[0]?.address).to.equal('ann@one.example');
  });

  it('fetches parts and headers only', async () => {
    const { content } = await imap.download('1', 'TEXT', { uid: true });
    const chunks: Buffer[] = [];
    for await (const chunk of content ?? []) chunks.push(chunk as Buffer);
    expect(Buffer.concat(chunks).toString()).to.contain('Words of one.');
    const head = await imap.fetchOne('1', { headers: ['subject', 'date'] }, { uid: true });
    expect(head && head.headers?.toString())
      .to.match(/Subject: Message one/)
      .and.not.match(/Message-ID/);
  });

  it('stores flags and says so, with mod-sequences (RFC 7162)', async () => {
    const before = imap.mailbox && imap.mailbox.highestModseq;
    await imap.messageFlagsAdd('1', ['\\Flagged'], { uid: true });
    const flagged = await imap.fetchOne('1', { flags: true }, { uid: true });
    expect(flagged && [...(flagged.flags ?? [])]).to.include('\\Flagged');
    expect(flagged && flagged.modseq && before && flagged.modseq > before).to.equal(true);
    await imap.messageFlagsRemove('1', ['\\Flagged'], { uid: true });
    const changed: number[] = [];
    for await (const row of imap.fetch(
      '1:*',
      { uid: true, flags: true },
      { uid: true, changedSince: before || 0n },
    ))
      changed.push(row.uid);
    expect(changed).to.deep.equal([1]);
  });

  it('searches by header, flag, size, date and words', async () => {
    await imap.append('INBOX', message('two'), [], new Date());
    const find = (query: Parameters<ImapFlow['search']>[0]) => imap.search(query, { uid: true });
    expect(await find({ header: { 'message-id': '<two@one.example>' } })).to.deep.equal([2]);
    expect(await find({ seen: false })).to.deep.equal([2]);
    expect(await find({ subject: 'message one' })).to.deep.equal([1]);
    expect(await find({ body: 'words of two' })).to.deep.equal([2]);
    expect(
      await find({ or: [{ seen: true }, { header: { 'message-id': '<two@one.example>' } }] }),
    ).to.deep.equal([1, 2]);
    expect(await find({ larger: 100_000 })).to.deep.equal([]);
    expect(await find({ before: new Date('2026-11-10') })).to.deep.equal([1]);
    expect(await find({ not: { seen: true } })).to.deep.equal([2]);
  });

  it('copies, moves and expunges, with the new UIDs', async () => {
    const copied = await imap.messageCopy('2', 'Archive', { uid: true });
    expect(copied && copied.uidMap?.get(2)).to.equal(1);
    const moved = await imap.messageMove('2', 'Trash', { uid: true });
    expect(moved && moved.uidMap?.get(2)).to.equal(1);
    expect(await imap.search({ all: true }, { uid: true })).to.deep.equal([1]);
    await imap.messageDelete('1', { uid: true });
    expect(await imap.search({ all: true }, { uid: true })).to.deep.equal([]);
    const status = await imap.status('Trash', { messages: true, uidNext: true });
    expect(status && [status.messages, status.uidNext]).to.deep.equal([1, 2]);
  });

  it('tells of new mail while idle (RFC 2177), and of what went', async () => {
    const second = await client(world);
    await second.mailboxOpen('INBOX');
    const heard: string[] = [];
    second.on('exists', () => heard.push('exists'));
    second.on('expunge', () => heard.push('expunge'));
    void second.idle();
    await new Promise((resolve) => setTimeout(resolve, 100));
    const inbox = world.account(OURS)?.folder('INBOX');
    const kept = inbox?.append(message('three'), [], new Date());
    await until('it is told of', async () => heard.includes('exists'), 3);
    inbox?.expunge([kept?.uid ?? 0]);
    await until('it is told that it went', async () => heard.includes('expunge'), 3);
    await second.logout();
  });

  it('shows a folder that was open already as it is now, when it is opened again', async () => {
    const second = await client(world);
    const look = async () => {
      const lock = await openFolder(second, 'INBOX');
      const found = await second.search({ header: { 'message-id': '<late@one.example>' } }, { uid: true });
      lock.release();
      return found;
    };
    expect(await look()).to.deep.equal([]);
    const kept = await imap.append('INBOX', message('late'));
    expect(await look()).to.deep.equal([kept && kept.uid]);
    await imap.messageDelete(String(kept && kept.uid), { uid: true });
    expect(await look()).to.deep.equal([]);
    await second.logout();
  });

  it('makes and removes folders, but keeps its own', async () => {
    await imap.mailboxCreate('Projects/One');
    expect((await imap.list()).map((folder) => folder.path)).to.include('Projects/One');
    await imap.mailboxDelete('Projects/One');
    expect((await imap.list()).map((folder) => folder.path)).to.not.include('Projects/One');
    const kept = await imap
      .mailboxDelete('INBOX')
      .then(() => 'deleted')
      .catch(() => 'kept');
    expect(kept).to.equal('kept');
  });
});

describe('what the exchange keeps', () => {
  it('is the same after a restart, a half-written line aside', () => {
    const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-store-'));
    const first = new Account(OURS, '', dir);
    const inbox = first.folder('inbox');
    const kept = ['a', 'b', 'c'].map((id) => inbox!.append(message(id), ['\\Seen'], new Date(1000)));
    inbox!.setFlags(kept[1]!, ['\\Flagged']);
    inbox!.expunge([kept[0]!.uid]);
    first.create('Mine & yours');
    first.close();
    writeFileSync(join(dir, 'INBOX.jsonl'), '{"f":[3,["\\\\Deleted"', { flag: 'a' });
    const second = new Account(OURS, '', dir);
    const again = second.folder('INBOX')!;
    expect(again.messages.map((each) => [each.uid, [...each.flags]])).to.deep.equal([
      [2, ['\\Flagged']],
      [3, ['\\Seen']],
    ]);
    expect([again.uidNext, again.highestModseq]).to.deep.equal([4, inbox!.highestModseq]);
    expect(again.read(again.messages[0]!).equals(message('b'))).to.equal(true);
    expect(again.withMessageId('c@one.example')).to.deep.equal([3]);
    expect(second.folder('Mine & yours')).to.not.equal(undefined);
    second.close();
    rmSync(dir, { recursive: true, force: true });
  });
});

describe('the correspondents', () => {
  let world: World;
  let dir: string;
  const send = (to: string, id: string) => {
    const transport = nodemailer.createTransport({
      host: '127.0.0.1',
      port: world.smtpPort,
      secure: false,
      ignoreTLS: true,
      auth: { user: OURS, pass: 'secret' },
    });
    return transport.sendMail({
      from: OURS,
      to,
      subject: 'A gate',
      text: 'Is it open?',
      messageId: `<${id}@firm.example>`,
    });
  };
  const code = (work: Promise<unknown>) =>
    work.then(() => 250).catch((error: { responseCode?: number }) => error.responseCode);
  const answers = async () => {
    const inbox = world.account(OURS)?.folder('INBOX');
    return Promise.all(
      (inbox?.messages ?? []).map((kept) => readMessage(inbox?.read(kept) ?? Buffer.alloc(0))),
    );
  };
  const answerFrom = async (address: string) => {
    await until(
      `${address} has answered`,
      async () => (await answers()).some((read) => read.from?.address === address),
      8,
    );
    return (await answers()).find((read) => read.from?.address === address)!;
  };
  before(async () => {
    ({ world, dir } = await openWorld());
  });
  after(async () => {
    await world.close();
    rmSync(dir, { recursive: true, force: true });
  });

  it('answer in the thread, quoting what was said', async () => {
    await send('ann@one.example', 'q1');
    const read = await answerFrom('ann@one.example');
    expect([read.subject, read.inReplyTo, read.references]).to.deep.equal([
      'Re: A gate',
      ['q1@firm.example'],
      ['q1@firm.example'],
    ]);
    expect(read.text).to.contain('> Is it open?');
  });

  it('answer from another address, or without references', async () => {
    await send('other@one.example', 'q2');
    expect((await answerFrom('field@one.example')).inReplyTo).to.deep.equal(['q2@firm.example']);
    await send('bare@one.example', 'q3');
    const bare = await answerFrom('bare@one.example');
    expect([bare.inReplyTo, bare.references, bare.subject]).to.deep.equal([[], [], 'Re: A gate']);
  });

  it('are out of the office (RFC 3834), or reported as gone (RFC 3464)', async () => {
    await send('away@one.example', 'q4');
    const away = await answerFrom('away@one.example');
    expect([away.automatic, away.inReplyTo]).to.deep.equal(['reply', ['q4@firm.example']]);
    await send('gone@one.example', 'q5');
    const report = await answerFrom('mailer-daemon@one.example');
    expect(report.automatic).to.equal('report');
    expect(report.report?.originalMessageId).to.equal('q5@firm.example');
    expect(report.report?.recipients[0]).to.include({
      address: 'gone@one.example',
      action: 'failed',
      status: '5.1.1',
    });
  });

  it('refuse at once, or say later first, and never answer when silent', async () => {
    expect(await code(send('nobody@one.example', 'q6'))).to.equal(550);
    expect(await code(send('full@one.example', 'q7'))).to.equal(552);
    expect(await code(send('nobody@firm.example', 'q8'))).to.equal(550);
    expect(await code(send('later@one.example', 'q9'))).to.equal(451);
    expect(await code(send('later@one.example', 'q9'))).to.equal(250);
    await send('silent@one.example', 'q10');
    await new Promise((resolve) => setTimeout(resolve, 400));
    expect((await answers()).some((read) => read.from?.address === 'silent@one.example')).to.equal(false);
  });

  it('let only signed-in staff send', async () => {
    const transport = nodemailer.createTransport({
      host: '127.0.0.1',
      port: world.smtpPort,
      secure: false,
      ignoreTLS: true,
      auth: { user: OURS, pass: 'wrong' },
    });
    expect(await code(transport.sendMail({ from: OURS, to: 'ann@one.example', text: 'x' }))).to.equal(535);
  });

  it('can be looked at and spoken for on their own page', async () => {
    const app = outsideApp(world);
    expect((await request(app).get('/')).text).to.contain('Outside world');
    const people = (await request(app).get('/api/people').query({ q: 'ann@' })).body;
    expect(
      people.people.map((person: { address: string; received: number }) => [person.address, person.received]),
    ).to.deep.equal([['ann@one.example', 1]]);
    const inbox = (await request(app).get('/api/inbox').query({ address: 'ann@one.example' })).body;
    expect(inbox[0]).to.include({ subject: 'A gate', from: OURS });
    const before = (await answers()).length;
    expect(
      (
        await request(app)
          .post('/api/answer')
          .send({ address: 'ann@one.example', uid: inbox[0].uid, text: 'By hand.' })
      ).status,
    ).to.equal(200);
    expect(
      (
        await request(app)
          .post('/api/write')
          .send({ address: 'ann@one.example', to: OURS, subject: 'New', text: 'Of my own accord.' })
      ).status,
    ).to.equal(200);
    const now = await answers();
    expect(now.length).to.equal(before + 2);
    expect(now.at(-2)?.text).to.contain('By hand.');
    expect(now.at(-1)?.subject).to.equal('New');
    const empty = await request(app)
      .post('/api/answer')
      .send({ address: 'ann@one.example', uid: inbox[0].uid, text: ' ' });
    expect([empty.status, empty.body.message]).to.deep.equal([400, 'Write something first.']);
    const stranger = await request(app)
      .post('/api/write')
      .send({ address: 'x@x.example', to: OURS, subject: 'a', text: 'b' });
    expect(stranger.body.message).to.equal('Nobody has that address out here.');
  });

  it('keep their clock’s pace when it is changed, and their plans over a restart', async () => {
    const slow = await openWorld(undefined, 1);
    const transport = nodemailer.createTransport({
      host: '127.0.0.1',
      port: slow.world.smtpPort,
      secure: false,
      ignoreTLS: true,
      auth: { user: OURS, pass: 'secret' },
    });
    await transport.sendMail({
      from: OURS,
      to: 'away@one.example',
      subject: 'Slowly',
      text: 'x',
      messageId: '<slow@firm.example>',
    });
    expect(slow.world.deedsWaiting).to.equal(1);
    await slow.world.close();
    const again = await openWorld(slow.dir, 1);
    expect(again.world.deedsWaiting).to.equal(1);
    again.world.speed = 100_000;
    await until(
      'the plan is carried out',
      async () => (again.world.account(OURS)?.folder('INBOX')?.messages.length ?? 0) === 1,
      5,
    );
    expect(again.world.deedsWaiting).to.equal(0);
    await again.world.close();
    rmSync(slow.dir, { recursive: true, force: true });
  });
});
