import { expect } from 'chai';
import { AT_ONCE, type MailingDraft } from '../../contract/index.ts';
import { selectionOf } from '../../core/selection/tree.ts';
import { DispatchWorker } from '../../server/dispatch/worker.ts';
import { addressKey } from '../../core/address/address.ts';
import { checkMailing } from '../../server/mailing/checking.ts';
import { createMailing, deleteMailing, listMailings, saveMailing } from '../../server/mailing/mailings.ts';
import { handOver, releaseMailing, steerMailing, takeBack } from '../../server/mailing/release.ts';
import { addToSeries, advance, advanceAll, listSeries } from '../../server/mailing/series.ts';
import { changeTiming } from '../../server/mailing/timing.ts';
import { viewMailing } from '../../server/mailing/view.ts';
import { outgoing } from '../../server/parts.ts';
import { letGo, mailingDraft, releaseAsChecked, words } from './drafts.ts';
import { MANAGER, one, openFirm, type TestFirm } from './helpers.ts';

const DAY = 24 * 3600_000;
const ACTIVE = {
  ...selectionOf({ fact: 'client.status', test: { op: 'one of', values: ['active'] } }),
  past: false,
};

describe('a series of messages', () => {
  let firm: TestFirm;
  const say = (work: Promise<unknown>) =>
    work.then(
      () => 'done',
      (error: Error) => error.message,
    );
  before(async () => {
    firm = await openFirm({ clients: 24, files: 30, conversationsPerClient: 0.1, answerShare: 0 });
    await firm.sync();
  });
  after(() => firm.close());

  /** A first message, and others behind it that say their number. */
  async function begun(instead: Partial<MailingDraft> = {}, followers = 2) {
    const id = await createMailing(firm.db, MANAGER, { copyOf: null });
    await saveMailing(firm.db, id, mailingDraft({ name: 'Three words', selection: ACTIVE, ...instead }), 1);
    const following: number[] = [];
    for (let at = 0; at < followers; at++) {
      const next = await addToSeries(firm.db, MANAGER, following.at(-1) ?? id);
      await saveMailing(
        firm.db,
        next,
        mailingDraft({ name: `Word ${at + 2}`, body: words('Again.'), waitDays: 7 }),
        1,
      );
      following.push(next);
    }
    return { id, following };
  }
  const release = (id: number) => releaseAsChecked(firm, id);
  const goes = (id: number) => letGo(firm, id);
  const sentBefore = (id: number, days: number) =>
    firm
      .db('dispatch')
      .where({ mailing_id: id, state: 'sent' })
      .update({ sent_at: new Date(Date.now() - days * DAY) });
  const copies = (id: number) => firm.db('dispatch').where({ mailing_id: id }).orderBy('id');
  async function answers(row: { id: number }) {
    const message = await one(firm.db('message').orderBy('id').first('id'));
    await firm.db('dispatch').where({ id: row.id }).update({ answered_message_id: message.id });
  }

  it('is written, checked, handed over, released and taken back as one, from its first message on', async () => {
    const { id, following } = await begun();
    const [second = 0, third = 0] = following;
    expect(
      (await viewMailing(firm.db, third)).series.map(({ step, waitDays }) => [step, waitDays]),
    ).to.deep.equal([
      [1, null],
      [2, 7],
      [3, 7],
    ]);
    expect((await listMailings(firm.db, 0, 50)).find((row) => row.id === id)?.messages).to.equal(3);
    expect((await listMailings(firm.db, 0, 50)).map((row) => row.id)).to.not.include(second);
    // Whom it goes to and when is the first one's to say.
    const later = { ...AT_ONCE, hours: { from: '10:00', until: '12:00' } };
    await saveMailing(
      firm.db,
      second,
      mailingDraft({ selection: selectionOf(), timing: later, waitDays: 3 }),
      2,
    );
    expect((await viewMailing(firm.db, second)).draft).to.deep.include({
      timing: AT_ONCE,
      waitDays: 3,
      selection: (await viewMailing(firm.db, id)).draft.selection,
    });
    await saveMailing(firm.db, id, mailingDraft({ selection: ACTIVE, timing: later }), 2);
    expect((await viewMailing(firm.db, second)).draft.timing).to.deep.equal(later);
    // A fault of one stands in the way of all.
    await saveMailing(firm.db, third, mailingDraft({ name: 'Word 3', subject: words(''), waitDays: 7 }), 2);
    expect((await checkMailing(firm.db, id)).problems.join()).to.contain('“Word 3”: The subject is empty');
    await saveMailing(firm.db, third, mailingDraft({ name: 'Word 3', waitDays: 7 }), 3);
    await firm.db('mailing').where({ id }).update({ tested_at: new Date() });
    const { order } = await checkMailing(firm.db, id);
    const ask = { version: 3, recipients: order.length, untestedWhy: '' };
    expect(await say(releaseMailing(firm.context, MANAGER, id, ask))).to.contain('all its messages');
    expect(
      await say(releaseMailing(firm.context, MANAGER, second, { ...ask, version: 3, untestedWhy: 'x' })),
    ).to.contain('by itself');
    await handOver(firm.db, MANAGER, id, 3);
    expect(await say(saveMailing(firm.db, third, mailingDraft(), 4))).to.contain('handed over');
    expect(await say(takeBack(firm.db, MANAGER, second))).to.contain('first message');
    await takeBack(firm.db, MANAGER, id);
    await release(id);
    expect((await viewMailing(firm.db, third)).state).to.equal('going');
    await takeBack(firm.db, MANAGER, id);
    expect((await viewMailing(firm.db, third)).state).to.equal('draft');
    const copy = await createMailing(firm.db, MANAGER, { copyOf: id });
    const { series } = await viewMailing(firm.db, copy);
    expect(series.map(({ name, waitDays }) => [name, waitDays])).to.deep.equal([
      ['Copy of To all', null],
      ['To all', 3],
      ['Word 3', 7],
    ]);
    await deleteMailing(firm.db, MANAGER, series[1]?.id ?? 0);
    expect((await viewMailing(firm.db, copy)).series).to.have.length(2);
    await deleteMailing(firm.db, MANAGER, copy);
    expect(
      await firm.db('mailing').whereIn(
        'id',
        series.map((each) => each.id),
      ),
    ).to.deep.equal([]);
  });

  it('goes on to those who neither answered, nor opted out, nor fit no more; each once, however many look', async () => {
    const { id, following } = await begun();
    const [second = 0, third = 0] = following;
    const count = await release(id);
    await goes(id);
    await advance(firm.context, second);
    expect(await copies(second), 'nobody is due').to.deep.equal([]);
    const first = await firm.db('dispatch').where({ mailing_id: id, state: 'sent' }).orderBy('id');
    const [answering, opting, leaving, later] = first;
    const had = first.length;
    // To some the exchange could not bring it.
    expect(had).to.be.greaterThan(8).and.at.most(count);
    await answers(answering!);
    await firm
      .db('opt_out')
      .insert({ email_key: addressKey(opting!.to_address), at: new Date(), how: 'said so' });
    await firm
      .db('client')
      .where({ id: leaving!.client_id ?? 0 })
      .update({ status: 'past' });
    // Whoever answers leaves at once, the others when they are due.
    await advance(firm.context, second);
    expect((await viewMailing(firm.db, second)).series[1]).to.deep.include({
      left: [{ why: 'answered', count: 1 }],
      waiting: had - 1,
      sent: 0,
    });
    await sentBefore(id, 6);
    await advance(firm.context, second);
    expect(await copies(second)).to.deep.equal([]);
    await sentBefore(id, 8);
    await Promise.all([1, 2, 3].map(() => advance(firm.context, second)));
    await advance(firm.context, second);
    const got = (await copies(second)).map(({ client_id, person_id }) => `${client_id}-${person_id}`);
    expect(got.length).to.equal(had - 3);
    expect(new Set(got).size).to.equal(got.length);
    const why = new Map(
      (await listSeries(firm.db, second, { offset: 0, limit: 100 })).rows.map((row) => [row.clientId, row]),
    );
    expect(why.get(answering!.client_id)).to.deep.include({ state: 'left', step: 2, why: 'answered' });
    expect(why.get(opting!.client_id)).to.deep.include({ state: 'left', step: 2, why: 'opted out' });
    expect(why.get(leaving!.client_id)).to.deep.include({
      state: 'left',
      step: 2,
      why: 'fits the selection no more',
    });
    expect(why.get(later!.client_id)).to.deep.include({ state: 'goes', step: 2 });
    // An answer to the first, while the second waits for its time: it does not go.
    await firm
      .db('dispatch')
      .where({ mailing_id: second })
      .update({ next_at: new Date(Date.now() + DAY) });
    await answers(later!);
    await advance(firm.context, second);
    expect((await copies(second)).find((row) => row.client_id === later!.client_id)?.state).to.equal(
      'cancelled',
    );
    await firm.db('dispatch').where({ mailing_id: second, state: 'waiting' }).update({ next_at: new Date() });
    await goes(second);
    expect((await viewMailing(firm.db, second)).state, 'everybody is through').to.equal('going');
    await advance(firm.context, second);
    expect((await viewMailing(firm.db, second)).state).to.equal('finished');
    const [, next, other] = await firm
      .db('dispatch')
      .where({ mailing_id: second, state: 'sent' })
      .orderBy('id');
    const { rows } = await listSeries(firm.db, id, { offset: 0, limit: 100 });
    expect(rows.find((row) => row.clientId === next!.client_id)).to.deep.include({ state: 'waits', step: 3 });
    // What its text says of somebody has gone since the release.
    const gap = { type: 'mergeField', attrs: { field: 'client.service', fallback: '', format: '' } };
    await firm
      .db('mailing')
      .where({ id: third })
      .update({ body: JSON.stringify({ type: 'doc', content: [{ type: 'paragraph', content: [gap] }] }) });
    await firm.db('client').update({ service: 'Project' });
    await firm
      .db('client')
      .where({ id: next!.client_id ?? 0 })
      .update({ service: null });
    await firm
      .db('dispatch')
      .where({ id: next!.id })
      .update({ sent_at: new Date(Date.now() - 30 * DAY) });
    await advance(firm.context, third);
    expect(await copies(third)).to.deep.equal([]);
    const left = await listSeries(firm.db, id, { offset: 0, limit: 100 });
    expect(left.rows.find((row) => row.clientId === next!.client_id)).to.deep.include({
      state: 'left',
      why: 'a fact of its text is missing',
    });
    // Stopped, nobody comes to the third any more.
    await steerMailing(firm.context, MANAGER, third, 'cancelled');
    await sentBefore(second, 30);
    await advance(firm.context, third);
    expect(await copies(third)).to.deep.equal([]);
    const after = await listSeries(firm.db, id, { offset: 0, limit: 100 });
    expect(after.rows.find((row) => row.clientId === other!.client_id)?.state).to.equal('had all');
    expect(after.total).to.equal(count);
  });

  it('that cannot go on is paused, says why when it is to, and holds nothing else up', async () => {
    const { id, following } = await begun({}, 1);
    const [second = 0] = following;
    await release(id);
    await goes(id);
    await sentBefore(id, 9);
    const rowOf = async (each: number) => one(firm.db('mailing').where({ id: each }).first());
    expect((await listMailings(firm.db, 0, 50))[0]).to.deep.include({ id, goesOn: true, state: 'finished' });
    // A field that the selection asks for is gone.
    const { selection_id: tree } = await rowOf(id);
    const kept = await one(firm.db('selection').where({ id: tree }).first('tree'));
    const broken = { ...ACTIVE, of: [{ fact: 'field:9999', test: { op: 'empty' } }] };
    await firm
      .db('selection')
      .where({ id: tree })
      .update({ tree: JSON.stringify(broken) });
    await advanceAll(firm.context);
    expect((await rowOf(second)).state).to.equal('paused');
    expect(await say(steerMailing(firm.context, MANAGER, second, 'going'))).to.not.equal('done');
    await firm.db('selection').where({ id: tree }).update(kept);
    expect(await say(steerMailing(firm.context, MANAGER, second, 'going'))).to.equal('done');
    await advanceAll(firm.context);
    expect((await copies(second)).length).to.be.greaterThan(5);
    await firm.db('dispatch').where({ mailing_id: second }).update({ state: 'cancelled' });
  });

  it('keeps the pace of its first message, and is moved on by dispatch itself', async () => {
    await firm.db('opt_out').delete();
    const timing = { ...AT_ONCE, batch: { size: 4, minutes: 60 } };
    const { id, following } = await begun({ timing }, 1);
    const [second = 0] = following;
    await release(id);
    await firm
      .db('dispatch')
      .where({ mailing_id: id })
      .update({ next_at: new Date(), state: 'sent', sent_at: new Date(Date.now() - 9 * DAY) });
    await firm.db('mailing').where({ id }).update({ state: 'finished' });
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await outgoing(firm.context)
      .find(({ name }) => name === 'mailing')
      ?.ready(firm.db);
    expect(await copies(second)).to.have.length(4);
    await advance(firm.context, second);
    expect(await copies(second), 'no more within the hour').to.have.length(4);
    await firm
      .db('mailing')
      .where({ id: second })
      .update({ advanced_at: new Date(Date.now() - 61 * 60_000) });
    await advance(firm.context, second);
    expect(await copies(second)).to.have.length(8);
    // The pace can be changed though the first message has all gone: what waits is laid out anew, and who comes next.
    await firm.db('dispatch').where({ mailing_id: second }).update({ state: 'waiting' });
    await changeTiming(firm.context, MANAGER, id, { ...AT_ONCE, batch: { size: 2, minutes: 60 } });
    const waits = (await copies(second)).map(({ next_at }) => next_at.getTime());
    expect(new Set(waits.map((at) => Math.round((at - Math.min(...waits)) / 3600_000))).size).to.equal(4);
    expect((await viewMailing(firm.db, second)).draft.timing.batch).to.deep.equal({ size: 2, minutes: 60 });
    await steerMailing(firm.context, MANAGER, second, 'cancelled');
    expect(await say(changeTiming(firm.context, MANAGER, id, AT_ONCE))).to.contain('not on its way');
    await worker.stop();
  });
});
