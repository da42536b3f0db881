import { expect } from 'chai';
import { actOnMail } from '../../server/mailbox/list/acts.ts';
import { MailboxSync } from '../../server/mailbox/sync/sync.ts';
import type { Folder } from '../../outside/store.ts';
import { EXTENSIONS } from '../../outside/imap/session.ts';
import { deliver, openFirm, type TestFirm, one } from './helpers.ts';

const INES = 'ines.calder@quillhurst.example';
const INES_ID = 3;

/** The record of the message with this Message-ID, and where its copies are shown. */
async function found(firm: TestFirm, id: string) {
  const message = await one(firm.db('message').where({ message_id: id }).first());
  const copies: { path: string; seen: number; flagged: number; uid: number; folder_id: number }[] = await firm
    .db('message_copy')
    .join('folder', 'folder.id', 'message_copy.shown_in')
    .where({ message_id: message.id })
    .select('path', 'seen', 'flagged', 'uid', 'folder_id');
  return { message, copies };
}

/** What is done on either side reaches the other, whatever the server is able to do. */
function bothWays(title: string, extensions: readonly string[]) {
  describe(title, () => {
    let firm: TestFirm;
    let inbox: Folder;
    let archive: Folder;
    let trash: Folder;
    const act = (ids: number[], what: Parameters<typeof actOnMail>[2]['act']) =>
      actOnMail(firm.context, INES_ID, { messageIds: ids, act: what });
    async function syncInes() {
      const mailbox = await one(firm.db('mailbox').where({ address: INES }).first());
      // As if it were time to compare everything where the server keeps no count of changes.
      await firm
        .db('folder')
        .where({ mailbox_id: mailbox.id })
        .update({ checked_at: new Date(0) });
      await new MailboxSync(firm.context, mailbox).runOnce();
    }
    const idOf = async (id: string) => (await found(firm, id)).message?.id as number;
    before(async () => {
      firm = await openFirm({ clients: 4, files: 6, conversationsPerClient: 0.2, extensions });
      const account = firm.world.account(INES);
      inbox = account!.folder('INBOX')!;
      archive = account!.create('Archive/2025');
      trash = account!.folder('Trash')!;
      for (let index = 0; index < 6; index++) deliver(firm, INES, `both${index}@x.example`);
      await syncInes();
    });
    after(() => firm.close());

    it('takes over read and starred', async () => {
      const kept = inbox.messages.find((each) => each.messageId === 'both0@x.example')!;
      inbox.setFlags(kept, ['\\Seen', '\\Flagged']);
      await syncInes();
      const { copies, message } = await found(firm, 'both0@x.example');
      expect(copies[0]).to.include({ seen: 1, flagged: 1 });
      expect(message).to.include({ unread: 0, starred: 1 });
    });

    it('tells the server of read and starred', async () => {
      await act([await idOf('both1@x.example')], { kind: 'read', on: true });
      await act([await idOf('both1@x.example')], { kind: 'star', on: true });
      await syncInes();
      const flags = inbox.messages.find((each) => each.messageId === 'both1@x.example')!.flags;
      expect([...flags]).to.include.members(['\\Seen', '\\Flagged']);
      expect(await firm.db('mail_change')).to.deep.equal([]);
    });

    it('keeps the filing of a message that was moved elsewhere', async () => {
      const id = await idOf('both2@x.example');
      await firm.db('message').where({ id }).update({ state: 'logged', decided_by: 1 });
      await firm.db('filing').insert({ message_id: id, file_id: 1, client_id: 1, at: new Date() });
      const kept = inbox.messages.find((each) => each.messageId === 'both2@x.example')!;
      archive.append(inbox.read(kept), kept.flags, kept.internalDate);
      inbox.expunge([kept.uid]);
      await syncInes();
      const { copies, message } = await found(firm, 'both2@x.example');
      expect(copies.map((copy) => copy.path)).to.deep.equal(['Archive/2025']);
      expect(message.id).to.equal(id);
      expect(await firm.db('filing').where({ message_id: id }).pluck('file_id')).to.deep.equal([1]);
    });

    it('moves on the server what was moved here, and back', async () => {
      const id = await idOf('both3@x.example');
      const folder = await one(firm.db('folder').where({ path: 'Archive/2025' }).first('id'));
      const { moved } = await act([id], { kind: 'move', folderId: folder.id });
      expect((await found(firm, 'both3@x.example')).copies.map((copy) => copy.path)).to.deep.equal([
        'Archive/2025',
      ]);
      await syncInes();
      await syncInes();
      expect(archive.withMessageId('both3@x.example')).to.have.length(1);
      expect(inbox.withMessageId('both3@x.example')).to.have.length(0);
      await act([id], { kind: 'put back', copies: moved });
      await syncInes();
      await syncInes();
      expect(inbox.withMessageId('both3@x.example')).to.have.length(1);
      expect((await found(firm, 'both3@x.example')).copies.map((copy) => copy.path)).to.deep.equal(['INBOX']);
    });

    it('asks nothing of the server when a move was taken back in time', async () => {
      const id = await idOf('both4@x.example');
      const { moved } = await act([id], { kind: 'throw away', forGood: false });
      expect((await found(firm, 'both4@x.example')).copies[0]?.path).to.equal('Trash');
      await act([id], { kind: 'put back', copies: moved });
      expect(await firm.db('mail_change')).to.deep.equal([]);
      await syncInes();
      expect(inbox.withMessageId('both4@x.example')).to.have.length(1);
    });

    it('throws away, then for good; the record stays', async () => {
      const id = await idOf('both5@x.example');
      await act([id], { kind: 'throw away', forGood: false });
      await syncInes();
      await syncInes();
      expect(trash.withMessageId('both5@x.example')).to.have.length(1);
      const done = await act([id], { kind: 'throw away', forGood: false });
      expect(done.gone).to.equal(1);
      await syncInes();
      expect(trash.withMessageId('both5@x.example')).to.have.length(0);
      const { copies, message } = await found(firm, 'both5@x.example');
      expect(copies).to.deep.equal([]);
      expect(message).to.include({ unread: 0 });
    });

    it('lets what was done here count until the server knows of it', async () => {
      const kept = inbox.messages.find((each) => each.messageId === 'both4@x.example')!;
      await act([await idOf('both4@x.example')], { kind: 'star', on: true });
      // Elsewhere something else is changed at the same time.
      inbox.setFlags(kept, ['\\Seen']);
      await syncInes();
      await syncInes();
      expect([...kept.flags].sort()).to.deep.equal(['\\Flagged', '\\Seen']);
      expect((await found(firm, 'both4@x.example')).copies[0]).to.include({ seen: 1, flagged: 1 });
    });

    it('drops a wish for a message that was deleted elsewhere', async () => {
      deliver(firm, INES, 'gone@x.example');
      await syncInes();
      const id = await idOf('gone@x.example');
      const folder = await one(firm.db('folder').where({ path: 'Archive/2025' }).first('id'));
      await act([id], { kind: 'move', folderId: folder.id });
      inbox.expunge(inbox.withMessageId('gone@x.example'));
      await syncInes();
      await syncInes();
      expect(await firm.db('mail_change')).to.deep.equal([]);
      expect((await found(firm, 'gone@x.example')).copies).to.deep.equal([]);
      expect((await found(firm, 'gone@x.example')).message.id).to.equal(id);
    });

    it('follows a folder that was renamed, without reading it again', async () => {
      const before = await one(firm.db('folder').where({ path: 'Archive/2025' }).first('id'));
      firm.world.account(INES)!.rename('Archive/2025', 'Old years');
      await syncInes();
      const after = await one(firm.db('folder').where({ path: 'Old years' }).first('id'));
      expect(after.id).to.equal(before.id);
    });

    it('forgets a folder that was deleted, and nothing of what is logged', async () => {
      const id = await idOf('both2@x.example');
      firm.world.account(INES)!.remove('Old years');
      await syncInes();
      expect(await firm.db('folder').where({ path: 'Old years' }).first()).to.equal(undefined);
      expect(await firm.db('filing').where({ message_id: id }).pluck('file_id')).to.deep.equal([1]);
    });
  });
}

bothWays('both ways with every extension', EXTENSIONS);
for (const one of [
  'IDLE',
  'UIDPLUS',
  'MOVE',
  'SPECIAL-USE',
  'CONDSTORE',
  'QRESYNC',
  'LIST-STATUS',
  'ENABLE',
]) {
  // Without its counting of changes a server cannot resynchronise by it either (RFC 7162).
  const off = one === 'CONDSTORE' || one === 'ENABLE' ? [one, 'QRESYNC'] : [one];
  bothWays(
    `both ways without ${one}`,
    EXTENSIONS.filter((each) => !off.includes(each)),
  );
}
bothWays('both ways with a bare IMAP4rev1 server', []);
