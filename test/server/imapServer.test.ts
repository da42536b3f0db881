import { countOf } from '../../server/foundation/rows.ts';
import { chmodSync } from 'node:fs';
import { join } from 'node:path';
import { expect } from 'chai';
import type { ImapFlow } from 'imapflow';
import { OutgoingConnection } from '../../server/mailserver/smtp.ts';
import { actOnMail } from '../../server/mailbox/list/acts.ts';
import { makeBin } from '../../server/mailbox/accounts/bin.ts';
import { tryIncoming } from '../../server/mailbox/accounts/connect.ts';
import { MailboxSupervisor } from '../../server/mailbox/sync/supervisor.ts';
import { listMail } from '../../server/mailbox/list/list.ts';
import { mailboxStatuses } from '../../server/mailbox/accounts/status.ts';
import { openFolder } from '../../server/mailserver/imap.ts';
import { MailboxSync } from '../../server/mailbox/sync/sync.ts';
import { listUndone } from '../../server/mailbox/sync/undone.ts';
import { Dovecot, PASSWORD, skipWithoutDovecot, type DovecotOptions } from './dovecot.ts';
import { MANAGER, one, openFirm, rawMessage, until, type TestFirm } from './helpers.ts';
import { connectionProblem } from '../../server/mailserver/problem.ts';
import type { Access } from '../../server/mailserver/access.ts';

const INES = 'ines.calder@quillhurst.example';
const INES_ID = 3;
type Act = Parameters<typeof actOnMail>[2]['act'];

/** A firm one of whose mailboxes lies on an independent server, with another client at work there. */
class AppContext {
  private constructor(
    readonly firm: TestFirm,
    readonly server: Dovecot,
    readonly other: ImapFlow,
  ) {}

  static async open(options: DovecotOptions = {}): Promise<AppContext> {
    const server = await Dovecot.start(options);
    const firm = await openFirm({ clients: 3, files: 4, conversationsPerClient: 0.2 });
    await server.serve(firm, INES);
    return new AppContext(firm, server, await server.other(INES));
  }

  async close(): Promise<void> {
    await this.other.logout().catch(() => undefined);
    await this.firm.close();
    await this.server.stop();
  }

  mailbox() {
    return one(this.firm.db('mailbox').where({ address: INES }).first());
  }

  async sync(): Promise<void> {
    await new MailboxSync(this.firm.context, await this.mailbox()).runOnce();
  }

  async append(
    path: string,
    name: string,
    { flags = [] as string[], text = 'Good morning.' } = {},
  ): Promise<void> {
    const raw = rawMessage(
      {
        From: 'Ada Fell <ada@fell.example>',
        To: INES,
        Subject: `About ${name}`,
        'Message-ID': `<${name}@x.example>`,
        Date: 'Mon, 5 Oct 2026 10:00:00 +0000',
      },
      text,
    );
    await this.other.append(path, raw, flags);
  }

  async act(name: string, act: Act) {
    return actOnMail(this.firm.context, INES_ID, { messageIds: [await this.idOf(name)], act });
  }

  async idOf(name: string): Promise<number> {
    const row = await this.firm
      .db('message')
      .where({ message_id: `${name}@x.example` })
      .first('id');
    if (!row) throw new Error(`${name} is not here`);
    return row.id;
  }

  folder(path: string) {
    return one(this.firm.db('folder').where({ path }).first());
  }

  /** What lies in a folder on the server: names with their flags. */
  async there(path: string): Promise<string[]> {
    const lock = await openFolder(this.other, path, { readOnly: true });
    const found: string[] = [];
    try {
      for await (const { envelope, flags } of this.other.fetch('1:*', { envelope: true, flags: true }))
        found.push(
          [
            envelope?.messageId?.replace(/[<>]|@.*/g, ''),
            ...(flags?.has('\\Flagged') ? ['starred'] : []),
          ].join(' '),
        );
      return found.sort();
    } finally {
      lock.release();
    }
  }

