import { selectionOf } from '../../core/selection/tree.ts';
import { expect } from 'chai';
import type { MailingDraft, StaffMember } from '../../contract/index.ts';
import { readMessage } from '../../core/message/read.ts';
import { readRaw } from '../../server/foundation/sources.ts';
import { DispatchWorker } from '../../server/dispatch/worker.ts';
import { createMailing, saveMailing } from '../../server/mailing/mailings.ts';
import { viewMailing } from '../../server/mailing/view.ts';
import { AppContext } from '../../server/foundation/context.ts';
import { openFirm, rawMessage, until, type TestFirm, one } from './helpers.ts';
import { mailingDraft } from './drafts.ts';
import { outgoing } from '../../server/parts.ts';
import { checkMailing } from '../../server/mailing/checking.ts';
import { resolveUncertain } from '../../server/mailing/progress.ts';
import { listDispatch } from '../../server/mailing/results.ts';
import { releaseMailing, steerMailing } from '../../server/mailing/release.ts';

const maren: StaffMember = {
  id: 1,
  name: 'Maren Okell',
  email: 'maren.okell@quillhurst.example',
  role: 'manager',
};
const para = (...content: MailingDraft['body'][]) => ({ type: 'paragraph', content });
const text = (words: string) => ({ type: 'text', text: words });
const field = (key: string, fallback = '') => ({ type: 'mergeField', attrs: { field: key, fallback } });

const DRAFT = mailingDraft({
  name: 'A word to all',
  selection: selectionOf({ fact: 'client.status', test: { op: 'one of', values: ['active'] } }),
  subject: { type: 'doc', content: [para(text('News for '), field('client.name'))] },
  body: {
    type: 'doc',
    content: [para(text('Dear '), field('greeting', 'all'), text(',')), para(text('The gate is open.'))],
  },
});

async function released(
  firm: TestFirm,
  draft: Partial<MailingDraft> = {},
): Promise<{ id: number; recipients: number }> {
  const id = await createMailing(firm.db, maren, { copyOf: null });
  await saveMailing(firm.db, id, { ...DRAFT, ...draft }, 1);
  const { order } = await checkMailing(firm.db, id);
  await releaseMailing(firm.context, maren, id, {
    version: 2,
    recipients: order.length,
    untestedWhy: 'a trial',
  });
  return { id, recipients: order.length };
}

/** Everything correspondents received, by address. */
function received(firm: TestFirm): Map<string, number> {
  return firm.world.counts();
}

const states = async (firm: TestFirm, mailingId: number) => {
  const rows: { state: string; count: number }[] = await firm
    .db('dispatch')
    .where({ mailing_id: mailingId })
    .groupBy('state')
    .select('state')
    .count('* as count');
  return Object.fromEntries(rows.map((row) => [row.state, Number(row.count)]));
};

