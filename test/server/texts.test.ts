import { expect } from 'chai';
import { DateTime } from 'luxon';
import { AT_ONCE, type MailingDraft } from '../../contract/index.ts';
import { selectionOf } from '../../core/selection/tree.ts';
import { checkMailing, previewMailing, sendTest } from '../../server/mailing/checking.ts';
import { createMailing, saveMailing } from '../../server/mailing/mailings.ts';
import { progressOf } from '../../server/mailing/progress.ts';
import { findRecipients, tickedRecipients } from '../../server/mailing/recipients.ts';
import { releaseMailing, steerMailing } from '../../server/mailing/release.ts';
import { startTexts } from '../../server/mailing/texts.ts';
import { mailingDraft } from './drafts.ts';
import { order, orderOn, step } from './orders.ts';
import { listenPage } from '../../outside/page.ts';
import { GATEWAY_KEY } from '../../outside/world.ts';
import { ledger } from '../../server/correspondence/ledger/ledger.ts';
import { LEDGER } from '../../server/parts.ts';
import { readRecord } from '../../server/records/changing.ts';
import { listTexts } from '../../server/textmessage/ledger.ts';
import { turnOrder } from '../../server/orders/keep.ts';
import { OrderWorker } from '../../server/orders/worker.ts';
import { openFile } from '../../server/records/people.ts';
import { cancelText, fileText, releaseText, setWaits } from '../../server/textmessage/place.ts';
import { dropGateway, keepGateway, viewGateway } from '../../server/textmessage/settings.ts';
import { TextWorker } from '../../server/textmessage/worker.ts';
import { readDesk, sendText } from '../../server/textmessage/write.ts';
import { MANAGER, one, openFirm, until, type TestFirm } from './helpers.ts';

const PAGE = { offset: 0, limit: 100 };

