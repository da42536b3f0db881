import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { DateTime } from 'luxon';
import { simpleParser } from 'mailparser';
import { addDays } from '../../core/paperwork/reminding.ts';
import type { RemindersShow } from '../../contract/index.ts';
import { AppContext } from '../../server/foundation/context.ts';
import { readFirm, writeFirm, type Firm } from '../../server/foundation/firm.ts';
import { makeRun, PaperMaker } from '../../server/paperwork/make.ts';
import { changeReminding, remindOn, viewReminding } from '../../server/paperwork/ownReminding.ts';
import { listPieces, pieceContent } from '../../server/paperwork/pieces.ts';
import { releasePieces } from '../../server/paperwork/release.ts';
import { fromNextTime, prepareReminders, ReminderClock, writeTone } from '../../server/paperwork/remind.ts';
import { listReminders, todayIn } from '../../server/paperwork/reminders.ts';
import { stopReminders } from '../../server/paperwork/stopReminders.ts';
import { backToWords, dropRun, draftOfRun, readRun, saveRun, viewRun } from '../../server/paperwork/runs.ts';
import { DispatchWorker } from '../../server/dispatch/worker.ts';
import { outgoing } from '../../server/parts.ts';
import { readRaw } from '../../server/foundation/sources.ts';
import { words } from './drafts.ts';
import { MANAGER, one, openFirm, until, type TestFirm } from './helpers.ts';

