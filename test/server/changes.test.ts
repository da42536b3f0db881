import { countOf } from '../../server/foundation/rows.ts';
import { expect } from 'chai';
import { errorForLog, openDatabase } from '../../server/foundation/database.ts';
import { actOnMail } from '../../server/mailbox/list/acts.ts';
import { MailboxSync } from '../../server/mailbox/sync/sync.ts';
import { sortMessage, undoStep } from '../../server/filing/steps.ts';
import type { Account } from '../../outside/store.ts';
import { deliver, openFirm, until, type TestFirm, one } from './helpers.ts';
import { connectionProblem } from '../../server/mailserver/problem.ts';

const RUFUS = 'rufus.adair@quillhurst.example';
const RUFUS_ID = 4;

describe('changes that cannot be meant any more', () => {
  let firm: TestFirm;
  let account: Account;
  const sync = async () =>
    new MailboxSync(firm.context, await one(firm.db('mailbox').where({ address: RUFUS }).first())).runOnce();
  const idOf = async (id: string) =>
    (await one(firm.db('message').where({ message_id: id }).first('id'))).id as number;
  const waiting = async () => await countOf(firm.db('mail_change'));
  const there = (folder: string) => account.folder(folder)?.messages.map(({ messageId }) => messageId) ?? [];
  before(async () => {
    firm = await openFirm({ clients: 4, files: 6, conversationsPerClient: 0.2 });
    account = firm.world.account(RUFUS)!;
    await sync();
  });
  after(() => firm.close());

  for (const [what, between] of [
    ['with another UIDVALIDITY', () => void account.create('Between')],
    ['with the very same UIDVALIDITY', () => undefined],
  ] as const)
    it(`touch no other message when a folder was made again, ${what}`, async () => {
      const name = what.replaceAll(' ', '-');
      account.create('Work');
      deliver(firm, RUFUS, `work-${name}@x.example`, { folder: 'Work' });
      await sync();
      await actOnMail(firm.context, RUFUS_ID, {
        messageIds: [await idOf(`work-${name}@x.example`)],
        act: { kind: 'throw away', forGood: false },
      });
      account.remove('Work');
      between();
      account.create('Work');
      deliver(firm, RUFUS, `other-${name}@x.example`, { folder: 'Work' });
      deliver(firm, RUFUS, `new-${name}@x.example`);
      await sync();
      await sync();
      expect(there('Work')).to.deep.equal([`other-${name}@x.example`]);
      expect(there('Trash')).to.not.include(`other-${name}@x.example`);
      expect(await waiting()).to.equal(0);
      expect(await idOf(`new-${name}@x.example`)).to.be.a('number');
      account.remove('Work');
      await sync();
    });

  it('hold up neither new mail nor others when a folder is gone, or renamed', async () => {
    for (const how of ['gone', 'renamed'] as const) {
      account.create('Fields');
      for (const n of [1, 2]) deliver(firm, RUFUS, `${how}${n}@x.example`, { folder: 'Fields' });
      await sync();
      const ids = [await idOf(`${how}1@x.example`), await idOf(`${how}2@x.example`)];
      await actOnMail(firm.context, RUFUS_ID, { messageIds: ids, act: { kind: 'star', on: true } });
      if (how === 'gone') account.remove('Fields');
      else account.rename('Fields', 'Meadows');
      deliver(firm, RUFUS, `after-${how}@x.example`);
      await sync();
      expect(await idOf(`after-${how}@x.example`), how).to.be.a('number');
      await sync();
      expect(await waiting(), how).to.equal(0);
    }
    expect([...(account.folder('Meadows')?.messages[0]?.flags ?? [])]).to.include('\\Flagged');
  });

  it('follow a message that is being moved: taken back, starred, moved on while the server is being told', async () => {
    const act = (id: number, what: Parameters<typeof actOnMail>[2]['act']) =>
      actOnMail(firm.context, RUFUS_ID, { messageIds: [id], act: what });
    const names = ['back', 'star', 'on'];
    for (const name of names) deliver(firm, RUFUS, `${name}@x.example`);
    await sync();
    const [back = 0, star = 0, on = 0] = await Promise.all(names.map((name) => idOf(`${name}@x.example`)));
    const thrown = { kind: 'throw away', forGood: false } as const;
    const { moved } = await act(back, thrown);
    for (const id of [star, on]) await act(id, thrown);
    const archive = await one(firm.db('folder').where({ role: 'archive' }).orderBy('id').first('id'));
    const { mailbox_id } = await one(firm.db('folder').where({ id: moved[0]?.folderId }).first('mailbox_id'));
    const own = await firm.db('folder').where({ role: 'archive', mailbox_id }).first('id');
    firm.world.faults.slow = 300;
    const running = sync();
    await until('the server is being told', async () =>
      Boolean(await firm.db('mail_change').whereNotNull('going_to_id').first('id')),
    );
    await act(back, { kind: 'put back', copies: moved });
    await act(star, { kind: 'star', on: true });
    await act(on, { kind: 'move', folderId: (own ?? archive).id });
    expect(there('Trash'), 'it was told too soon').to.not.include('back@x.example');
    await running;
    delete firm.world.faults.slow;
    for (let round = 0; round < 3; round++) await sync();
    expect(there('INBOX')).to.include('back@x.example');
    expect(there('Trash').filter((name) => names.some((each) => name === `${each}@x.example`))).to.deep.equal(
      ['star@x.example'],
    );
    expect([...(account.folder('Trash')?.messages.at(-1)?.flags ?? [])]).to.include('\\Flagged');
    expect(there('Archive')).to.include('on@x.example');
    expect(await waiting()).to.equal(0);
  });

  it('cost themselves alone when the server refuses them', async () => {
    deliver(firm, RUFUS, 'refused@x.example');
    await sync();
    await actOnMail(firm.context, RUFUS_ID, {
      messageIds: [await idOf('refused@x.example')],
      act: { kind: 'star', on: true },
    });
    firm.world.faults.refuse = ['STORE', 'UID STORE'];
    for (let round = 0; round < 3; round++) {
      deliver(firm, RUFUS, `meanwhile${round}@x.example`);
      await sync();
      expect(await idOf(`meanwhile${round}@x.example`)).to.be.a('number');
    }
    delete firm.world.faults.refuse;
    await sync();
    expect(await waiting()).to.equal(0);
  });
});