describe('text messages', () => {
  let firm: TestFirm;
  let page: { port: number; close(): Promise<void> };
  let clientId: number;
  let personId: number;
  let url: string;
  const gateway = (instead: object = {}) => ({
    ...{ url, key: GATEWAY_KEY, sender: 'Quillhurst', monthlyLimit: null },
    ...instead,
  });
  const draft = (number: string, text = 'We come at nine.', instead: object = {}) => ({
    ...{ clientId, fileId: null, personId, number, text, agreed: 'said so on the telephone' },
    ...instead,
  });
  const work = async () => {
    while (await new TextWorker(firm.context).round());
  };
  const write = (number: string, text?: string, instead?: object) =>
    sendText(firm.db, MANAGER, draft(number, text, instead));
  const refused = (sent: Promise<unknown>) =>
    sent.then(
      () => '',
      (error: Error) => error.message,
    );
  const row = (id: number) => one(firm.db('text_message').where({ id }).first());

  before(async () => {
    // Everything in the outside world happens ten thousand times faster than in life.
    firm = await openFirm({ clients: 8, files: 12, conversationsPerClient: 0, speed: 10_000 });
    page = await listenPage(firm.world, 0);
    url = `http://127.0.0.1:${page.port}/gateway`;
    const tie = await one(
      firm
        .db('client_person')
        .join('client', 'client.id', 'client_person.client_id')
        .where('client.status', 'active')
        .orderBy('client.id')
        .first('client_person.client_id', 'client_person.person_id'),
    );
    ({ client_id: clientId, person_id: personId } = tie);
    await firm.db('phone').delete();
  });
  beforeEach(async () => {
    await firm.db('text_message').delete();
    await firm.db('text_number').delete();
    const read = await firm.db('text_gateway').first('read_until');
    await keepGateway(firm.context, MANAGER, gateway());
    if (read) await firm.db('text_gateway').update({ read_until: read.read_until });
    firm.world.gateway.broken = false;
  });
  after(async () => {
    await page.close();
    await firm.close();
  });

  it('go through a gateway that has answered, by https outside of this machine', async () => {
    expect(await refused(keepGateway(firm.context, MANAGER, gateway({ key: 'wrong' })))).to.contain(
      'not known here',
    );
    expect(
      await refused(keepGateway(firm.context, MANAGER, gateway({ url: 'http://sms.example/' }))),
    ).to.contain('https');
    expect(await viewGateway(firm.db)).to.include({ price: 0.04, currency: 'GBP', sender: 'Quillhurst' });
    await dropGateway(firm.context, MANAGER);
    expect(await refused(write('07700 900101'))).to.contain('No gateway');
  });

  it('are sent to whoever agreed, told as delivered, and stand in the ledger', async () => {
    expect(await refused(write('07700 900101', 'A', { agreed: '' }))).to.equal(
      'Say how they agreed to get text messages.',
    );
    expect(await refused(write('12'))).to.equal('That is no telephone number.');
    const id = await write('07700 900101');
    await work();
    await until('it is delivered', async () => {
      await work();
      return (await row(id)).state === 'delivered';
    });
    expect(await row(id)).to.include({ parts: 1, price: 0.04, number_key: '+447700900101' });
    const { entries } = await ledger(firm.db, LEDGER, clientId, { ...PAGE, only: 'text' });
    expect(entries.map((entry) => (entry.kind === 'text' ? entry.text.text : ''))).to.deep.equal([
      'We come at nine.',
    ]);
    // Who has agreed is not asked again, and the number has joined the records.
    await write('07700 900101', 'Once more', { agreed: '' });
    const { phones } = await readRecord(firm.db, 'person', personId);
    expect(phones.map(({ number }) => number)).to.deep.equal(['07700 900101']);
    const desk = await readDesk(firm.db, clientId);
    expect(desk.numbers[0]).to.include({ number: '07700 900101', stopped: null });
    expect(desk.numbers[0]?.agreed?.how).to.equal('said so on the telephone');
    expect(desk.spent).to.be.closeTo(0.08, 1e-9);
  });

  it('heed the month’s limit, what waits reckoned in', async () => {
    await keepGateway(firm.context, MANAGER, gateway({ key: '', monthlyLimit: 0.1 }));
    await write('07700 900101');
    await write('07700 900101');
    expect(await refused(write('07700 900101'))).to.contain('would pass the month’s limit of GBP 0.1');
    expect(await refused(write('07700 900101', 'ł'.repeat(80)))).to.contain('limit');
  });

  it('say in the gateway’s words why one did not arrive', async () => {
    const id = await write('07700 900109');
    await until('it failed', async () => {
      await work();
      return (await row(id)).state === 'failed';
    });
    expect((await row(id)).why).to.equal('number not in service');
  });

  it('wait while the gateway is out of order, and go once however often they are handed over', async () => {
    firm.world.gateway.broken = true;
    const id = await write('07700 900101', 'Only once');
    await work();
    expect((await row(id)).state).to.equal('waiting');
    expect((await viewGateway(firm.db))?.problem).to.equal('out of order');
    firm.world.gateway.broken = false;
    // A process dies with it in its hands: the next hands it over again, under the same mark.
    const { mark } = await row(id);
    await firm.db('text_message').where({ id }).update({ state: 'waiting', next_at: new Date() });
    await work();
    await firm
      .db('text_message')
      .where({ id })
      .update({ state: 'going', lease_owner: 'dead', lease_until: new Date(0) });
    await Promise.all([work(), work()]);
    expect(firm.world.gateway.handed.get(mark)).to.equal(2);
    const onDisplay = () =>
      firm.world.gateway
        .telephones()
        .find(({ number }) => number === '+447700900101')
        ?.lines.filter(({ text }) => text === 'Only once').length;
    await until('it is on the telephone', async () => onDisplay() === 1);
    expect(['sent', 'delivered']).to.include((await row(id)).state);
  });

  it('come back onto the file of what they answer, and want an answer', async () => {
    const file = await one(firm.db('file').where({ client_id: clientId, general: 0 }).first('id'));
    await write('07700 900101', 'On Friday?', { fileId: file.id });
    await work();
    firm.world.gateway.answer('+447700900101', 'Friday is well.');
    await work();
    const answer = await one(firm.db('text_message').where({ direction: 'received' }).first());
    expect(answer).to.include({ client_id: clientId, person_id: personId, file_id: file.id, waits: 1 });
    expect((await listTexts(firm.db, { ...PAGE, show: 'waits', words: '' })).total).to.equal(1);
    await write('07700 900101', 'Till then.');
    expect((await row(answer.id)).waits).to.equal(0);
    await setWaits(firm.db, MANAGER, answer.id, true);
    expect((await listTexts(firm.db, { ...PAGE, show: 'waits', words: 'friday' })).rows[0]?.text).to.equal(
      'Friday is well.',
    );
  });

  it('end by one word, for that number and whatever waits for it', async () => {
    await write('07700 900101');
    await work();
    const waiting = await write('07700 900101', 'And another');
    firm.world.gateway.answer('+447700900101', 'Stop.');
    firm.world.gateway.broken = false;
    await firm
      .db('text_message')
      .where({ id: waiting })
      .update({ next_at: new Date(Date.now() + 60_000) });
    await work();
    expect((await row(waiting)).state).to.equal('cancelled');
    expect(await refused(write('07700 900101'))).to.contain('They want no text messages');
    expect((await readDesk(firm.db, clientId)).numbers[0]?.stopped?.how).to.equal('answered “Stop.”');
    firm.world.gateway.answer('+447700900101', 'START');
    await work();
    await write('07700 900101');
  });

  it('from nobody known wait for somebody to say where they belong', async () => {
    firm.world.gateway.answer('+447700900555', 'Is the gate open?');
    firm.world.gateway.answer('+447700900555', 'It is Hal.');
    await work();
    const { rows, counts } = await listTexts(firm.db, { ...PAGE, show: 'loose', words: '' });
    expect(counts.loose).to.equal(2);
    const file = await one(firm.db('file').where({ client_id: clientId, general: 1 }).first('id'));
    await fileText(firm.db, MANAGER, rows[0]?.id ?? 0, file.id);
    expect((await listTexts(firm.db, { ...PAGE, show: 'loose', words: '' })).total).to.equal(0);
  });

  it('are taken back while they wait, and not once they have left', async () => {
    firm.world.gateway.broken = true;
    const id = await write('07700 900101');
    await cancelText(firm.db, MANAGER, id);
    expect((await row(id)).state).to.equal('cancelled');
    firm.world.gateway.broken = false;
    const gone = await write('07700 900101');
    await work();
    expect(await refused(cancelText(firm.db, MANAGER, gone))).to.contain('has left already');
  });

  it('from standing orders lie prepared, or go by themselves where a manager lets them', async () => {
    await write('07700 900101');
    const client = { id: clientId };
    await firm.db('standing_order').update({ state: 'off' });
    const begin = () =>
      openFile(firm.db, MANAGER.id, client.id, {
        number: '',
        title: 'A hedge',
        adviserId: null,
        stage: null,
      });
    const texting = order({ on: 'file opened' }, [step({ do: 'text', words: 'Your file is open.' })], {
      againAfter: 0,
    });
    const asked = await orderOn(firm, texting);
    const worker = new OrderWorker(firm.context);
    await begin();
    await worker.settle(DateTime.now().plus({ seconds: 2 }));
    const { rows, counts } = await listTexts(firm.db, { ...PAGE, show: 'prepared', words: '' });
    expect([counts.prepared, rows[0]?.text, rows[0]?.by]).to.deep.equal([
      1,
      'Your file is open.',
      'the standing order “An order”',
    ]);
    await work();
    const id = rows[0]?.id ?? 0;
    expect((await row(id)).state).to.equal('prepared');
    await releaseText(firm.db, MANAGER, id);
    expect(await refused(releaseText(firm.db, MANAGER, id))).to.contain('has gone already');
    await work();
    expect(['sent', 'delivered']).to.include((await row(id)).state);
    await turnOrder(firm.db, MANAGER, asked, { to: 'paused', underWay: 'goes on' });
    const sending = await orderOn(firm, { ...texting, againAfter: 30 }, { sends: true });
    await begin();
    await worker.settle(DateTime.now().plus({ seconds: 2 }));
    const own = await one(firm.db('text_message').whereNotNull('course_id').orderBy('id', 'desc').first());
    // Nobody is told the same twice: what went a moment ago was the same.
    expect(own.id).to.equal(id);
    await firm.db('order_act').update({ at: new Date(0) });
    await begin();
    await worker.settle(DateTime.now().plus({ seconds: 4 }));
    const next = await one(firm.db('text_message').whereNotNull('course_id').orderBy('id', 'desc').first());
    expect([next.id > id, next.state]).to.deep.equal([true, 'waiting']);
    await turnOrder(firm.db, MANAGER, sending, { to: 'ended', underWay: 'stops' });
  });

  describe('as mailings', () => {
    const TEXT = [
      {
        type: 'paragraph',
        content: [
          { type: 'text', text: 'Dear ' },
          { type: 'mergeField', attrs: { field: 'greeting', fallback: 'client' } },
        ],
      },
      { type: 'paragraph', content: [{ type: 'text', text: 'The walk is on Friday at nine.' }] },
    ];
    const feeds = [startTexts];
    const settle = async () => {
      while (await new TextWorker(firm.context, feeds).round());
    };
    /** Gives the first people of some clients a number each, of which those below the third have agreed. */
    async function numbers() {
      await firm.db('phone').delete();
      const ties = await firm
        .db('client_person')
        .join('client', 'client.id', 'client_person.client_id')
        .where({ 'client.status': 'active', 'client_person.writes': 1 } as object)
        .groupBy('client_person.client_id')
        .orderBy('client_person.client_id')
        .select('client_person.client_id', { person_id: firm.db.raw('MIN(client_person.person_id)') });
      await firm.db('delivery').where({ kind: 'mailings' }).delete();
      await firm.db('opt_out').delete();
      for (const [at, { person_id }] of ties.slice(0, 5).entries()) {
        const key = `+44770090015${at}`;
        await firm
          .db('phone')
          .insert({ person_id, number: `07700 90015${at}`, number_key: key, position: 0, purpose: '' });
        if (at < 3)
          await firm
            .db('text_number')
            .insert({ number_key: key, agreed_at: new Date(), agreed_how: 'said so' });
      }
      await firm
        .db('text_number')
        .insert({ number_key: '+447700900153', stopped_at: new Date(), stopped_how: 'STOP' });
    }
    async function written(instead: Partial<MailingDraft> = {}) {
      const id = await createMailing(firm.db, MANAGER, { copyOf: null });
      const draft = mailingDraft({
        ...{ channel: 'text', eachOf: 'client', fileChoice: 'general', body: { type: 'doc', content: TEXT } },
        selection: selectionOf({ fact: 'client.status', test: { op: 'one of', values: ['active'] } }),
        ...instead,
      });
      return { id, draft, version: await saveMailing(firm.db, id, draft, 1) };
    }
    const release = async ({ id, draft, version }: Awaited<ReturnType<typeof written>>) => {
      const { recipients } = await findRecipients(firm.db, draft, MANAGER.id);
      await releaseMailing(firm.context, MANAGER, id, {
        ...{ version, recipients: recipients.length, untestedWhy: 'a test' },
      });
      return recipients;
    };
    beforeEach(numbers);

    it('reach those who agreed, and say of everybody else why not', async () => {
      const { draft } = await written();
      const { recipients, leftOut } = await findRecipients(firm.db, draft, MANAGER.id);
      expect(recipients.map(({ email }) => email)).to.have.members([
        '+447700900150',
        '+447700900151',
        '+447700900152',
      ]);
      const whys = new Set(leftOut.map(({ why }) => why));
      expect([...whys]).to.include.members([
        'no telephone number',
        'has not agreed to text messages',
        'wants no text messages',
      ]);
    });

    it('are checked for length and cost before they go, against the month’s limit', async () => {
      const { id, draft, version } = await written();
      const { problems, remarks, missing } = await checkMailing(firm.db, id);
      expect([problems, missing]).to.deep.equal([[], []]);
      expect(remarks[0]).to.equal('It goes in 3 parts, and costs about GBP 0.12 in all.');
      const [first] = await tickedRecipients(firm.db, draft, MANAGER.id);
      const preview = await previewMailing(firm.context, id, first?.key ?? '');
      expect(preview.text).to.match(/^Dear .+\nThe walk is on Friday at nine\.$/);
      expect(preview.short).to.deep.equal({ parts: 1, price: 0.04, currency: 'GBP', dear: [] });
      await keepGateway(firm.context, MANAGER, gateway({ key: '', monthlyLimit: 0.1 }));
      expect((await checkMailing(firm.db, id)).problems[0]).to.contain('pass the month’s limit');
      await dropGateway(firm.context, MANAGER);
      expect((await checkMailing(firm.db, id)).problems[0]).to.contain('No gateway');
      expect(version).to.equal(2);
    });

    it('go once each under any number of processes, fare as their messages do, and are answered onto the file', async () => {
      const mailing = await written();
      const recipients = await release(mailing);
      const workers = Array.from({ length: 3 }, () => new TextWorker(firm.context, feeds));
      await until('all have left', async () => {
        await Promise.all(workers.map((worker) => worker.round()));
        return !(await firm
          .db('dispatch')
          .where({ mailing_id: mailing.id })
          .whereNot({ state: 'sent' })
          .first('id'));
      });
      for (const { email } of recipients) {
        const lines = firm.world.gateway.telephones().find(({ number }) => number === email)?.lines ?? [];
        expect(lines.filter(({ text }) => text.includes('on Friday at nine'))).to.have.length(1);
      }
      const [first] = recipients;
      firm.world.gateway.answer(first?.email ?? '', 'We come.');
      firm.world.gateway.answer(recipients[1]?.email ?? '', 'STOP');
      await settle();
      const answer = await one(firm.db('text_message').where({ text: 'We come.' }).first());
      expect(answer).to.include({ client_id: first?.clientId, person_id: first?.personId, waits: 1 });
      const general = await one(
        firm
          .db('file')
          .where({ client_id: first?.clientId ?? 0, general: 1 })
          .first('id'),
      );
      expect(answer.file_id).to.equal(general.id);
      const progress = (await progressOf(firm.db, [mailing.id])).get(mailing.id);
      expect([progress?.total, progress?.byState.sent, progress?.answered]).to.deep.equal([3, 3, 2]);
      expect(
        await firm.db('dispatch').whereNotNull('opted_out_at').where({ mailing_id: mailing.id }),
      ).to.have.length(1);
      expect(
        await firm.db('happening').where({ kind: 'mailing answered' }).orderBy('id', 'desc').first('subject'),
      ).to.deep.equal({
        subject: 'dispatch',
      });
      const { draft } = await written();
      expect((await findRecipients(firm.db, draft, MANAGER.id)).recipients).to.have.length(2);
    });

    it('wait while they are paused, and go to nobody who said STOP meanwhile', async () => {
      const mailing = await written({ timing: { ...AT_ONCE } });
      const recipients = await release(mailing);
      await steerMailing(firm.context, MANAGER, mailing.id, 'paused');
      await settle();
      expect(await firm.db('text_message').whereNotNull('dispatch_id')).to.deep.equal([]);
      await firm
        .db('text_number')
        .where({ number_key: recipients[0]?.email ?? '' })
        .update({ stopped_at: new Date() });
      await steerMailing(firm.context, MANAGER, mailing.id, 'going');
      await settle();
      const states = await firm
        .db('dispatch')
        .where({ mailing_id: mailing.id })
        .orderBy('state')
        .pluck('state');
      expect(states.sort()).to.deep.equal(['cancelled', 'sent', 'sent']);
    });

    it('are tried on a colleague’s own telephone first, and do not pass the month’s limit', async () => {
      const mailing = await written();
      const [recipient] = await tickedRecipients(firm.db, mailing.draft, MANAGER.id);
      const test = () =>
        sendTest(firm.context, MANAGER, mailing.id, { key: recipient?.key ?? '', staffId: undefined });
      await firm.db('staff').where({ id: MANAGER.id }).update({ phone: '' });
      expect(await refused(test())).to.contain('telephone number is not known');
      await firm.db('staff').where({ id: MANAGER.id }).update({ phone: '07700 900140' });
      await test();
      await settle();
      expect(
        await firm.db('text_message').where({ number_key: '+447700900140' }).first('client_id'),
      ).to.deep.equal({ client_id: null });
      await release(mailing);
      await keepGateway(firm.context, MANAGER, gateway({ key: '', monthlyLimit: 0.09 }));
      await settle();
      const states = await firm.db('dispatch').where({ mailing_id: mailing.id }).pluck('state');
      expect(states.sort()).to.deep.equal(['delayed', 'delayed', 'sent']);
    });
  });
});