describe('a mailing on its way', () => {
  let firm: TestFirm;
  let mailing: { id: number; recipients: number };
  let worker: DispatchWorker;
  before(async () => {
    firm = await openFirm({
      clients: 40,
      files: 60,
    });
    await firm.sync();
    mailing = await released(firm);
    const known = new Map(firm.world.correspondents().map((person) => [person.address, person]));
    const to: string[] = await firm
      .db('dispatch')
      .where({ mailing_id: mailing.id })
      .orderBy('id')
      .pluck('to_address');
    const people = to.flatMap((address) => known.get(address) ?? []);
    // One whose server asks us to come again, and one whose mailbox is full.
    if (people[0]) people[0].behaviour = 'later';
    if (people[1]) people[1].behaviour = 'full';
    worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await until('nothing is waiting', async () => {
      await worker.work();
      const now = await states(firm, mailing.id);
      return (
        !now.waiting &&
        !now.going &&
        !now.delayed &&
        !(await firm
          .db('dispatch')
          .where({ state: 'sent' })
          .andWhere((any) => any.whereNull('logged_message_id').orWhereNull('sent_copy_at'))
          .first())
      );
    });
  });
  after(async () => {
    await worker.stop();
    await firm.close();
  });

  it('reaches everybody once, each alone on the envelope', async () => {
    const behaviours = new Map(
      firm.world.correspondents().map((person) => [person.address, person.behaviour]),
    );
    const rows = await firm.db('dispatch').where({ mailing_id: mailing.id });
    expect(rows.length).to.equal(mailing.recipients);
    for (const row of rows) {
      const refused = ['unknown', 'full'].includes(behaviours.get(row.to_address) ?? 'unknown');
      expect([row.to_address, row.state]).to.deep.equal([row.to_address, refused ? 'returned' : 'sent']);
      expect(received(firm).get(row.to_address) ?? 0).to.equal(refused ? 0 : 1);
    }
  });

  it('tries again when a server says later, and knows hard from soft', async () => {
    const rowsTo = (behaviour: string) =>
      firm
        .db('dispatch')
        .where({ mailing_id: mailing.id })
        .whereIn(
          'to_address',
          firm.world
            .correspondents()
            .filter((person) => person.behaviour === behaviour)
            .map(({ address }) => address),
        );
    const later = await rowsTo('later');
    expect(later).to.not.deep.equal([]);
    for (const row of later) expect([row.attempts > 1, row.state]).to.deep.equal([true, 'sent']);
    const full = await rowsTo('full');
    expect(full).to.not.deep.equal([]);
    for (const row of full) expect([row.state, row.return_kind]).to.deep.equal(['returned', 'soft']);
  });

  it('logs on the chosen file the very bytes that left, also in Sent, once', async () => {
    const rows = await firm.db('dispatch').where({ mailing_id: mailing.id, state: 'sent' });
    for (const row of rows) {
      const filing = await one(firm.db('filing').where('message_id', row.logged_message_id).first());
      expect(filing.file_id).to.equal(row.file_id);
    }
    const row = rows[0]!;
    const mailbox = await one(firm.db('mailbox').where({ id: row.mailbox_id }).first());
    const sent = firm.world.account(mailbox.address)?.folder('Sent');
    const uids = sent?.withMessageId(row.message_id) ?? [];
    expect(uids.length).to.equal(1);
    const bytes = sent?.read(sent.find(uids[0] ?? 0)!);
    expect((await readRaw(firm.db, row.raw_hash!)).equals(bytes ?? Buffer.alloc(0))).to.equal(true);
    await firm.sync();
    expect((await firm.db('message').where({ message_id: row.message_id })).length).to.equal(1);
    expect((await firm.db('message_copy').where('message_id', row.logged_message_id)).length).to.equal(1);
  });

  it('arrives as it left, from the right adviser, with a plain-text part', async () => {
    const row = await one(firm.db('dispatch').where({ mailing_id: mailing.id, state: 'sent' }).first());
    const read = await readMessage(await readRaw(firm.db, row.raw_hash!));
    const client = await firm
      .db('client')
      .join('staff', 'staff.id', 'client.adviser_id')
      .where('client.id', row.client_id)
      .first('client.name', 'staff.email');
    expect(read.from?.address).to.equal(client.email);
    expect(read.to.map((to) => to.address)).to.deep.equal([row.to_address]);
    expect(read.subject).to.equal(`News for ${client.name}`);
    expect(read.text).to.contain('The gate is open.');
    expect(read.html).to.contain('The gate is open.');
  });

  it('files the answers, delivery reports and out-of-office notes with the original', async () => {
    const rows = await firm.db('dispatch').where({ mailing_id: mailing.id, state: 'sent' }).limit(3);
    const [answer, report, away] = [rows[0]!, rows[1]!, rows[2]!];
    await firm.world.answerAs(answer.to_address, latest(firm, answer.to_address), 'Yes please.');
    const mailbox = async (row: { mailbox_id: number }) =>
      firm.world
        .account((await one(firm.db('mailbox').where({ id: row.mailbox_id }).first())).address)
        ?.folder('INBOX');
    const { deliveryReport, outOfOffice } = await import('../../outside/letters.ts');
    const raw = await readRaw(firm.db, report.raw_hash!);
    (await mailbox(report))?.append(
      await deliveryReport(raw, report.to_address, '5.1.1', '550 5.1.1 gone', () => 0.5, new Date()),
      [],
      new Date(),
    );
    const original = await readMessage(await readRaw(firm.db, away.raw_hash!));
    (await mailbox(away))?.append(
      await outOfOffice(
        { address: away.to_address, name: 'Away', behaviour: 'out-of-office' },
        original,
        () => 0.25,
        new Date(),
      ),
      [],
      new Date(),
    );
    await firm.sync();
    const landed = async (row: { message_id: string }) =>
      firm
        .db('message_link')
        .join('message', 'message.id', 'message_link.message_id')
        .join('filing', 'filing.message_id', 'message.id')
        .whereRaw('link_key = UNHEX(SHA2(?, 256))', [row.message_id])
        .where('direction', 'received')
        .pluck('filing.file_id');
    expect(await landed(answer)).to.deep.equal([answer.file_id]);
    expect(await landed(report)).to.deep.equal([report.file_id]);
    expect(await landed(away)).to.deep.equal([away.file_id]);
    const again = (row: { id: number }) => one(firm.db('dispatch').where({ id: row.id }).first());
    expect((await again(answer)).answered_message_id).to.be.a('number');
    expect((await again(report)).state).to.equal('returned');
    expect((await again(away)).answered_message_id).to.equal(null);
    expect(await firm.db('address').where({ email: report.to_address }).first('returned_why')).to.deep.equal({
      returned_why: 'the address does not exist',
    });
  });

  it('finishes, and cannot be released twice', async () => {
    expect((await viewMailing(firm.db, mailing.id)).state).to.equal('finished');
    const refusal = await releaseMailing(firm.context, maren, mailing.id, {
      version: 2,
      recipients: mailing.recipients,
      untestedWhy: 'a trial',
    }).catch((error: Error) => error.message);
    expect(refusal).to.contain('released already');
  });
});

