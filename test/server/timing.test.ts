import { expect } from 'chai';
import type { Express } from 'express';
import { DateTime } from 'luxon';
import { AT_ONCE, type StaffMember, type Timing } from '../../contract/index.ts';
import { DEMO_PASSWORD } from '../../demo/load.ts';
import { DispatchWorker } from '../../server/dispatch/worker.ts';
import { AppContext } from '../../server/foundation/context.ts';
import { countOf } from '../../server/foundation/rows.ts';
import { webApp } from '../../server/http/app.ts';
import { checkMailing, sendTest } from '../../server/mailing/checking.ts';
import { createMailing, saveMailing } from '../../server/mailing/mailings.ts';
import { viewMailing } from '../../server/mailing/view.ts';
import { handOver, releaseMailing, steerMailing, takeBack } from '../../server/mailing/release.ts';
import { readSchedule } from '../../server/mailing/schedule.ts';
import { changeTiming, openNow, pastAnswers, planTiming } from '../../server/mailing/timing.ts';
import { LEDGER, outgoing } from '../../server/parts.ts';
import { browserOf } from './browserOf.ts';
import { mailingDraft, words } from './drafts.ts';
import { MANAGER, one, openFirm, until, type TestFirm } from './helpers.ts';

const PETRA: StaffMember = {
  id: 5,
  name: 'Petra Lund',
  email: 'petra.lund@quillhurst.example',
  role: 'assistant',
};
const draftOf = (timing: Timing) => mailingDraft({ name: 'A paced word', timing });
const say = (work: Promise<unknown>) =>
  work.then(
    () => 'done',
    (error: Error) => error.message,
  );