  /** Where a message is shown here. */
  async shown(name: string): Promise<string[]> {
    return this.firm
      .db('message_copy')
      .join('folder', 'folder.id', 'message_copy.shown_in')
      .where({ message_id: await this.idOf(name) })
      .orderBy('path')
      .pluck('path');
  }

  async waiting(): Promise<number> {
    return await countOf(this.firm.db('mail_change'));
  }
}

/** One office for the tests of a block. */
function context(options: DovecotOptions = {}): { now(): AppContext } {
  let opened: AppContext;
  before(async () => {
    opened = await AppContext.open(options);
    await opened.sync();
  });
  after(() => opened.close());
  return { now: () => opened };
}

describe('an independent IMAP server', function () {
  before(function () {
    skipWithoutDovecot(this);
  });

  describe('whose folders change while something is wished', () => {
    const at = context();

    it('loses no other message when a folder was made again, whatever was wished', async () => {
      const { other } = at.now();
      const wishes: [string, Act][] = [
        ['star', { kind: 'star', on: true }],
        ['move', { kind: 'move', folderId: (await at.now().folder('INBOX')).id }],
        ['throw', { kind: 'throw away', forGood: false }],
      ];
      for (const [name, wish] of wishes) {
        await other.mailboxCreate('Work');
        await at.now().append('Work', `work-${name}`);
        await at.now().sync();
        await at.now().act(`work-${name}`, wish);
        await other.mailboxDelete('Work');
        await other.mailboxCreate('Work');
        await at.now().append('Work', `other-${name}`);
        await at.now().sync();
        await at.now().sync();
        expect(await at.now().there('Work'), name).to.deep.equal([`other-${name}`]);
        expect(await at.now().waiting(), name).to.equal(0);
        await other.mailboxDelete('Work');
        await at.now().sync();
      }
      const told = await listUndone(at.now().firm.db, INES_ID);
      expect(told.map(({ what }) => what)).to.deep.equal([
        'Move it to “Trash”',
        'Move it to “INBOX”',
        'Star it',
      ]);
      expect(told[0]?.why).to.match(/made anew|gone/);
      expect(told[0]?.subject).to.equal('About work-throw');
    });

    it('carries out in a renamed folder what was wished before, and changes names both ways', async () => {
      const { other } = at.now();
      for (const path of ['Fields', 'Woods']) {
        await other.mailboxCreate(path);
        await at.now().append(path, `in-${path}`);
      }
      await at.now().sync();
      const ids = [(await at.now().folder('Fields')).id, (await at.now().folder('Woods')).id];
      await at.now().act('in-Fields', { kind: 'star', on: true });
      await other.mailboxRename('Fields', 'Between');
      await other.mailboxRename('Woods', 'Fields');
      await other.mailboxRename('Between', 'Woods');
      await at.now().sync();
      await at.now().sync();
      expect([(await at.now().folder('Woods')).id, (await at.now().folder('Fields')).id]).to.deep.equal(ids);
      expect(await at.now().there('Woods')).to.deep.equal(['in-Fields starred']);
    });

    it('knows a renamed folder again though its newest message has gone from it', async () => {
      const { other } = at.now();
      await other.mailboxCreate('Meadows');
      for (const name of ['first', 'second', 'third']) await at.now().append('Meadows', name);
      await at.now().sync();
      const { id } = await at.now().folder('Meadows');
      const lock = await openFolder(other, 'Meadows');
      await other.messageDelete('*');
      lock.release();
      await other.mailboxRename('Meadows', 'Water meadows');
      await at.now().sync();
      expect((await at.now().folder('Water meadows')).id).to.equal(id);
    });

    it('shows where it lies what was moved into a folder that is gone, and takes new mail in', async () => {
      const { other } = at.now();
      await other.mailboxCreate('Short lived');
      await at.now().append('INBOX', 'stays');
      await at.now().sync();
      await at.now().act('stays', { kind: 'move', folderId: (await at.now().folder('Short lived')).id });
      await other.mailboxDelete('Short lived');
      await at.now().append('INBOX', 'came-after');
      await at.now().sync();
      await at.now().sync();
      expect(await at.now().idOf('came-after')).to.be.a('number');
      expect(await at.now().shown('stays')).to.deep.equal(['INBOX']);
      expect(await at.now().waiting()).to.equal(0);
      expect(await at.now().there('INBOX')).to.include('stays');
    });

    it('shows a folder that was open already as it is now, when it is opened again', async () => {
      const { other, server } = at.now();
      const second = await server.other(INES);
      const look = async () => {
        const lock = await openFolder(second, 'Archive');
        const found = await second.search({ header: { 'message-id': '<late@x.example>' } }, { uid: true });
        lock.release();
        return found || [];
      };
      expect(await look()).to.have.length(0);
      await at.now().append('Archive', 'late');
      const [uid] = await look();
      expect(uid).to.be.a('number');
      const lock = await openFolder(other, 'Archive');
      await other.messageDelete(String(uid), { uid: true });
      lock.release();
      expect(await look()).to.have.length(0);
      await second.logout();
    });

    it('takes the marks of a folder that was made again from what lies there now', async () => {
      const { other } = at.now();
      await other.mailboxCreate('Again');
      await at.now().append('Again', 'marked', { flags: ['\\Seen', '\\Flagged'] });
      await at.now().sync();
      await other.mailboxDelete('Again');
      await other.mailboxCreate('Again');
      await at.now().append('Again', 'marked');
      await at.now().sync();
      const message = await at
        .now()
        .firm.db('message')
        .where({ id: await at.now().idOf('marked') })
        .first();
      expect(message).to.include({ unread: 1, starred: 0 });
    });

    it('tells apart folders whose names look alike, and keeps long ones', async () => {
      const { other } = at.now();
      const long = Array.from({ length: 3 }, (_, n) => `${n}`.repeat(150)).join('/');
      const names = ['Caf\u00e9', 'Cafe\u0301', 'Tail', 'Tail ', 'tail', '\u{1F333}', '\u{1F334}', long];
      for (const [index, name] of names.entries()) {
        await other.mailboxCreate(name);
        await at.now().append(name, `named${index}`);
      }
      await at.now().sync();
      for (const [index, name] of names.entries())
        expect(await at.now().shown(`named${index}`)).to.deep.equal([name]);
    });

    it('shows one message once in a list, and says that it lies there twice', async () => {
      const { other, firm } = at.now();
      await other.mailboxCreate('Twice');
      for (let n = 0; n < 2; n++)
        await other.append(
          'Twice',
          Buffer.from('From: Ada Fell <ada@fell.example>\r\nSubject: Undated\r\n\r\nThe same words.\r\n'),
          [],
          new Date(2026, 9, 1 + n),
        );
      await at.now().sync();
      const { id } = await at.now().folder('Twice');
      const page = await listMail(firm.context, INES_ID, { view: 'everything', folder: id, limit: 60 });
      expect(page.rows.map(({ subject, copies }) => `${subject} ${copies}`)).to.deep.equal(['Undated 2']);
    });

    it('says which folders its server does not open, and is in step with the rest', async () => {
      const { other, firm, server } = at.now();
      await other.mailboxCreate('Locked');
      await at.now().append('Locked', 'behind-the-door');
      const folder = join(server.dir, 'home', INES, 'sdbox', 'mailboxes', 'Locked', 'dbox-Mails');
      if (process.getuid?.() === 0) chmodSync(folder, 0);
      const status = async () =>
        (await mailboxStatuses(firm.db, { ...MANAGER, id: INES_ID })).find(({ address }) => address === INES);
      const supervisor = new MailboxSupervisor(firm.context);
      supervisor.start();
      await until('it is told', async () => (await status())?.closed.join() === 'Locked', 40);
      await until('it is in step', async () => (await status())?.state === 'in step', 30);
      await at.now().append('INBOX', 'beside-it');
      await until('new mail came', async () =>
        Boolean(await firm.db('message').where({ message_id: 'beside-it@x.example' }).first('id')),
      );
      chmodSync(folder, 0o700);
      await supervisor.stop();
      await at.now().sync();
      expect(await at.now().shown('behind-the-door')).to.deep.equal(['Locked']);
    }).timeout(90_000);
  });

  describe('that has no bin', () => {
    const at = context({ specialUse: false });

    it('loses nothing without somebody having been asked, and makes one when told to', async () => {
      const { firm } = at.now();
      for (const name of ['keep', 'lose']) await at.now().append('INBOX', name);
      await at.now().sync();
      const { id } = await at.now().mailbox();
      const asked = await at.now().act('keep', { kind: 'throw away', forGood: false });
      expect(asked).to.deep.include({ withoutBin: [id], gone: 0, moved: [] });
      expect(await at.now().shown('keep')).to.deep.equal(['INBOX']);
      expect((await at.now().act('lose', { kind: 'throw away', forGood: true })).gone).to.equal(1);
      await makeBin(firm.context, INES_ID, id);
      expect((await at.now().act('keep', { kind: 'throw away', forGood: false })).moved).to.have.length(1);
      await at.now().sync();
      expect(await at.now().there('INBOX')).to.deep.equal([]);
      expect(await at.now().there('Trash')).to.deep.equal(['keep']);
    });
  });

  describe('with a mailbox that is full', () => {
    const at = context({
      quota: 24,
      capability: 'IMAP4rev1 UIDPLUS SPECIAL-USE LIST-STATUS LIST-EXTENDED QUOTA',
    });

    it('follows what is done there, gives up what does not fit with a word, and holds up no other draft', async () => {
      const { firm, other } = at.now();
      await at.now().append('INBOX', 'large', { text: 'x'.repeat(15_000) });
      await at.now().sync();
      await at.now().act('large', { kind: 'throw away', forGood: false });
      for (let round = 0; round < 5; round++)
        await at
          .now()
          .sync()
          .catch(() => undefined);
      expect(await at.now().waiting()).to.equal(0);
      expect(await at.now().shown('large')).to.deep.equal(['INBOX']);
      expect((await listUndone(firm.db, INES_ID))[0]?.why).to.match(/quota/i);
      const lock = await openFolder(other, 'INBOX');
      await other.messageFlagsAdd('1', ['\\Flagged']);
      lock.release();
      await at.now().sync();
      expect(
        await firm
          .db('message')
          .where({ id: await at.now().idOf('large') })
          .first(),
      ).to.include({ starred: 1 });
    });
  });

  describe('in the middle of a move', () => {
    const at = context();

    it('finishes what a killed process had begun', async () => {
      const { firm, other } = at.now();
      await at.now().append('INBOX', 'begun');
      await at.now().sync();
      const { moved } = await at.now().act('begun', { kind: 'throw away', forGood: false });
      const trash = await at.now().folder('Trash');
      await firm.db('mail_change').update({ going_to_id: trash.id, going_uid: trash.next_uid });
      // The server was told, and the process died before it could write that down; then it was taken back here.
      const lock = await openFolder(other, 'INBOX');
      const [uid] =
        (await other.search({ header: { 'message-id': 'begun@x.example' } }, { uid: true })) || [];
      await other.messageMove(String(uid), 'Trash', { uid: true });
      lock.release();
      await at.now().act('begun', { kind: 'put back', copies: moved });
      for (let round = 0; round < 3; round++) await at.now().sync();
      expect(await at.now().there('INBOX')).to.include('begun');
      expect(await at.now().there('Trash')).to.not.include('begun');
      expect(await at.now().shown('begun')).to.deep.equal(['INBOX']);
    });

    it('puts each copy of a message back where it was', async () => {
      const { other } = at.now();
      for (const path of ['INBOX', 'Archive']) await at.now().append(path, 'in-both');
      await at.now().sync();
      const { moved } = await at.now().act('in-both', { kind: 'throw away', forGood: false });
      for (let round = 0; round < 2; round++) await at.now().sync();
      await at.now().act('in-both', { kind: 'put back', copies: moved });
      for (let round = 0; round < 2; round++) await at.now().sync();
      expect(await at.now().shown('in-both')).to.deep.equal(['Archive', 'INBOX']);
      for (const path of ['INBOX', 'Archive']) expect(await at.now().there(path)).to.include('in-both');
      expect(other.usable).to.equal(true);
    });

    it('puts forty back that were thrown away within the same second', async () => {
      const { firm } = at.now();
      const names = Array.from({ length: 40 }, (_, n) => `forty${n}`);
      for (const name of names) await at.now().append('INBOX', name);
      await at.now().sync();
      const supervisor = new MailboxSupervisor(firm.context);
      supervisor.start();
      await until('it is in step', async () => Boolean((await at.now().mailbox()).lease_owner));
      for (const pause of [0, 120, 800]) {
        const ids = await Promise.all(names.map((name) => at.now().idOf(name)));
        const { moved } = await actOnMail(firm.context, INES_ID, {
          messageIds: ids,
          act: { kind: 'throw away', forGood: false },
        });
        await new Promise((resolve) => setTimeout(resolve, pause));
        await actOnMail(firm.context, INES_ID, { messageIds: ids, act: { kind: 'put back', copies: moved } });
        await until('nothing waits', async () => (await at.now().waiting()) === 0, 30);
        expect(
          (await at.now().there('INBOX')).filter((name) => name.startsWith('forty')),
          `${pause} ms`,
        ).to.have.length(40);
      }
      await supervisor.stop();
    }).timeout(120_000);
  });

  describe('and how it is reached', () => {
    const at = context();
    const access = (change: Partial<Access> = {}): Access => ({
      imap_host: 'localhost',
      imap_port: at.now().server.tlsPort,
      imap_security: 'tls',
      smtp_host: 'localhost',
      smtp_port: at.now().server.tlsPort,
      smtp_security: 'tls',
      user: INES,
      password: PASSWORD,
      authorities: at.now().server.authority,
      ...change,
    });

    it('is reached by TLS and by STARTTLS under a certificate of the office’s own', async () => {
      expect((await tryIncoming(access())).ok).to.equal(true);
      const starttls = { imap_port: at.now().server.port, imap_security: 'starttls' } as const;
      expect((await tryIncoming(access(starttls))).ok).to.equal(true);
      const unknown = access();
      delete unknown.authorities;
      expect((await tryIncoming(unknown)).words).to.equal(
        'The mail server’s certificate is signed by nobody we know.',
      );
      expect((await tryIncoming({ ...unknown, ...starttls })).words).to.equal(
        'The mail server’s certificate is signed by nobody we know.',
      );
      const failed = await OutgoingConnection.open(unknown).then(
        () => null,
        (error: unknown) => connectionProblem(error),
      );
      expect(failed?.words).to.equal('The mail server’s certificate is signed by nobody we know.');
      expect((await tryIncoming(access({ imap_host: '127.0.0.2' }))).words).to.match(
        /another name|does not answer/,
      );
      expect((await tryIncoming(access({ password: 'wrong' }))).words).to.equal('The password was refused.');
    });

    it('is back at once when the process that served us was killed there, and when it was restarted', async () => {
      const { firm, server } = at.now();
      const supervisor = new MailboxSupervisor(firm.context);
      supervisor.start();
      const arrives = async (name: string) => {
        await at.now().append('INBOX', name);
        await until(
          `${name} came`,
          async () =>
            Boolean(
              await firm
                .db('message')
                .where({ message_id: `${name}@x.example` })
                .first('id'),
            ),
          30,
        );
      };
      await arrives('before');
      for (let n = 0; n < 3; n++) {
        server.kick(INES);
        await at
          .now()
          .other.logout()
          .catch(() => undefined);
        Object.assign(at.now(), { other: await server.other(INES) });
        await arrives(`after-kick${n}`);
      }
      await server.restart();
      Object.assign(at.now(), { other: await server.other(INES) });
      await arrives('after-restart');
      server.user(INES, 'changed by its owner');
      await server.restart();
      const problem = async () => (await at.now().mailbox()).problem;
      await until('it says so', async () => (await problem()) === 'The password was refused.', 45);
      server.user(INES);
      await supervisor.stop();
    }).timeout(240_000);
  });
});
