import { countOf } from '../../server/foundation/rows.ts';
import { expect } from 'chai';
import { readRaw } from '../../server/foundation/sources.ts';
import { AppContext } from '../../server/foundation/context.ts';
import { MailboxSync } from '../../server/mailbox/sync/sync.ts';
import { openFirm, rawMessage, until, type TestFirm, one } from './helpers.ts';

const count = async (firm: TestFirm, table: string) => await countOf(firm.db(table));
const onServer = (firm: TestFirm) => {
  const kept = firm.world.settings.accounts.flatMap(
    ({ address }) => firm.world.account(address)?.all() ?? [],
  );
  return kept
    .filter((folder) => !['Drafts', 'Trash', 'Junk'].includes(folder.path))
    .reduce((sum, folder) => sum + folder.messages.length, 0);
};

describe('keeping mailboxes in step', () => {
  let firm: TestFirm;
  before(async () => {
    firm = await openFirm();
    await firm.sync();
  });
  after(() => firm.close());

  it('takes in every message of every mailbox, Sent included, each once', async () => {
    expect(await count(firm, 'message_copy')).to.equal(onServer(firm));
    const doubled = await firm
      .db('message')
      .groupBy('message_id')
      .havingRaw('COUNT(*) > 1')
      .select('message_id');
    expect(doubled).to.deep.equal([]);
  });

  it('keeps one record of a message that two mailboxes hold, with both on it', async () => {
    const shared = await firm
      .db('message_copy')
      .join('folder', 'folder.id', 'folder_id')
      .groupBy('message_id')
      .havingRaw('COUNT(DISTINCT mailbox_id) > 1')
      .select('message_id');
    expect(shared.length).to.be.greaterThan(5);
  });

  it('changes nothing when run again', async () => {
    const before = [
      await count(firm, 'message'),
      await count(firm, 'message_copy'),
      await count(firm, 'filing'),
    ];
    await firm.sync();
    expect([
      await count(firm, 'message'),
      await count(firm, 'message_copy'),
      await count(firm, 'filing'),
    ]).to.deep.equal(before);
  });

  it('keeps the bytes of a message exactly as they came', async () => {
    const folder = firm.world.account('tobias.fenn@quillhurst.example')?.folder('Sent');
    const only: string[] = await firm
      .db('message')
      .join('message_copy', 'message_copy.message_id', 'message.id')
      .groupBy('message.id', 'message.message_id')
      .havingRaw('COUNT(*) = 1')
      .pluck('message.message_id');
    const kept = folder?.messages.filter((message) => only.includes(message.messageId)) ?? [];
    expect(kept.length).to.be.greaterThan(3);
    for (const message of kept) {
      const row = await one(firm.db('message').where({ message_id: message.messageId }).first('raw_hash'));
      expect(
        (await readRaw(firm.db, row.raw_hash)).equals(folder?.read(message) ?? Buffer.alloc(0)),
      ).to.equal(true);
    }
  });

  it('reads a folder again when its UIDVALIDITY changed, and logs nothing twice', async () => {
    const before = await count(firm, 'message');
    const copies = await count(firm, 'message_copy');
    const folder = firm.world.account('ines.calder@quillhurst.example')?.folder('INBOX');
    Object.assign(folder!, { uidValidity: 42 });
    await firm.sync();
    expect(await count(firm, 'message')).to.equal(before);
    expect(await count(firm, 'message_copy')).to.equal(copies);
    expect(Number((await firm.db('folder').where({ uid_validity: 42 }).first('id'))?.id)).to.be.greaterThan(
      0,
    );
  });

  it('tells of new mail within seconds by IDLE', async () => {
    const mailbox = await one(
      firm.db('mailbox').where({ address: 'rufus.adair@quillhurst.example' }).first(),
    );
    const sync = new MailboxSync(firm.context, mailbox);
    const running = sync.run().catch(() => undefined);
    await until('the mailbox is in step', async () =>
      Boolean(
        (await firm.db('mailbox').where({ id: mailbox.id }).whereNotNull('in_step_at').first()) ?? false,
      ),
    );
    await new Promise((resolve) => setTimeout(resolve, 500));
    const raw = rawMessage(
      {
        From: 'dunstan@oakefarm.example',
        To: mailbox.address,
        Subject: 'By IDLE',
        'Message-ID': '<idle@oakefarm.example>',
        Date: new Date().toUTCString(),
      },
      'Hello',
    );
    const started = Date.now();
    firm.world.account(mailbox.address)?.folder('INBOX')?.append(raw, [], new Date());
    await until(
      'the message is here',
      async () => Boolean(await firm.db('message').where({ message_id: 'idle@oakefarm.example' }).first()),
      5,
    );
    expect(Date.now() - started).to.be.lessThan(3000);
    sync.stop();
    await running;
  });
});

describe('keeping in step with a plain IMAP4rev1 server', () => {
  it('works without any extension', async () => {
    const firm = await openFirm({ clients: 10, files: 16, extensions: [] });
    await firm.sync();
    expect(await count(firm, 'message_copy')).to.equal(onServer(firm));
    await firm.close();
  });

  it('goes on where it was killed, in the middle of history', async () => {
    const firm = await openFirm({ clients: 12, files: 20 });
    const mailbox = await one(firm.db('mailbox').where({ address: 'petra.lund@quillhurst.example' }).first());
    const folder = firm.world.account(mailbox.address)?.folder('INBOX');
    for (let n = 0; n < 700; n++) {
      folder?.append(
        rawMessage(
          {
            From: 'a@b.example',
            To: mailbox.address,
            Subject: `Number ${n}`,
            'Message-ID': `<${n}@b.example>`,
            Date: new Date().toUTCString(),
          },
          'x',
        ),
        [],
        new Date(),
      );
    }
    const first = new MailboxSync(firm.context, mailbox);
    const running = first.run().catch(() => undefined);
    await until('some of it is here', async () => (await count(firm, 'message')) > 150);
    first.stop();
    await running;
    const part = await count(firm, 'message');
    await firm.sync();
    expect(part).to.be.lessThan(await count(firm, 'message'));
    expect(await count(firm, 'message_copy')).to.equal(onServer(firm));
    await firm.close();
  });

  it('keeps one record and one filing when two processes take the same mail in at once', async () => {
    const firm = await openFirm({ clients: 16, files: 28, conversationsPerClient: 2 });
    const other = new AppContext(firm.db, firm.config, firm.context.log);
    const mailboxes = await firm.db('mailbox').select();
    await Promise.all(
      mailboxes.map((mailbox, index) => new MailboxSync(index % 2 ? firm.context : other, mailbox).runOnce()),
    );
    expect(await count(firm, 'message_copy')).to.equal(onServer(firm));
    expect(
      await firm.db('message').groupBy('message_id').havingRaw('COUNT(*) > 1').select('message_id'),
    ).to.deep.equal([]);
    await firm.close();
  });

  it('never opens a colleague’s personal folders, nor what lies in them', async () => {
    const firm = await openFirm({ clients: 8, files: 12 });
    const account = firm.world.account('tobias.fenn@quillhurst.example');
    for (const path of ['Private', 'Private/Garden', 'Work'])
      account
        ?.create(path)
        ?.append(
          rawMessage({ From: 'a@b.example', Subject: path, 'Message-ID': `<${path.length}@b.example>` }, 'x'),
          [],
          new Date(),
        );
    await firm.sync();
    const subjects: string[] = await firm
      .db('message')
      .whereIn('subject', ['Private', 'Private/Garden', 'Work'])
      .pluck('subject');
    expect(subjects).to.deep.equal(['Work']);
    await firm.close();
  });
});