function latest(firm: TestFirm, address: string): number {
  const folder = (
    firm.world as unknown as {
      received: { folder(path: string): { messages: { uid: number; flags: Set<string> }[] } };
    }
  ).received.folder('INBOX');
  return folder.messages.filter((message) => message.flags.has(`to:${address}`)).at(-1)?.uid ?? 0;
}

describe('before a mailing leaves', () => {
  let firm: TestFirm;
  before(async () => {
    firm = await openFirm({ clients: 20, files: 30 });
  });
  after(() => firm.close());

  it('refuses when something is missing, the list changed, or another saved it', async () => {
    const id = await createMailing(firm.db, maren, { copyOf: null });
    await saveMailing(
      firm.db,
      id,
      { ...DRAFT, body: { type: 'doc', content: [para(text('Dear '), field('greeting'))] } },
      1,
    );
    const checks = await checkMailing(firm.db, id);
    expect(checks.missing.map((row) => row.client)).to.contain('Low Wray Commoners');
    const say = async (work: Promise<unknown>) =>
      work.then(() => 'done').catch((error: Error) => error.message);
    expect(
      await say(
        releaseMailing(firm.context, maren, id, {
          version: 2,
          recipients: checks.order.length,
          untestedWhy: 'a trial',
        }),
      ),
    ).to.contain('Greeting');
    await saveMailing(firm.db, id, DRAFT, 2);
    expect(
      await say(
        releaseMailing(firm.context, maren, id, {
          version: 3,
          recipients: checks.order.length - 1,
          untestedWhy: 'a trial',
        }),
      ),
    ).to.contain('recipients');
    expect(
      await say(
        releaseMailing(firm.context, maren, id, {
          version: 2,
          recipients: checks.order.length,
          untestedWhy: 'a trial',
        }),
      ),
    ).to.contain('changed meanwhile');
    expect(await say(saveMailing(firm.db, id, DRAFT, 2))).to.contain('colleague');
    expect(await firm.db('dispatch').where({ mailing_id: id })).to.deep.equal([]);
  });

  it('does not keep to itself what it claimed and could not send, but tries again at once', async () => {
    const { id, recipients } = await released(firm);
    let failures = 0;
    const kinds = outgoing(firm.context).map((kind) => ({
      ...kind,
      load: (...asked: Parameters<typeof kind.load>) => {
        if (kind.name === 'mailing' && failures++ < 1) throw new Error('went away');
        return kind.load(...asked);
      },
    }));
    const worker = new DispatchWorker(firm.context, kinds);
    const failed = await worker.work().then(
      () => null,
      (error: Error) => error.message,
    );
    expect(failed).to.equal('went away');
    expect((await states(firm, id)).going).to.be.greaterThan(0);
    await until('none waits', async () => {
      await worker.work();
      const now = await states(firm, id);
      return !now.waiting && !now.going && !now.delayed;
    });
    const { sent = 0, returned = 0 } = await states(firm, id);
    expect([sent > 0, sent + returned]).to.deep.equal([true, recipients]);
    await worker.stop();
  });

  it('pauses, goes on, and cancels what has not left', async () => {
    const { id, recipients } = await released(firm);
    await steerMailing(firm.context, maren, id, 'paused');
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await worker.work();
    expect((await states(firm, id)).waiting).to.equal(recipients);
    await steerMailing(firm.context, maren, id, 'going');
    await steerMailing(firm.context, maren, id, 'cancelled');
    await worker.work();
    expect(await states(firm, id)).to.deep.equal({ cancelled: recipients });
    await worker.stop();
  });
});