describe('reminders', () => {
  let firm: TestFirm;
  let settled: Firm;
  let today: string;
  let clients: { id: number; name: string }[];
  const ago = (days: number) => addDays(today, -days);
  const list = async (show: RemindersShow = 'now') =>
    (await listReminders(firm.db, { show, offset: 0, limit: 100 })).rows;
  const told = async (show: RemindersShow = 'now') =>
    (await list(show)).map(({ number, what, tone }) => `${number} ${what}${tone ? ` ${tone}` : ''}`);
  const note = async (client: number, number: string, due: string, amount = 100) => {
    const [id = 0] = await firm.db('fee_note').insert({
      ...{ client_id: clients[client]?.id ?? 0, number, words: 'Advice', amount, tax: 0 },
      ...{ issued_on: addDays(due, -30), due_on: due },
    });
    return id;
  };
  const prepared = async () => {
    const { runs } = await prepareReminders(firm.context, MANAGER);
    await new PaperMaker(firm.context).makeAll();
    return runs;
  };
  const pieces = async (id: number) =>
    (await listPieces(firm.db, id, { show: 'all', offset: 0, limit: 100 })).rows;
  const releaseAll = async (id: number) =>
    releasePieces(firm.db, MANAGER, id, { what: 'all', expected: (await viewRun(firm.db, id)).counts.ready });
  /** As if so many days had gone by since the reminders went. */
  const later = async (days: number) => {
    await firm.db.raw('UPDATE reminder_step SET day = day - INTERVAL ? DAY', [days]);
    await firm.db.raw(
      'UPDATE fee_note SET due_on = due_on - INTERVAL ? DAY, issued_on = issued_on - INTERVAL ? DAY',
      [days, days],
    );
  };

  before(async () => {
    firm = await openFirm({ clients: 12, files: 16, conversationsPerClient: 0 });
    settled = await readFirm(firm.db);
    today = todayIn(settled);
    clients = await firm
      .db('client')
      .where({ status: 'active' })
      .orderBy('name')
      .limit(5)
      .select('id', 'name');
    await firm.db('delivery').where({ kind: 'statements' }).delete();
  });
  beforeEach(async () => {
    await firm.db('dispatch').where({ kind: 'paperwork' }).delete();
    await firm.db('document').whereNotNull('piece_id').update({ piece_id: null });
    await firm.db('reminder_step').delete();
    await firm.db('reminder_day').delete();
    await firm.db('paper_run').delete();
    await firm.db('fee_note').delete();
    await firm.db('client').update({ reminding: null });
    await writeFirm(firm.db, settled);
  });
  after(() => firm.close());

  it('are one a client, in the tone of the firmest step that is due, with all that is over its day', async () => {
    await note(0, 'N1', ago(7), 100);
    await note(0, 'N2', ago(3), 50.5);
    await note(1, 'N3', ago(6), 70);
    await note(2, 'N4', today, 70);
    expect(await told()).to.deep.equal(['N1 now friendly']);
    expect(await told('later')).to.deep.equal(['N2 later friendly', 'N3 later friendly']);
    const [run] = await prepared();
    expect(run).to.include({ name: 'Reminders, friendly', pieces: 1 });
    const [piece] = await pieces(run?.id ?? 0);
    expect(piece).to.include({ client: clients[0]?.name, amount: 150.5 });
    expect(piece?.problems).to.deep.equal([]);
    const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-remind-'));
    const file = join(dir, 'a.pdf');
    writeFileSync(file, (await pieceContent(firm.db, piece?.id ?? 0)).content);
    const text = spawnSync('pdftotext', ['-layout', file, '-'], { encoding: 'utf8' }).stdout;
    rmSync(dir, { recursive: true });
    expect(text)
      .to.match(/N1 +Advice +.* 7 +£100\.00/)
      .and.to.match(/N2 +Advice +.* 3 +£50\.50/)
      .and.to.match(/To be paid +£150\.50/);
    // What lies on the desk is not prepared again, and is said to lie there.
    expect(await told()).to.deep.equal(['N1 desk friendly']);
    expect(await prepared()).to.deep.equal([]);
  });

  it('go on step by step, once each, until so many have gone', async () => {
    await note(0, 'N1', ago(8));
    const tones = [];
    for (let step = 0; step < 4; step++) {
      const [run] = await prepared();
      if (!run) break;
      const { tone } = await viewRun(firm.db, run.id);
      expect((await releaseAll(run.id)).released).to.equal(1);
      expect(await told('later')).to.have.length(step < 2 ? 1 : 0);
      expect(await prepared()).to.deep.equal([]);
      tones.push(tone);
      await later(14);
    }
    expect(tones).to.deep.equal(['friendly', 'plain', 'firm']);
    expect(await told('stopped')).to.deep.equal(['N1 all sent']);
    expect(await firm.db('reminder_step').orderBy('step').pluck('step')).to.deep.equal([1, 2, 3]);
  });

  it('carry a table of the fee notes in their message, and stop when it is answered until somebody says go on', async () => {
    const id = await note(0, 'N1', ago(8), 1234.5);
    const [run] = await prepared();
    await releaseAll(run?.id ?? 0);
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await until('it has gone', async () => {
      await worker.work();
      return Boolean(
        await firm
          .db('dispatch')
          .where({ kind: 'paperwork', state: 'sent' })
          .whereNotNull('logged_message_id')
          .first(),
      );
    });
    await worker.stop();
    const row = await one(firm.db('dispatch').where({ kind: 'paperwork' }).first());
    const mail = await simpleParser(await readRaw(firm.db, row.raw_hash!));
    expect(mail.subject).to.equal('A reminder of N1');
    expect(mail.text?.replace(/\s+/g, ' ')).to.contain('N1').and.to.contain('£1,234.50');
    expect(mail.attachments.map(({ filename }) => filename)).to.deep.equal([`Reminder ${today}.pdf`]);
    await later(14);
    expect(await told()).to.deep.equal(['N1 now plain']);
    await firm.db('dispatch').where({ id: row.id }).update({ answered_message_id: row.logged_message_id });
    expect(await told('stopped')).to.deep.equal(['N1 answered']);
    expect((await list('stopped'))[0]?.answerId).to.equal(row.logged_message_id);
    expect(await prepared()).to.deep.equal([]);
    await remindOn(firm.db, MANAGER, id);
    expect(await told()).to.deep.equal(['N1 now plain']);
  });

  it('keep to other numbers of a client or a fee note, and leave alone what is switched off', async () => {
    const id = await note(0, 'N1', ago(8));
    await note(0, 'N2', ago(8));
    const clientId = clients[0]?.id ?? 0;
    const own = { off: false, after: 10, every: null, most: 1 };
    await changeReminding(firm.db, MANAGER, 'client', clientId, own);
    expect(await told('later')).to.deep.equal(['N1 later friendly', 'N2 later friendly']);
    expect(await viewReminding(firm.db, 'fee note', id)).to.deep.equal({
      own: null,
      else: { off: false, after: 10, every: 14, most: 1 },
    });
    await changeReminding(firm.db, MANAGER, 'fee note', id, {
      off: true,
      after: null,
      every: null,
      most: null,
    });
    await changeReminding(firm.db, MANAGER, 'client', clientId, null);
    expect(await told()).to.deep.equal(['N2 now friendly']);
    expect(await told('stopped')).to.deep.equal(['N1 off']);
    const [run] = await prepared();
    expect((await pieces(run?.id ?? 0))[0]?.amount).to.equal(100);
  });

  it('never go twice for a step, though two runs are released at once', async () => {
    await note(0, 'N1', ago(8));
    const [first] = await prepared();
    await firm.db('paper_run').where({ id: first?.id }).update({ state: 'done' });
    const [second] = await prepared();
    await firm.db('paper_run').where({ id: first?.id }).update({ state: 'made' });
    const both = await Promise.all([releaseAll(first?.id ?? 0), releaseAll(second?.id ?? 0)]);
    expect(both.map(({ released }) => released).sort()).to.deep.equal([0, 1]);
    expect(await firm.db('reminder_step')).to.have.length(1);
    expect(await firm.db('dispatch').where({ kind: 'paperwork' })).to.have.length(1);
  });

  it('are held back at release where something was paid since, and dropped where nothing is left', async () => {
    const id = await note(0, 'N1', ago(8), 100);
    await note(0, 'N2', ago(8), 40);
    const other = await note(1, 'N3', ago(8), 60);
    const [run] = await prepared();
    await firm.db('fee_note').whereIn('id', [id, other]).update({ paid_on: today });
    expect(await releaseAll(run?.id ?? 0)).to.include({ released: 0, overtaken: 2 });
    await new PaperMaker(firm.context).makeAll();
    const rows = await listPieces(firm.db, run?.id ?? 0, { show: 'all', offset: 0, limit: 10 });
    expect(rows.rows.map(({ amount, state }) => [amount, state])).to.deep.equal([[40, 'made']]);
    expect(await releaseAll(run?.id ?? 0)).to.include({ released: 1 });
  });

  it('are stopped before they leave when what they ask for is paid, and the rest is reminded of anew', async () => {
    const id = await note(0, 'N1', ago(8), 100);
    await note(0, 'N2', ago(8), 40);
    const [run] = await prepared();
    await releaseAll(run?.id ?? 0);
    await stopReminders(firm.db);
    expect(await firm.db('dispatch').where({ kind: 'paperwork' })).to.have.length(1);
    await firm.db('fee_note').where({ id }).update({ paid_on: today });
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await worker.work();
    await worker.stop();
    expect(await firm.db('dispatch').where({ kind: 'paperwork' })).to.deep.equal([]);
    const [piece] = await firm.db('paper_piece').where({ run_id: run?.id });
    expect(piece).to.include({
      state: 'dropped',
      held_why: 'Paid, answered or switched off before it left.',
    });
    expect(
      await firm
        .db('document')
        .whereNull('gone_at')
        .where({ client_id: clients[0]?.id, filename: `Reminder ${today}.pdf`, file_id: piece?.file_id })
        .where('hash', piece!.raw_hash!),
    ).to.deep.equal([]);
    expect(await told()).to.deep.equal(['N2 now friendly']);
    const [again] = await prepared();
    expect((await pieces(again?.id ?? 0)).map(({ amount }) => amount)).to.deep.equal([40]);
  });

  it('have the words that the last of their tone had, or that lie ready', async () => {
    await note(0, 'N1', ago(8));
    const ready = await writeTone(firm.db, MANAGER, 'friendly');
    expect(await writeTone(firm.db, MANAGER, 'friendly')).to.equal(ready);
    const draft = draftOfRun(await readRun(firm.db, ready));
    await saveRun(
      firm.db,
      ready,
      { ...draft, body: words('We miss your payment.'), hiddenCopy: 'copy@firm.example' },
      1,
    );
    const [run] = await prepared();
    expect(run?.id).to.equal(ready);
    await releaseAll(ready);
    await note(1, 'N2', ago(8));
    const [next] = await prepared();
    const kept = draftOfRun(await readRun(firm.db, next?.id ?? 0));
    expect([kept.body, kept.hiddenCopy]).to.deep.equal([words('We miss your payment.'), 'copy@firm.example']);
    await dropRun(firm.db, MANAGER, next?.id ?? 0);
    const empty = await writeTone(firm.db, MANAGER, 'firm');
    expect(await makeRun(firm.db, MANAGER, empty, 1).catch((error: Error) => error.message)).to.contain(
      'Nothing',
    );
  });

  describe('by themselves', () => {
    /** A Tuesday, in the firm's zone. */
    const tuesday = (time: string) => DateTime.fromISO(`2026-12-01T${time}`, { zone: settled.zone });
    const rule = { daily: true, at: '09:30', days: [2], after: 7, every: 14, most: 3, releasedBy: null };

    it('are prepared once on each day that was named, whoever comes first', async () => {
      await note(0, 'N1', ago(8));
      const processes = [firm.context, new AppContext(firm.db, firm.config, firm.context.log)].map(
        (context) => new ReminderClock(context),
      );
      const rounds = (at: DateTime) => Promise.all(processes.map((each) => each.round(at)));
      const count = async () => (await firm.db('paper_piece')).length;
      await rounds(tuesday('10:00'));
      expect(await count(), 'switched off').to.equal(0);
      await writeFirm(firm.db, { ...settled, reminders: rule });
      await rounds(tuesday('09:29'));
      await rounds(tuesday('10:00').plus({ days: 1 }));
      await writeFirm(firm.db, {
        ...settled,
        reminders: rule,
        holidays: [{ day: '2026-12-01', name: 'Feast' }],
      });
      await rounds(tuesday('10:00'));
      expect(await count(), 'too early, another day, a holiday').to.equal(0);
      await writeFirm(firm.db, { ...settled, reminders: rule });
      // A process that died held the day.
      await firm
        .db('reminder_day')
        .insert({ day: today, lease_owner: 'dead', lease_until: new Date(Date.now() - 1000) });
      await rounds(tuesday('10:00'));
      expect(await count()).to.equal(1);
      await note(1, 'N2', ago(8));
      await rounds(tuesday('11:00'));
      expect(await count(), 'once a day').to.equal(1);
    });

    it('are not prepared at the moment somebody changes the rule, but the next time', async () => {
      await note(0, 'N1', ago(8));
      await writeFirm(firm.db, { ...settled, reminders: rule });
      const clock = new ReminderClock(firm.context);
      await fromNextTime(firm.db, tuesday('09:00'));
      expect(await firm.db('reminder_day')).to.deep.equal([]);
      await fromNextTime(firm.db, tuesday('15:00'));
      await clock.round(tuesday('15:00'));
      expect(await firm.db('paper_piece')).to.deep.equal([]);
      await firm.db('reminder_day').delete();
      await clock.round(tuesday('09:30'));
      expect(await firm.db('paper_piece')).to.have.length(1);
    });

    it('go in the name of whoever allowed it, once, and stay on the desk when they may not', async () => {
      await note(0, 'N1', ago(8));
      await writeFirm(firm.db, { ...settled, reminders: { ...rule, releasedBy: MANAGER.id } });
      const clock = new ReminderClock(firm.context);
      await clock.round(tuesday('10:00'));
      await clock.round(tuesday('10:00'));
      expect(await firm.db('dispatch').where({ kind: 'paperwork' }), 'not made yet').to.deep.equal([]);
      await new PaperMaker(firm.context).makeAll();
      await Promise.all([clock.round(tuesday('10:01')), clock.round(tuesday('10:01'))]);
      expect(await firm.db('dispatch').where({ kind: 'paperwork' })).to.have.length(1);
      const [piece] = await firm.db('paper_piece');
      expect(piece).to.include({ state: 'released', released_by: MANAGER.id });
      // One that is taken back to its words is in a person's hands from then on.
      await note(2, 'N9', ago(8));
      await firm.db('reminder_day').delete();
      await clock.round(tuesday('10:00'));
      const taken = await one(
        firm.db('paper_run').where({ state: 'made' }).first('id', 'released_for', 'version'),
      );
      expect(taken.released_for).to.equal(MANAGER.id);
      await backToWords(firm.db, MANAGER, taken.id);
      await makeRun(firm.db, MANAGER, taken.id, taken.version);
      await new PaperMaker(firm.context).makeAll();
      await clock.round(tuesday('10:01'));
      expect(await firm.db('dispatch').where({ kind: 'paperwork' })).to.have.length(1);
      await dropRun(firm.db, MANAGER, taken.id);
      await firm.db('fee_note').where({ number: 'N9' }).delete();
      const page = await listReminders(firm.db, { show: 'now', offset: 0, limit: 10 });
      expect(page.trouble).to.equal('');
      const assistant = await one(firm.db('staff').where({ role: 'assistant' }).first('id'));
      await writeFirm(firm.db, { ...settled, reminders: { ...rule, releasedBy: assistant.id } });
      expect((await listReminders(firm.db, { show: 'now', offset: 0, limit: 10 })).trouble).to.contain(
        'Name another',
      );
      await firm.db('reminder_day').delete();
      await note(1, 'N2', ago(8));
      await clock.round(tuesday('10:00'));
      await new PaperMaker(firm.context).makeAll();
      await clock.round(tuesday('10:01'));
      expect(await firm.db('dispatch').where({ kind: 'paperwork' })).to.have.length(1);
    });
  });
});
