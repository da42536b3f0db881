import { expect } from 'chai';
import { NewClient, Sort as SortSchema } from '../../contract/index.ts';
import { holdMessages } from '../../server/correspondence/marks.ts';
import { autoFiledPage } from '../../server/filing/autoFiled.ts';
import { rebuildLessons } from '../../server/filing/knowledge.ts';
import { viewMessage } from '../../server/filing/message.ts';
import { filingScore } from '../../server/filing/score.ts';
import { sortingQueue } from '../../server/filing/sorting.ts';
import { sortMessage, undoStep } from '../../server/filing/steps.ts';
import { setUnconnectedKinds, unconnectedKinds } from '../../server/filing/unconnected.ts';
import { LEARNED, SETTLED } from '../../server/filing/standing.ts';
import { weigh, weighingLeft } from '../../server/filing/weighing.ts';
import { IntakeLine } from '../../server/intake/line.ts';
import { intakeTurn } from '../../server/intake/keep.ts';
import { changeRecord, readRecord } from '../../server/records/changing.ts';
import { makeClient } from '../../server/records/create.ts';
import { hashOf } from '../../server/foundation/sources.ts';
import { filingRegister } from '../../server/records/filingRegister.ts';
import { EXCHANGE } from '../../outside/vouch.ts';
import { openFile } from '../../server/records/people.ts';
import { deliver, one, openFirm, rawMessage, until, vouchedFor, type TestFirm } from './helpers.ts';

const MAREN = 1;
const TOBIAS = 'tobias.fenn@quillhurst.example';