describe('several at one database', () => {
  let firm: TestFirm;
  before(async () => {
    firm = await openFirm({ clients: 8, files: 14 });
    await firm.sync();
  });
  after(() => firm.close());

  it('read what is committed, whatever the server’s own habit', async () => {
    const db = openDatabase(firm.url, { pool: 2 });
    const [[row]] = (await db.raw('SELECT @@session.tx_isolation AS level')) as [{ level: string }[]];
    expect(row?.level).to.equal('READ-COMMITTED');
    await db.destroy();
  });

  it('give steps their numbers in the order in which they move a message', async () => {
    const waits = await one(firm.db('message').where({ state: 'suggested' }).first('id'));
    const step = (by: number, fileId: number) =>
      sortMessage(firm.context, by, {
        messageId: waits.id,
        to: { kind: 'files', fileIds: [fileId] },
        alsoIds: [],
        restOfConversation: false,
        note: '',
        addAddressTo: null,
      });
    for (let round = 0; round < 12; round++) {
      const [one, two] = await Promise.all([step(1, 1), step(2, 2)]);
      const later = one.stepId > two.stepId ? { by: 1, fileId: 1, ...one } : { by: 2, fileId: 2, ...two };
      const earlier = one.stepId > two.stepId ? { by: 2, ...two } : { by: 1, ...one };
      expect(await firm.db('filing').where({ message_id: waits.id }).pluck('file_id')).to.deep.equal([
        later.fileId,
      ]);
      await undoStep(firm.context, later.by, later.stepId);
      await undoStep(firm.context, earlier.by, earlier.stepId);
    }
  });

  it('tell neither log nor screen what stood in a statement', () => {
    const lost = Object.assign(
      new Error("insert into `raw_words` values ('Ada Fell ada@fell.example') - Connection lost"),
      {
        code: 'PROTOCOL_CONNECTION_LOST',
        sql: "insert into `raw_words` values ('Ada Fell')",
      },
    );
    expect(errorForLog(lost)).to.equal('PROTOCOL_CONNECTION_LOST: the database did not answer');
    expect(connectionProblem(lost).words).to.contain('our database').and.not.contain('Ada');
  });
});