describe('when a mailing goes', () => {
  let firm: TestFirm;
  let app: Express;
  before(async () => {
    firm = await openFirm({ clients: 30, files: 40, conversationsPerClient: 0.1 });
    app = webApp(firm.context, LEDGER);
    await firm.sync();
  });
  afterEach(() => (firm.config.sendGap = 0));
  after(() => firm.close());

  /** A mailing to everybody, saved. */
  async function saved(timing: Timing) {
    const id = await createMailing(firm.db, MANAGER, { copyOf: null });
    await saveMailing(firm.db, id, draftOf(timing), 1);
    const { order } = await checkMailing(firm.db, id);
    return { id, recipients: order.length };
  }
  async function released(timing: Timing) {
    const { id, recipients } = await saved(timing);
    await releaseMailing(firm.context, MANAGER, id, { version: 2, recipients, untestedWhy: 'a trial' });
    return { id, recipients };
  }
  const rowsOf = (id: number) => firm.db('dispatch').where({ mailing_id: id }).orderBy('id');
  /** Hours in which it is now, by the firm's clocks; or in which it is not. */
  function hours(open: boolean): Timing['hours'] {
    const now = DateTime.now().setZone('Europe/London');
    if (open) return { from: '00:00', until: '23:59' };
    return now.hour < 12 ? { from: '20:00', until: '22:00' } : { from: '02:00', until: '04:00' };
  }

  it('is laid out before its release, and leaves as it was laid out', async () => {
    const timing: Timing = {
      ...AT_ONCE,
      from: DateTime.now().setZone('Europe/London').plus({ days: 3 }).toFormat("yyyy-MM-dd'T'09:30"),
      batch: { size: 7, minutes: 120 },
      hours: { from: '09:30', until: '14:00' },
    };
    const { id, recipients } = await saved(timing);
    const plan = await planTiming(firm.context, id, timing);
    expect(plan.total).to.equal(recipients);
    expect(plan.batches).to.equal(Math.ceil(recipients / 7));
    expect(plan.days.flatMap(({ batches }) => batches.map(({ count }) => count)).slice(0, 3)).to.deep.equal([
      7, 7, 7,
    ]);
    await releaseMailing(firm.context, MANAGER, id, { version: 2, recipients, untestedWhy: 'a trial' });
    const times = (await rowsOf(id)).map(({ next_at }) => next_at.toISOString());
    expect(times[0]).to.equal(plan.first);
    expect(times.at(-1)).to.equal(plan.last);
    const { lines } = await readSchedule(firm.db);
    const own = lines.filter(({ mailingId }) => mailingId === id);
    expect(own.map(({ day, count }) => [day, count])).to.deep.equal(
      plan.days.map(({ day, count }) => [day, count]),
    );
    await steerMailing(firm.context, MANAGER, id, 'paused');
    expect((await readSchedule(firm.db)).lines.find(({ mailingId }) => mailingId === id)?.state).to.equal(
      'paused',
    );
    await steerMailing(firm.context, MANAGER, id, 'cancelled');
  });

  it('does not leave outside its hours, though its time has come', async () => {
    const { id } = await released({ ...AT_ONCE, hours: hours(false) });
    await firm
      .db('dispatch')
      .where({ mailing_id: id })
      .update({ next_at: new Date(Date.now() - 1000) });
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await worker.work();
    await worker.stop();
    expect(await countOf(rowsOf(id).clone().clearOrder().whereNot({ state: 'waiting' }))).to.equal(0);
    await steerMailing(firm.context, MANAGER, id, 'cancelled');
  });

  it('is laid out anew when nobody was there to send it at its time, once, and when it goes on after a pause', async () => {
    const { id, recipients } = await released({ ...AT_ONCE, batch: { size: 5, minutes: 60 } });
    const late = async () => {
      await firm
        .db('dispatch')
        .where({ mailing_id: id })
        .update({ next_at: new Date(Date.now() - 3 * 3600_000) });
    };
    const due = async () =>
      countOf(
        rowsOf(id)
          .clone()
          .clearOrder()
          .where('next_at', '<=', new Date(Date.now() + 1000)),
      );
    await late();
    expect(await due()).to.equal(recipients);
    const others = [1, 2, 3].map(() => new AppContext(firm.db, firm.config, firm.context.log));
    await Promise.all([firm.context, ...others].map((context) => openNow(context)));
    expect(await due()).to.equal(5);
    const times = (await rowsOf(id)).map(({ next_at }) => next_at.getTime());
    expect([...times].sort((a, b) => a - b)).to.deep.equal(times);
    await steerMailing(firm.context, MANAGER, id, 'paused');
    await late();
    await steerMailing(firm.context, MANAGER, id, 'going');
    expect(await due()).to.equal(5);
    await changeTiming(firm.context, MANAGER, id, { ...AT_ONCE, batch: { size: 3, minutes: 60 } });
    expect(await due()).to.equal(3);
    await takeBack(firm.db, MANAGER, id);
    expect((await viewMailing(firm.db, id)).state).to.equal('draft');
    expect(await countOf(rowsOf(id).clone().clearOrder())).to.equal(0);
  });

  for (const processes of [1, 4])
    it(`keeps each mailbox’s limit, sent by ${processes === 1 ? 'one process' : 'four'}`, async () => {
      const gap = 90;
      firm.config.sendGap = gap;
      await firm.db('mailbox').update({ per_minute: null });
      const { id, recipients } = await released(AT_ONCE);
      // All of them are due at once.
      await firm
        .db('dispatch')
        .where({ mailing_id: id })
        .update({ next_at: new Date(Date.now() - 1000) });
      const began = Date.now();
      const before = firm.world.counts();
      const workers = Array.from({ length: processes }, () => {
        const context = new AppContext(firm.db, firm.config, firm.context.log);
        return new DispatchWorker(context, outgoing(context));
      });
      for (const worker of workers) worker.start();
      const waits = () =>
        countOf(rowsOf(id).clone().clearOrder().whereIn('state', ['waiting', 'going', 'delayed']));
      await until('all have gone', async () => (await waits()) === 0, 60);
      await Promise.all(workers.map((worker) => worker.stop()));
      const rows = await rowsOf(id);
      const per = new Map<number, number>();
      for (const { mailbox_id } of rows) per.set(mailbox_id, (per.get(mailbox_id) ?? 0) + 1);
      // A second's worth may be made up; the rest has its gap.
      const least = Math.max(...per.values()) * gap - 1000 - gap;
      expect(Date.now() - began).to.be.at.least(least);
      const now = firm.world.counts();
      for (const row of rows.filter(({ state }) => state === 'sent'))
        expect((now.get(row.to_address) ?? 0) - (before.get(row.to_address) ?? 0), row.to_address).to.equal(
          1,
        );
      expect(rows.length).to.equal(recipients);
    }).timeout(90_000);

  it('is taken by no more than a mailbox of its own limit may send', async () => {
    const { id } = await released(AT_ONCE);
    await firm.db('mailbox').update({ per_minute: 1 });
    await firm.db('mailbox_allowance').delete();
    const claims = new DispatchWorker(firm.context, outgoing(firm.context));
    await claims.work();
    await claims.work();
    await claims.stop();
    const mailboxes = new Set((await rowsOf(id)).map(({ mailbox_id }) => mailbox_id)).size;
    const gone = await countOf(rowsOf(id).clone().clearOrder().whereNot({ state: 'waiting' }));
    expect(gone).to.equal(mailboxes);
    expect(await say(takeBack(firm.db, MANAGER, id))).to.contain('gone already');
    await firm.db('mailbox').update({ per_minute: null });
    await steerMailing(firm.context, MANAGER, id, 'cancelled');
  });

  it('needs a test copy of it as it is, unless a manager says why not', async () => {
    const { id, recipients } = await saved(AT_ONCE);
    const release = (staff: StaffMember, version: number, untestedWhy = '') =>
      say(releaseMailing(firm.context, staff, id, { version, recipients, untestedWhy }));
    expect(await release(MANAGER, 2)).to.contain('say why not');
    expect(await release({ ...MANAGER, role: 'adviser' }, 2, 'in a hurry')).to.contain('Send one first');
    const { order } = await checkMailing(firm.db, id);
    await sendTest(firm.context, MANAGER, id, { key: order[0] ?? '' });
    await saveMailing(firm.db, id, { ...draftOf(AT_ONCE), name: 'Another name' }, 2);
    expect((await viewMailing(firm.db, id)).testedAt).to.be.a('string');
    await saveMailing(firm.db, id, { ...draftOf(AT_ONCE), body: words('Other words.') }, 3);
    expect((await viewMailing(firm.db, id)).testedAt).to.equal(null);
    expect(await release(MANAGER, 4)).to.contain('test copy');
    expect(await release(MANAGER, 4, 'the same as last year')).to.equal('done');
    expect(await one(firm.db('mailing').where({ id }).first('untested_why'))).to.deep.equal({
      untested_why: 'the same as last year',
    });
    await steerMailing(firm.context, MANAGER, id, 'cancelled');
  });

  it('is handed over by an assistant, shown on Today, and released or given back by a manager', async () => {
    const { id, recipients } = await saved(AT_ONCE);
    await handOver(firm.db, PETRA, id, 2);
    expect(await say(handOver(firm.db, PETRA, id, 2))).to.contain('handed over meanwhile');
    expect(await say(saveMailing(firm.db, id, draftOf(AT_ONCE), 2))).to.contain('handed over');
    const maren = browserOf(app);
    await maren.signIn('maren.okell@quillhurst.example', DEMO_PASSWORD);
    const today = (await maren.ask('get', '/today')).body as { mailings: { id: number; state: string }[] };
    expect(today.mailings.find((each) => each.id === id)?.state).to.equal('ready');
    expect((await viewMailing(firm.db, id)).handed?.by).to.equal('Petra Lund');
    expect((await maren.ask('post', `/mailings/${id}/take-back`, {})).status).to.equal(204);
    expect((await viewMailing(firm.db, id)).handed).to.equal(null);
    await handOver(firm.db, PETRA, id, 2);
    const done = await maren.ask('post', `/mailings/${id}/release`, {
      version: 2,
      recipients,
      untestedWhy: 'as said',
    });
    expect(done.status).to.equal(204);
    await steerMailing(firm.context, MANAGER, id, 'cancelled');
  });

  it('reckons answers from what the latest mailings had', async () => {
    await firm.db('dispatch').whereIn('state', ['sent']).update({ answered_message_id: null });
    const sent: number[] = await firm.db('dispatch').where({ state: 'sent' }).pluck('id');
    await firm
      .db('mailing')
      .where({ state: 'finished' })
      .update({ finished_at: new Date(Date.now() - 3 * 24 * 3600_000) });
    const message = await one(firm.db('message').orderBy('id').first('id', 'at'));
    await firm
      .db('dispatch')
      .whereIn('id', sent.slice(0, Math.floor(sent.length / 4)))
      .update({ answered_message_id: message.id, sent_at: new Date(message.at.getTime() - 3600_000) });
    const past = await pastAnswers(firm.db);
    expect(past.answersIn100).to.be.within(20, 30);
    expect(past.withinDayIn100).to.equal(100);
  });

  it('says which timings cannot be', async () => {
    const maren = browserOf(app);
    await maren.signIn('maren.okell@quillhurst.example', DEMO_PASSWORD);
    const { id } = await saved(AT_ONCE);
    const ask = async (timing: unknown) => {
      const { status, body } = await maren.ask('post', '/mailings/timing', { mailingId: id, timing });
      return [status, JSON.stringify(body)] as const;
    };
    expect((await ask({ ...AT_ONCE, batch: { size: 101, minutes: 5 } }))[1]).to.contain(
      'Never more than 100',
    );
    expect((await ask({ ...AT_ONCE, hours: { from: '10:00', until: '09:00' } }))[0]).to.equal(400);
    const slow = await ask({ ...AT_ONCE, batch: { size: 1, minutes: 7 * 24 * 60 }, answers: 1 });
    expect(slow[0] === 200 || slow[1].includes('more than 400 days')).to.equal(true);
  });
});
