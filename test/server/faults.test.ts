import { countOf } from '../../server/foundation/rows.ts';
import { randomBytes } from 'node:crypto';
import { expect } from 'chai';
import { readRaw } from '../../server/foundation/sources.ts';
import { MailboxSync } from '../../server/mailbox/sync/sync.ts';
import type { Account } from '../../outside/store.ts';
import { viewMessage } from '../../server/filing/message.ts';
import { deliver, openFirm, rawMessage, type TestFirm, one } from './helpers.ts';
import { connectionProblem } from '../../server/mailserver/problem.ts';

const RUFUS = 'rufus.adair@quillhurst.example';
const RUFUS_ID = 4;

describe('a provider’s moods', () => {
  let firm: TestFirm;
  let account: Account;
  const mailbox = () => one(firm.db('mailbox').where({ address: RUFUS }).first());
  const sync = async () => new MailboxSync(firm.context, await mailbox()).runOnce();
  const byId = (id: string) => one(firm.db('message').where({ message_id: id }).first());
  const said = (work: Promise<unknown>) =>
    work.then(
      () => 'nothing',
      (error: unknown) => connectionProblem(error).words,
    );
  before(async () => {
    firm = await openFirm({ clients: 4, files: 6, conversationsPerClient: 0.2 });
    account = firm.world.account(RUFUS)!;
    await sync();
  });
  after(() => firm.close());
  afterEach(() => {
    for (const key of Object.keys(firm.world.faults) as (keyof typeof firm.world.faults)[])
      delete firm.world.faults[key];
  });

  it('goes on after the connection broke within a message, and has each once', async () => {
    for (let index = 0; index < 30; index++)
      deliver(firm, RUFUS, `cut${index}@x.example`, { text: 'x'.repeat(20_000) });
    firm.world.faults.cutAfter = 250_000;
    expect(await said(sync())).to.equal('The connection to the mail server was lost.');
    // Taken in or not, none may be half there.
    for (const row of await firm.db('message').where('message_id', 'like', 'cut%'))
      expect((await readRaw(firm.db, row.raw_hash)).length).to.be.greaterThan(20_000);
    await sync();
    const counted = await countOf(firm.db('message').where('message_id', 'like', 'cut%'));
    expect(counted).to.equal(30);
  });

  it('loses nothing while commands are refused, and recovers', async () => {
    deliver(firm, RUFUS, 'refused@x.example');
    for (const refuse of [['LIST'], ['STATUS', 'LIST'], ['EXAMINE', 'SELECT'], ['FETCH'], ['SEARCH']]) {
      firm.world.faults.refuse = refuse;
      await said(sync());
    }
    delete firm.world.faults.refuse;
    await sync();
    expect(await byId('refused@x.example')).to.include({ direction: 'received' });
    expect(await countOf(firm.db('folder'))).to.be.greaterThan(5);
  });

  it('asks again for what a server left out', async () => {
    for (let index = 0; index < 6; index++) deliver(firm, RUFUS, `omitted${index}@x.example`);
    firm.world.faults.omit = 3;
    await sync();
    await sync();
    const counted = await countOf(firm.db('message').where('message_id', 'like', 'omitted%'));
    expect(counted).to.equal(6);
  });

  it('waits for a slow server', async () => {
    deliver(firm, RUFUS, 'slow@x.example');
    firm.world.faults.slow = 120;
    await sync();
    expect(await byId('slow@x.example')).to.include({ direction: 'received' });
  });

  it('tells a refused password from a server that is busy', async () => {
    firm.world.faults.refuseLogin = '[AUTHENTICATIONFAILED] wrong';
    const wrong = await sync().catch((error: unknown) => connectionProblem(error));
    expect(wrong).to.deep.equal({ words: 'The password was refused.', needsPerson: true });
    firm.world.faults.refuseLogin = '[UNAVAILABLE] try later';
    const busy = await sync().catch((error: unknown) => connectionProblem(error));
    expect(busy).to.include({ needsPerson: false });
    // The same of an outgoing server (RFC 4954, section 6): 454 is for now, 535 for good.
    const outgoing = (responseCode: number) => connectionProblem({ code: 'EAUTH', responseCode });
    expect([outgoing(454).needsPerson, outgoing(535).needsPerson]).to.deep.equal([false, true]);
  });

  it('reads a folder again when UIDVALIDITY changed while history was being taken in', async () => {
    const folder = account.create('Turned over');
    for (let index = 0; index < 40; index++)
      deliver(firm, RUFUS, `turned${index}@x.example`, { folder: 'Turned over' });
    await sync();
    const row = await one(firm.db('folder').where({ path: 'Turned over' }).first());
    await firm.db('folder').where({ id: row.id }).update({ history_uid: 20 });
    await firm.db('message_copy').where({ folder_id: row.id }).where('uid', '<', 20).delete();
    Object.assign(folder, { uidValidity: 77 });
    await sync();
    const copies = await countOf(firm.db('message_copy').where({ folder_id: row.id }));
    const messages = await countOf(firm.db('message').where('message_id', 'like', 'turned%'));
    expect([copies, messages]).to.deep.equal([40, 40]);
  });

  it('does without what was expunged meanwhile', async () => {
    for (let index = 0; index < 10; index++) deliver(firm, RUFUS, `brief${index}@x.example`);
    const inbox = account.folder('INBOX')!;
    inbox.expunge(inbox.withMessageId('brief4@x.example'));
    await sync();
    expect(await firm.db('message').where({ message_id: 'brief4@x.example' })).to.deep.equal([]);
    expect(await byId('brief5@x.example')).to.include({ direction: 'received' });
  });

  it('takes in a message of 30 MB, byte for byte, in bounded memory', async () => {
    const heavy = randomBytes(22 * 1024 * 1024)
      .toString('base64')
      .replace(/(.{76})/g, '$1\r\n');
    const raw = Buffer.from(
      [
        'From: ada@fell.example',
        `To: ${RUFUS}`,
        'Subject: The survey',
        'Message-ID: <heavy@fell.example>',
        'MIME-Version: 1.0',
        'Content-Type: multipart/mixed; boundary=b',
        '',
        '--b',
        'Content-Type: text/plain',
        '',
        'Enclosed.',
        '--b',
        'Content-Type: application/octet-stream; name=survey.bin',
        'Content-Transfer-Encoding: base64',
        '',
        heavy,
        '--b--',
        '',
      ].join('\r\n'),
    );
    expect(raw.length).to.be.greaterThan(30_000_000);
    account.folder('INBOX')?.append(raw, [], new Date());
    await sync();
    const row = await byId('heavy@fell.example');
    expect(row).to.include({ enclosures: 1 });
    expect((await readRaw(firm.db, row.raw_hash)).equals(raw)).to.equal(true);
    const pieces = await countOf(firm.db('raw_piece').where({ hash: row.raw_hash }));
    expect(pieces).to.be.greaterThan(3);
  });

  it('keeps a thousand folders in step', async () => {
    for (let index = 0; index < 1000; index++) account.create(`Old/${index}`);
    deliver(firm, RUFUS, 'deep@x.example', { folder: 'Old/777' });
    await sync();
    const folders = await countOf(firm.db('folder').where('path', 'like', 'Old/%'));
    expect(folders).to.equal(1000);
    expect(await byId('deep@x.example')).to.include({ direction: 'received' });
    for (let index = 0; index < 1000; index++) account.remove(`Old/${index}`);
    await sync();
    expect(await countOf(firm.db('folder').where('path', 'like', 'Old/%'))).to.equal(0);
    expect(await byId('deep@x.example')).to.include({ direction: 'received' });
  });

  it('takes broken mail as it is, and shows what can be shown', async () => {
    const broken: Record<string, Buffer> = {
      'no boundary': Buffer.from(
        'Message-ID: <b1@x.example>\r\nContent-Type: multipart/mixed; boundary=none\r\n\r\nno parts at all',
      ),
      unclosed: Buffer.from(
        'Message-ID: <b2@x.example>\r\nContent-Type: multipart/mixed; boundary=q\r\n\r\n--q\r\nContent-Type: text/plain\r\n\r\nstill readable',
      ),
      'unknown charset': Buffer.from(
        'Message-ID: <b3@x.example>\r\nContent-Type: text/plain; charset=klingon-8\r\n\r\nplain enough',
      ),
      'wrong charset': Buffer.concat([
        Buffer.from('Message-ID: <b4@x.example>\r\nContent-Type: text/plain; charset=utf-8\r\n\r\nGr'),
        Buffer.from([0xfc]),
        Buffer.from('n'),
      ]),
      '8-bit headers': Buffer.concat([
        Buffer.from('Message-ID: <b5@x.example>\r\nSubject: Gr'),
        Buffer.from([0xfc]),
        Buffer.from('n\r\n\r\ntext'),
      ]),
      'no head': Buffer.from('\r\nonly a body'),
      'no body': Buffer.from('Message-ID: <b6@x.example>\r\nSubject: Nothing below'),
      nothing: Buffer.from('\r\n'),
      'bare line ends': Buffer.from('Message-ID: <b7@x.example>\nSubject: Line ends\n\nbody\n'),
      'bad base64': Buffer.from(
        'Message-ID: <b8@x.example>\r\nContent-Transfer-Encoding: base64\r\n\r\n%%%%!!',
      ),
      'endless nesting': Buffer.from(
        `Message-ID: <b9@x.example>\r\n${Array.from({ length: 80 }, (_, index) => `Content-Type: multipart/mixed; boundary=n${index}\r\n\r\n--n${index}\r\n`).join('')}`,
      ),
    };
    const before = await countOf(firm.db('message'));
    for (const raw of Object.values(broken)) account.folder('INBOX')?.append(raw, [], new Date());
    await sync();
    const after = await countOf(firm.db('message'));
    expect(after - before).to.equal(Object.keys(broken).length);
    const rows = await firm.db('message').orderBy('id', 'desc').limit(Object.keys(broken).length);
    for (const row of rows) {
      const view = await viewMessage(firm.context, RUFUS_ID, row.id);
      expect(view.own).to.be.a('string');
    }
    expect((await byId('b2@x.example')).snippet).to.contain('still readable');
    expect((await byId('b3@x.example')).snippet).to.contain('plain enough');
    expect((await byId('b7@x.example')).subject).to.equal('Line ends');
  });

  it('tells messages apart that share a Message-ID or have none', async () => {
    const one = rawMessage(
      {
        From: 'a@x.example',
        To: RUFUS,
        Subject: 'One',
        'Message-ID': '<same@x.example>',
        Date: 'Mon, 2 Nov 2026 10:00:00 +0000',
      },
      'one',
    );
    const two = rawMessage(
      {
        From: 'b@x.example',
        To: RUFUS,
        Subject: 'Two',
        'Message-ID': '<same@x.example>',
        Date: 'Tue, 3 Nov 2026 10:00:00 +0000',
      },
      'two',
    );
    const none = rawMessage({ From: 'c@x.example', To: RUFUS, Subject: 'None' }, 'none');
    const other = rawMessage({ From: 'c@x.example', To: RUFUS, Subject: 'None' }, 'another');
    for (const raw of [one, two, none, none, other, one])
      account.folder('INBOX')?.append(raw, [], new Date());
    await sync();
    expect(await countOf(firm.db('message').where({ message_id: 'same@x.example' }))).to.equal(2);
    expect(await countOf(firm.db('message').where({ subject: 'None' }))).to.equal(2);
  });

  it('goes by the time of arrival where a date makes no sense', async () => {
    deliver(firm, RUFUS, 'past@x.example', { headers: { Date: 'Thu, 1 Jan 1970 00:00:00 +0000' } });
    deliver(firm, RUFUS, 'future@x.example', { headers: { Date: 'Thu, 1 Jan 2099 00:00:00 +0000' } });
    deliver(firm, RUFUS, 'senseless@x.example', { headers: { Date: 'last Tuesday, about tea time' } });
    await sync();
    for (const id of ['past@x.example', 'future@x.example', 'senseless@x.example']) {
      const { at } = await byId(id);
      expect(Math.abs(Date.now() - at.getTime()), id).to.be.lessThan(120_000);
    }
  });

  it('does not take a list without an INBOX for a deletion of everything', async () => {
    const before = await countOf(firm.db('message_copy'));
    const inbox = account.folder('INBOX')!;
    Object.assign(inbox, { path: 'Elsewhere' });
    expect(await said(sync())).to.contain('did not list the folders');
    Object.assign(inbox, { path: 'INBOX' });
    expect(await countOf(firm.db('message_copy'))).to.equal(before);
  });

  it('takes mail since a day only, and the rest when asked to', async () => {
    const ines = 'ines.calder@quillhurst.example';
    const old = firm.world.account(ines)!.create('Since');
    const raw = (id: string) =>
      rawMessage({ From: 'a@x.example', To: ines, Subject: id, 'Message-ID': `<${id}@x.example>` }, id);
    old.append(raw('older'), [], new Date('2020-05-01T10:00:00Z'));
    old.append(raw('newer'), [], new Date('2026-05-01T10:00:00Z'));
    await firm.db('mailbox').where({ address: ines }).update({ take_from: '2026-01-01' });
    const run = async () =>
      new MailboxSync(firm.context, await one(firm.db('mailbox').where({ address: ines }).first())).runOnce();
    await run();
    expect(await byId('newer@x.example')).to.include({ subject: 'newer' });
    expect(await firm.db('message').where({ message_id: 'older@x.example' })).to.deep.equal([]);
    await firm.db('mailbox').where({ address: ines }).update({ take_from: null });
    await firm
      .db('folder')
      .where({ path: 'Since' })
      .update({ history_uid: firm.db.raw('next_uid') });
    await run();
    expect(await byId('older@x.example')).to.include({ subject: 'older' });
  });
});