describe('crashes in mid-mailing', function () {
  // Laying copies into Sent waits for the mail server again and again: a quarter of a minute where nothing else is done.
  this.timeout(180_000);

  it('never sends by itself what may have left, until a person settles it', async () => {
    const firm = await openFirm({ clients: 12, files: 16 });
    await firm.sync();
    const { id } = await released(firm);
    const before = new Map(received(firm));
    await steerMailing(firm.context, maren, id, 'paused');
    const { rows } = await listDispatch(firm.db, id, { fared: 'all', offset: 0, limit: 2 });
    const [handed, untouched] = rows;
    const past = new Date(Date.now() - 1000);
    await firm
      .db('dispatch')
      .where({ id: handed!.id })
      .update({ state: 'going', lease_until: past, handed_at: past });
    await firm.db('dispatch').where({ id: untouched!.id }).update({ state: 'going', lease_until: past });
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await worker.work();
    const state = async (row: { id: number }) =>
      (await one(firm.db('dispatch').where({ id: row.id }).first('state'))).state;
    expect([await state(handed!), await state(untouched!)]).to.deep.equal(['uncertain', 'waiting']);
    await steerMailing(firm.context, maren, id, 'going');
    await until('the others have gone', async () => {
      await worker.work();
      return (await state(untouched!)) !== 'waiting' && !((await states(firm, id)).waiting ?? 0);
    });
    expect(await state(handed!)).to.equal('uncertain');
    expect(received(firm).get(handed!.address) ?? 0).to.equal(before.get(handed!.address) ?? 0);
    await resolveUncertain(firm.db, maren, handed!.id, 'send again');
    await until('it has gone', async () => {
      await worker.work();
      return ['sent', 'returned'].includes(await state(handed!));
    });
    await worker.stop();
    await firm.close();
  });

  it('takes a copy in Sent as proof that an uncertain message left', async () => {
    const firm = await openFirm({ clients: 12, files: 16 });
    await firm.sync();
    const { id } = await released(firm);
    await steerMailing(firm.context, maren, id, 'paused');
    const row = await one(firm.db('dispatch').where({ mailing_id: id }).first());
    const mailbox = await one(firm.db('mailbox').where({ id: row.mailbox_id }).first());
    const raw = rawMessage(
      {
        From: mailbox.address,
        To: row.to_address,
        Subject: 'x',
        'Message-ID': `<${row.message_id}>`,
        Date: new Date().toUTCString(),
      },
      'x',
    );
    const { storeRaw, packRaw } = await import('../../server/foundation/sources.ts');
    const packed = await packRaw(raw);
    await storeRaw(firm.db, [packed]);
    await firm
      .db('dispatch')
      .where({ id: row.id })
      .update({ state: 'uncertain', handed_at: new Date(), raw_hash: packed.hash });
    firm.world.account(mailbox.address)?.folder('Sent')?.append(raw, ['\\Seen'], new Date());
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await until('the copy is found', async () => {
      await worker.work();
      return (await one(firm.db('dispatch').where({ id: row.id }).first('state'))).state === 'sent';
    });
    await worker.stop();
    await firm.close();
  });

  for (const [when, after] of [
    ['before we look', 0],
    ['long after we laid ours there', 2500],
  ] as const)
    it(`leaves one copy in Sent where the server lays its own there ${when}`, async () => {
      const firm = await openFirm({ clients: 8, files: 12 });
      await firm.sync();
      firm.world.faults.filesSent = after;
      const { id } = await released(firm);
      const worker = new DispatchWorker(firm.context, outgoing(firm.context));
      const all = async () => firm.db('dispatch').where({ mailing_id: id, state: 'sent' });
      await until('all are settled', async () => {
        await worker.work();
        const rows = await all();
        return rows.length > 3 && rows.every((row) => row.sent_copy_at && row.logged_message_id);
      });
      await worker.stop();
      await new Promise((resolve) => setTimeout(resolve, after + 100));
      for (let round = 0; round < 2; round++) await firm.sync();
      const mailboxes = await firm.db('mailbox').select('id', 'address');
      for (const row of await all()) {
        const address = mailboxes.find((mailbox) => mailbox.id === row.mailbox_id)!.address;
        const sent = firm.world.account(address)?.folder('Sent');
        expect(sent?.withMessageId(row.message_id), row.message_id).to.have.length(1);
        expect(row.sent_uid === null || after > 0).to.equal(true);
      }
      expect(await firm.db('mail_change')).to.deep.equal([]);
      await firm.close();
    });

  it('lays each copy into Sent once, though the mail server is slow and the lease passes to another process', async () => {
    const firm = await openFirm({ clients: 40, files: 50, conversationsPerClient: 0.2 });
    await firm.sync();
    const { id } = await released(firm);
    // All from one mailbox, so that both are at work in one folder.
    const { mailbox_id } = await one(firm.db('dispatch').where({ mailing_id: id }).first('mailbox_id'));
    await firm.db('dispatch').where({ mailing_id: id }).update({ mailbox_id });
    const workers = [firm.context, new AppContext(firm.db, firm.config, firm.context.log)].map(
      (context) => new DispatchWorker(context, outgoing(context)),
    );
    const rows = async () => firm.db('dispatch').where({ mailing_id: id, state: 'sent' });
    await firm.db('mailbox').update({ imap_port: 1 });
    await until('all have left', async () => {
      await workers[0]?.work();
      return !(await firm
        .db('dispatch')
        .where({ mailing_id: id })
        .whereIn('state', ['waiting', 'going', 'delayed'])
        .first('id'));
    });
    await firm.db('mailbox').update({ imap_port: firm.world.imapPort });
    firm.world.faults.slow = 60;
    const [first, second] = workers;
    await until('the first has begun', async () => {
      await first?.work();
      return (await rows()).some((row) => row.sent_copy_at);
    });
    // What it holds still is held to be dead, and the other takes it.
    await firm
      .db('dispatch')
      .whereNull('sent_copy_at')
      .update({ lease_until: new Date(0) });
    await until('all copies are there', async () => {
      await Promise.all([first?.work(), second?.work()]);
      return (await rows()).every((row) => row.sent_copy_at);
    });
    delete firm.world.faults.slow;
    await Promise.all(workers.map((worker) => worker.stop()));
    for (const row of await rows()) {
      const { address } = await one(firm.db('mailbox').where({ id: row.mailbox_id }).first('address'));
      expect(firm.world.account(address)?.folder('Sent')?.withMessageId(row.message_id)).to.have.length(1);
    }
    await firm.close();
  });
});