describe('weighing what came', () => {
  let firm: TestFirm;
  let writer: { email: string; files: { id: number; number: string }[] };
  let count = 0;
  before(async () => {
    firm = await openFirm({ clients: 30, files: 90 });
    await firm.sync();
    const client = firm.register.clients.find(
      ({ files, people }) =>
        files.filter((file) => !file.general && !file.closed).length > 1 && people[0]?.addresses.length,
    );
    writer = {
      email: client?.people[0]?.addresses[0]?.email ?? '',
      files: (client?.files ?? []).filter((file) => !file.general && !file.closed),
    };
  });
  after(() => firm.close());

  /** A letter of somebody with several files, which says nothing of any. */
  async function arrive(
    subject: string,
    {
      text = 'Thank you.',
      before,
      from = writer.email,
    }: { text?: string; before?: string; from?: string } = {},
  ): Promise<string> {
    const id = `weigh${++count}@elsewhere.example`;
    const named: Record<string, string> = before
      ? { 'In-Reply-To': `<${before}>`, References: `<${before}>` }
      : {};
    deliver(firm, TOBIAS, id, { text, headers: { From: from, Subject: subject, To: TOBIAS, ...named } });
    await firm.sync();
    return id;
  }
  /** A letter handed to a mailbox's line; nothing is weighed. */
  async function hand(
    id: string,
    {
      subject,
      text,
      from = writer.email,
      checked = vouchedFor(from),
    }: { subject: string; text: string; from?: string; checked?: Record<string, string> },
  ): Promise<{ line: IntakeLine; raw: Buffer }> {
    const folder = await one(
      firm.db('folder').where({ role: 'inbox' }).orderBy('id').first('id', 'mailbox_id'),
    );
    const raw = rawMessage(
      {
        From: from,
        To: TOBIAS,
        Subject: subject,
        'Message-ID': `<${id}>`,
        Date: new Date().toUTCString(),
        ...checked,
      },
      text,
    );
    const line = new IntakeLine(firm.context, folder.mailbox_id);
    const state = { sent: false, seen: false, flagged: false, past: true };
    await line.hand([
      { folderId: folder.id, uid: 900_000 + ++count, internalDate: new Date(), raw, ...state },
    ]);
    return { line, raw };
  }
  const record = (id: string) => one(firm.db('message').where({ message_id: id }).first());
  const place = async (id: string) => {
    const { id: number, state } = await record(id);
    const files: number[] = await firm.db('filing').where({ message_id: number }).pluck('file_id');
    return [state, ...files].join(' ');
  };
  const lessons = async (id: string) =>
    firm
      .db('lesson')
      .where({ message_id: (await record(id)).id })
      .orderBy('id')
      .select('sign', 'evident');

  it('lets a number in a later letter file the earlier ones, and leaves nothing to be weighed', async () => {
    const [file] = writer.files;
    const first = await arrive('Wednesday it is');
    expect(await place(first)).to.equal('suggested');
    const second = await arrive('Re: Wednesday it is', {
      before: first,
      text: `This is about ${file?.number}.`,
    });
    expect([await place(first), await place(second)]).to.deep.equal([
      `logged ${file?.id}`,
      `logged ${file?.id}`,
    ]);
    expect(await weighingLeft(firm.db)).to.equal(null);
    expect(await firm.db('weighing').where('stage', '>', SETTLED)).to.deep.equal([]);
  });

  it('weighs a letter that comes late with what it explains', async () => {
    const [, file] = writer.files;
    const answer = await arrive('Re: Thursday then', { before: 'late@elsewhere.example' });
    expect(await place(answer)).to.equal('suggested');
    deliver(firm, TOBIAS, 'late@elsewhere.example', {
      text: `About ${file?.number}.`,
      headers: { From: writer.email, Subject: 'Thursday then', To: TOBIAS },
    });
    await firm.sync();
    expect(await place(answer)).to.equal(`logged ${file?.id}`);
  });

  it('moves what nobody has seen, and leaves what somebody has opened where it is', async () => {
    const [one, two] = writer.files;
    for (const [subject, opened] of [
      ['Friday', false],
      ['Friday week', true],
    ] as const) {
      const root = await arrive(subject, { text: `About ${one?.number}.` });
      const reply = await arrive(`Re: ${subject}`, { before: root });
      expect(await place(reply)).to.equal(`logged ${one?.id}`);
      if (opened) await viewMessage(firm.context, MAREN, (await record(reply)).id);
      expect((await record(reply)).kept_at !== null).to.equal(opened);
      // A person says that the first was about something else; what comes next makes the rest be weighed.
      await sortMessage(
        firm.context,
        MAREN,
        SortSchema.parse({ messageId: (await record(root)).id, to: { kind: 'files', fileIds: [two?.id] } }),
      );
      await arrive(`Re: ${subject}`, { before: reply });
      expect(await place(reply), subject).to.equal(`logged ${(opened ? one : two)?.id}`);
    }
  });

  it('learns from what is certain by itself until a person decides, and again when that is taken back', async () => {
    const [file, other] = writer.files;
    const id = await arrive('Saturday', { text: `About ${file?.number}.` });
    expect(await lessons(id)).to.deep.equal([{ sign: 1, evident: 1 }]);
    const done = await sortMessage(
      firm.context,
      MAREN,
      SortSchema.parse({ messageId: (await record(id)).id, to: { kind: 'files', fileIds: [other?.id] } }),
    );
    expect(await lessons(id)).to.deep.equal([
      { sign: 1, evident: 1 },
      { sign: -1, evident: 1 },
      { sign: 1, evident: 0 },
    ]);
    await undoStep(firm.context, MAREN, done.stepId);
    await firm.sync();
    expect(
      (await lessons(id)).reduce((sum, { sign, evident }) => sum + sign * (evident ? 1 : 10), 0),
    ).to.equal(1);
    // Working the whole model out again finds nothing that is another.
    const { mended } = await rebuildLessons(firm.db, await filingRegister(firm.context));
    expect(mended).to.equal(0);
  });

  it('learns from a letter of history that is certain by itself as it is taken in', async () => {
    const [file] = writer.files;
    const id = 'history@elsewhere.example';
    const { line } = await hand(id, { subject: 'The old wall', text: `This is about ${file?.number}.` });
    await line.done();
    expect(await place(id)).to.equal(`logged ${file?.id}`);
    expect(await lessons(id)).to.deep.equal([{ sign: 1, evident: 1 }]);
    // It has to do with no other: only what waits is decided on anew by what it taught.
    expect(await firm.db('weighing').where({ message_id: (await record(id)).id })).to.deep.equal([]);
    expect(await firm.db('history_taught')).to.have.length(1);
    await weigh(firm.context);
    expect(await firm.db('history_taught')).to.deep.equal([]);
    expect(await lessons(id)).to.deep.equal([{ sign: 1, evident: 1 }]);
  });

  it('leaves where it is what somebody opens while it is being weighed', async () => {
    const [one, two] = writer.files;
    const root = await arrive('Whitsun', { text: `About ${one?.number}.` });
    const reply = await arrive('Re: Whitsun', { before: root });
    await sortMessage(
      firm.context,
      MAREN,
      SortSchema.parse({ messageId: (await record(root)).id, to: { kind: 'files', fileIds: [two?.id] } }),
    );
    const { id } = await record(reply);
    await firm.db('weighing').insert({ message_id: id, stage: LEARNED }).onConflict().merge();
    const held = await firm.db.transaction();
    await holdMessages(held, [id]);
    const weighed = weigh(firm.context);
    try {
      await until('the weighing waits for it', async () => {
        const [waiting] = (await firm.db.raw('SHOW PROCESSLIST')) as [{ Info: string | null }[]];
        return waiting.some(({ Info }) => Info?.startsWith('update `message` set `turn`'));
      });
      await held('message').where({ id }).update({ kept_at: new Date() });
    } finally {
      await held.commit();
      await weighed;
    }
    expect(await place(reply)).to.equal(`logged ${one?.id}`);
  });

  it('sets aside what is nobody’s by kinds that can be switched, and shows it by days', async () => {
    expect(await unconnectedKinds(firm.db)).to.deep.equal(['business', 'past']);
    const bill = await arrive('Your order', { from: 'billing@inkandpaper.example' });
    const stranger = await arrive('A question', { from: 'kit.lowe@postbox.example' });
    expect([await place(bill), await place(stranger)]).to.deep.equal(['aside', 'suggested']);
    const { unconnected } = await sortingQueue(firm.db, MAREN, { offset: 0, limit: 10 });
    const today = new Date().toISOString().slice(0, 10);
    expect(unconnected[0]?.day).to.equal(today);
    const page = await autoFiledPage(firm.db, MAREN, {
      state: 'unconnected',
      day: today,
      offset: 0,
      limit: 100,
    });
    expect(page.rows.map((row) => row.subject)).to.include('Your order');
    expect(page.total).to.equal(unconnected[0]?.count);
    expect(page.rows[0]?.evidence[0]?.words).to.include('no client is named');
    await setUnconnectedKinds(firm.context, MAREN, ['new']);
    const second = await arrive('Another order', { from: 'billing@inkandpaper.example' });
    const third = await arrive('Another question', { from: 'kit.lowe@postbox.example' });
    expect([await place(second), await place(third)]).to.deep.equal(['suggested', 'aside']);
    await setUnconnectedKinds(firm.context, MAREN, ['business', 'past']);
  });

  it('tells how sure it was of what somebody judged, and how much of that was right', async () => {
    const before = (await filingScore(firm.db)).calibration;
    const sum = (of: typeof before, what: 'judged' | 'right') =>
      of.bands.reduce((all, band) => all + band[what], 0);
    const right = await arrive('Sunday', { text: `About ${writer.files[0]?.number}.` });
    const wrong = await arrive('Monday', { text: `About ${writer.files[0]?.number}.` });
    await sortMessage(
      firm.context,
      MAREN,
      SortSchema.parse({ messageId: (await record(right)).id, to: { kind: 'right' } }),
    );
    await sortMessage(
      firm.context,
      MAREN,
      SortSchema.parse({ messageId: (await record(wrong)).id, to: { kind: 'aside' } }),
    );
    const { calibration, evident } = await filingScore(firm.db);
    expect([sum(calibration, 'judged'), sum(calibration, 'right')]).to.deep.equal([
      sum(before, 'judged') + 2,
      sum(before, 'right') + 1,
    ]);
    const week = calibration.weeks.at(-1);
    expect(week?.said).to.be.within(0.98, 1);
    expect(week?.right).to.be.lessThan(week?.judged ?? 0);
    expect(evident).to.be.greaterThan(20);
  });

  describe('of people who are entered in the records later', () => {
    const enter = (firstName: string, lastName: string, email: string) =>
      makeClient(
        firm.context,
        MAREN,
        NewClient.parse({ clientId: null, name: `${firstName} ${lastName}`, firstName, lastName, email }),
      );

    it('files what waits or was set aside by itself, and leaves what somebody settled or saw', async () => {
      const from = 'accounts@joinery.example';
      const aside = await arrive('Your estimate', { from });
      const seen = await arrive('Our second estimate', { from });
      await viewMessage(firm.context, MAREN, (await record(seen)).id);
      const own = await arrive('Our third estimate', { from });
      await sortMessage(
        firm.context,
        MAREN,
        SortSchema.parse({ messageId: (await record(own)).id, to: { kind: 'aside' } }),
      );
      const house = await arrive('Our opening hours', { from: 'accounts@wendelow.example' });
      const waits = await arrive('An enquiry', { from: 'Orla Wendelow <orla@wendelow.example>' });
      const places = (ids: string[]) => Promise.all(ids.map(place));
      expect(await places([aside, seen, house, waits])).to.deep.equal([
        ...['aside', 'aside', 'aside'],
        'suggested',
      ]);
      const { generalFile } = await enter('Orla', 'Wendelow', 'orla@wendelow.example');
      await weigh(firm.context);
      const filed = `logged ${generalFile.id}`;
      // The other address is nobody’s still; that of her house tells whose it is.
      expect(await places([waits, house, aside])).to.deep.equal([filed, filed, 'aside']);
      const { person_id } = await one(
        firm.db('address').where({ email_key: 'orla@wendelow.example' }).first('person_id'),
      );
      const { addresses } = await readRecord(firm.db, 'person', person_id);
      await changeRecord(firm.db, MAREN, 'person', person_id, {
        before: { addresses },
        after: { addresses: [...addresses, { email: from, current: true, purpose: '' }] },
      });
      await weigh(firm.context);
      expect(await places([aside, seen, own])).to.deep.equal([filed, 'aside', 'aside']);
      for (const table of ['address', 'client_person', 'file'] as const)
        expect(await firm.db(table).whereNotNull('new_at'), table).to.deep.equal([]);
      expect(await firm.db('weighing').where('stage', '>', SETTLED)).to.deep.equal([]);
    });

    it('waits until a list that is being taken in has come to its end', async () => {
      const waits = await arrive('A word', { from: 'Teal Harrowby <teal@harrowby.example>' });
      const { generalFile } = await enter('Teal', 'Harrowby', 'teal@harrowby.example');
      const [list = 0] = await firm.db('import_run').insert({
        ...{ staff_id: MAREN, filename: 'clients.csv', state: 'running', encoding: 'utf-8', delimiter: ',' },
        ...{ header: '[]', columns: '[]', row_count: 1, made_at: new Date() },
        lease_until: new Date(Date.now() + 60_000),
      });
      await weigh(firm.context);
      expect(await place(waits)).to.equal('suggested');
      await firm.db('import_run').where({ id: list }).update({ state: 'done', lease_until: null });
      await weigh(firm.context);
      expect(await place(waits)).to.equal(`logged ${generalFile.id}`);
    });

    it('files what names the number of a file that is opened only then', async () => {
      const waits = await arrive('Something new', { text: 'This is about QL-99871, which you will open.' });
      expect(await place(waits)).to.equal('suggested');
      const { client_id } = await one(firm.db('file').where({ id: writer.files[0]?.id }).first('client_id'));
      const id = await openFile(firm.db, MAREN, client_id, {
        number: 'QL-99871',
        title: 'What is new',
        adviserId: null,
        stage: null,
      });
      await weigh(firm.context);
      expect(await place(waits)).to.equal(`logged ${id}`);
    });

    it('asks about an old letter that nobody confirmed, whenever its domain is found to be confirmed as a rule', async () => {
      const from = 'Isla Brackwell <isla@brackwell.example>';
      const { generalFile } = await enter('Isla', 'Brackwell', 'isla@brackwell.example');
      await weigh(firm.context);
      const take = async (id: string, checked?: Record<string, string>) => {
        const { line } = await hand(id, { subject: `About ${id}`, text: 'Good morning.', from, checked });
        await line.done();
      };
      const nobody = { 'Authentication-Results': `${EXCHANGE}; none` };
      await take('early@brackwell.example', nobody);
      // As long as nothing of the domain is confirmed, old mail is believed.
      await weigh(firm.context);
      expect(await place('early@brackwell.example')).to.equal(`logged ${generalFile.id}`);
      expect(await lessons('early@brackwell.example')).to.have.length(1);
      for (let index = 0; index < 9; index++) await take(`confirmed${index}@brackwell.example`);
      await take('late@brackwell.example', nobody);
      await weigh(firm.context);
      for (const id of ['early@brackwell.example', 'late@brackwell.example']) {
        expect(await place(id), id).to.equal('suggested');
        expect(
          (await lessons(id)).reduce((sum, { sign }) => sum + sign, 0),
          id,
        ).to.equal(0);
      }
    });

    it('weighs what was prepared before and is kept after', async () => {
      const id = 'oxlade@elsewhere.example';
      const held = await firm.db.transaction();
      await intakeTurn(held);
      const { line, raw } = await hand(id, {
        subject: 'A first question',
        text: 'Could you advise me?',
        from: 'Perrin Oxlade <perrin@oxlade.example>',
      });
      await until('its batch is prepared', async () => {
        const kept = await firm.db('raw').where({ hash: hashOf(raw) });
        return kept.length > 0;
      });
      const { generalFile } = await enter('Perrin', 'Oxlade', 'perrin@oxlade.example');
      // Another process has heard of it, when this message was not yet kept.
      for (const table of ['address', 'client_person', 'file'] as const)
        await firm.db(table).update({ new_at: null });
      await held.commit();
      await line.done();
      expect(await place(id)).to.equal('suggested');
      await weigh(firm.context);
      expect(await place(id)).to.equal(`logged ${generalFile.id}`);
    });
  });
});
