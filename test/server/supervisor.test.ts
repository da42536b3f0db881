import { expect } from 'chai';
import pino from 'pino';
import { seal } from '../../server/security/seal.ts';
import { MailboxSupervisor } from '../../server/mailbox/sync/supervisor.ts';
import { mailboxStatuses, retryMailbox } from '../../server/mailbox/accounts/status.ts';
import { AppContext } from '../../server/foundation/context.ts';
import { railCounts } from '../../server/today/rail.ts';
import { MANAGER, openFirm, until, type TestFirm, one } from './helpers.ts';

describe('keeping all mailboxes', () => {
  let firm: TestFirm;
  before(async () => {
    firm = await openFirm({ clients: 8, files: 12 });
  });
  after(() => firm.close());
  const leases = async () =>
    firm.db('mailbox').distinct('lease_owner').pluck('lease_owner') as Promise<(string | null)[]>;
  const inStep = async () =>
    (await mailboxStatuses(firm.db, MANAGER)).filter((mailbox) => mailbox.state === 'in step').length;

  it('holds each under a lease, one process at a time, and lets go at the end', async () => {
    const other = new AppContext(firm.db, firm.config, firm.context.log);
    const [one, two] = [new MailboxSupervisor(firm.context), new MailboxSupervisor(other)];
    one.start();
    await until('all are in step', async () => (await inStep()) === 5);
    two.start();
    await new Promise((resolve) => setTimeout(resolve, 300));
    expect(await leases()).to.deep.equal([firm.context.process]);
    await one.stop();
    expect(await leases()).to.deep.equal([null]);
    await until(
      'the other has taken over',
      async () => (await leases()).every((owner) => owner === other.process),
      15,
    );
    await two.stop();
  });

  it('takes over what a dead process held, when its lease has ended', async () => {
    await firm.db('mailbox').update({ lease_owner: 'dead', lease_until: new Date(Date.now() + 700) });
    const supervisor = new MailboxSupervisor(firm.context);
    supervisor.start();
    await new Promise((resolve) => setTimeout(resolve, 200));
    expect(await leases()).to.deep.equal(['dead']);
    await until(
      'they are ours',
      async () => (await leases()).every((owner) => owner === firm.context.process),
      15,
    );
    await supervisor.stop();
  });

  it('says in words what is wrong with one, leaves the others alone, and recovers', async () => {
    const [first] = await mailboxStatuses(firm.db, MANAGER);
    const row = await one(firm.db('mailbox').where({ id: first?.id }).first());
    await firm
      .db('mailbox')
      .where({ id: row.id })
      .update({ sealed_password: seal(firm.config.key, 'wrong') });
    const supervisor = new MailboxSupervisor(firm.context);
    supervisor.start();
    const state = async () =>
      (await mailboxStatuses(firm.db, MANAGER)).find((mailbox) => mailbox.id === row.id);
    await until('it is told', async () => (await state())?.state === 'failing');
    expect((await state())?.problem).to.equal('The password was refused.');
    expect((await railCounts(firm.db, MANAGER, ['mailboxes'])).mailboxes).to.include({
      total: 6,
      failing: 1,
    });
    await firm.db('mailbox').where({ id: row.id }).update({ sealed_password: row.sealed_password });
    await retryMailbox(firm.db, row.id);
    await until('it is in step again', async () => (await state())?.state === 'in step', 20);
    expect((await state())?.problem).to.equal(null);
    await supervisor.stop();
  });

  it('says so when nothing answers at the port', async () => {
    const row = await one(firm.db('mailbox').first());
    await firm.db('mailbox').where({ id: row.id }).update({ imap_port: 1 });
    const supervisor = new MailboxSupervisor(firm.context);
    supervisor.start();
    const problem = async () =>
      (await one(firm.db('mailbox').where({ id: row.id }).first('problem'))).problem;
    await until('it is told', async () => (await problem()) !== null, 25);
    expect(await problem()).to.equal('The mail server does not answer at that port.');
    // That mends itself: nobody is called, unless it lasts.
    const state = async () =>
      (await mailboxStatuses(firm.db, MANAGER)).find((each) => each.id === row.id)?.state;
    expect(await state()).to.equal('recovering');
    await firm
      .db('mailbox')
      .where({ id: row.id })
      .update({ failing_since: new Date(Date.now() - 31 * 60_000) });
    expect(await state()).to.equal('failing');
    await supervisor.stop();
    await firm.db('mailbox').where({ id: row.id }).update({ imap_port: row.imap_port });
  });

  it('are shared out among the processes there are, and taken over when one ends', async () => {
    const others = [1, 2].map(() => new AppContext(firm.db, firm.config, pino({ level: 'silent' })));
    const keepers = others.map((context) => new MailboxSupervisor(context));
    keepers[0]?.start();
    const shares = async () => {
      const rows: { lease_owner: string | null; n: number }[] = await firm
        .db('mailbox')
        .whereNotNull('lease_owner')
        .groupBy('lease_owner')
        .select('lease_owner')
        .count('* as n');
      return others.map(({ process }) => Number(rows.find((row) => row.lease_owner === process)?.n ?? 0));
    };
    await until('the first has all', async () => (await shares())[0] === 6, 20);
    keepers[1]?.start();
    await until('each has half', async () => (await shares()).join() === '3,3', 40);
    await keepers[0]?.stop();
    await until('the other has all', async () => (await shares())[1] === 6, 40);
    await keepers[1]?.stop();
    expect(await firm.db('server_process')).to.have.lengthOf(0);
  }).timeout(120_000);
});
