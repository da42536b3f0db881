import { spawnSync } from 'node:child_process';
import { expect } from 'chai';
import { DateTime } from 'luxon';
import { readFirm } from '../../server/foundation/firm.ts';
import { judge, readSample } from '../../server/filing/sample.ts';
import { monthSheet } from '../../server/reckoning/sheet.ts';
import { askFor, listDays, readYesterday, settleDifference, viewDay } from '../../server/reckoning/view.ts';
import { Reckoner } from '../../server/reckoning/worker.ts';
import { addsUp } from '../../core/reckoning/account.ts';
import { mailingDraft, releaseDraft } from './drafts.ts';
import { deliver, MANAGER, one, openFirm, type TestFirm } from './helpers.ts';

describe('the reckoning', () => {
  let firm: TestFirm;
  let today: string;
  const box = 'ines.calder@quillhurst.example';
  const count = async (day = today) => {
    await askFor(firm.db, MANAGER, day);
    while (await new Reckoner(firm.context).round(DateTime.fromISO(`${today}T01:00`)));
    return viewDay(firm.db, MANAGER, day);
  };
  const line = async (folder: string) =>
    (await viewDay(firm.db, MANAGER, today)).lines.find(
      (row) => row.mailbox === 'Ines Calder' && row.folder === folder,
    );
  const inbox = () => firm.world.account(box)?.folder('INBOX');

  before(async () => {
    firm = await openFirm({ clients: 8, files: 12, conversationsPerClient: 0.4 });
    const { zone } = await readFirm(firm.db);
    today = DateTime.now().setZone(zone).toISODate() ?? '';
    for (const id of ['one', 'two', 'three']) deliver(firm, box, `${id}@reckoned.example`);
    // Another mailbox has one of today too, however early it is.
    deliver(firm, 'tobias.fenn@quillhurst.example', 'four@reckoned.example');
    await firm.sync();
  });
  beforeEach(async () => {
    await firm.db('reckoning').delete();
    await firm.db('copy_gone').delete();
  });
  after(() => firm.close());

  it('accounts for every message of a day, folder by folder, and adds up', async () => {
    const view = await count();
    expect(view.state).to.equal('done');
    expect(view.differences).to.deep.equal([]);
    expect(view.sum.taken).to.be.at.least(3);
    expect(view.lines.filter(({ rule }) => rule === null).every(addsUp)).to.equal(true);
    expect(addsUp(view.sum)).to.equal(true);
    expect((await line('INBOX'))?.onServer).to.be.at.least(3);
    const drafts = view.lines.filter(({ rule }) => rule === 'drafts');
    expect(drafts.length).to.be.greaterThan(0);
  });

  it('finds what lies on the server and was not taken in', async () => {
    const copy = await one(
      firm
        .db('message_copy')
        .join('message', 'message.id', 'message_copy.message_id')
        .where('message.message_id', 'two@reckoned.example')
        .first('message_copy.folder_id', 'message_copy.uid', 'message_copy.message_id'),
    );
    const row = await one(
      firm.db('message_copy').where({ folder_id: copy.folder_id, uid: copy.uid }).first(),
    );
    await firm.db('message_copy').where({ folder_id: copy.folder_id, uid: copy.uid }).delete();
    const view = await count();
    expect(view.differences.map(({ kind, words }) => [kind, words])).to.deep.equal([
      ['missing', 'Ada Fell: About two@reckoned.example'],
    ]);
    expect(view.sum.missing).to.equal(1);
    expect(addsUp(view.sum)).to.equal(true);
    await firm.db('message_copy').insert(row);
    expect((await count()).differences).to.deep.equal([]);
  });

  it('finds what was deleted behind our back, before and after it was noticed', async () => {
    deliver(firm, box, 'doomed@reckoned.example');
    await firm.sync();
    const message = await one(
      firm.db('message').where({ message_id: 'doomed@reckoned.example' }).first('id'),
    );
    const copy = await one(firm.db('message_copy').where({ message_id: message.id }).first('uid'));
    inbox()?.expunge([Number(copy.uid)]);
    expect((await count()).differences.map(({ kind, messageId }) => [kind, messageId])).to.deep.equal([
      ['unknown', message.id],
    ]);
    await firm.sync();
    const [gone, ...more] = (await count()).differences;
    expect(more).to.deep.equal([]);
    expect([gone?.kind, gone?.messageId, gone?.folder]).to.deep.equal(['gone', message.id, 'INBOX']);
    await settleDifference(firm.db, MANAGER, gone?.id ?? 0, true);
    // What somebody has seen to stays so when the day is counted again.
    const again = await count();
    expect(again.differences.map(({ seen }) => seen?.by)).to.deep.equal([MANAGER.name]);
    const { rows } = await listDays(firm.db, { offset: 0, limit: 10 });
    expect(rows[0]).to.include({ day: today, open: 0, seen: 1 });
  });

  it('says so where a server does not answer, and counts the others', async () => {
    const mailbox = await one(firm.db('mailbox').where({ address: box }).first('id', 'imap_port'));
    await firm.db('mailbox').where({ id: mailbox.id }).update({ imap_port: 1 });
    const view = await count();
    await firm.db('mailbox').where({ id: mailbox.id }).update({ imap_port: mailbox.imap_port });
    expect(view.differences.map(({ kind, mailbox: name }) => [kind, name])).to.deep.equal([
      ['unreached', 'Ines Calder'],
    ]);
    expect(view.sum.onServer).to.be.greaterThan(0);
  });

  it('counts what was sent, and adds up there too', async () => {
    const { id } = await releaseDraft(firm, mailingDraft(), 3);
    await firm
      .db('dispatch')
      .where({ mailing_id: id })
      .limit(2)
      .update({ state: 'sent', sent_at: new Date() });
    await firm
      .db('dispatch')
      .where({ mailing_id: id, state: 'waiting' })
      .limit(1)
      .update({ state: 'uncertain', handed_at: new Date() });
    const view = await count();
    const [mailing] = view.sendings;
    expect(mailing?.name).to.equal('To all');
    const { released = 0, sent = 0, waiting = 0, returned = 0, uncertain = 0, cancelled = 0 } = mailing ?? {};
    expect(released).to.equal(sent + waiting + returned + uncertain + cancelled);
    expect(view.differences.some(({ kind }) => kind === 'uncertain')).to.equal(true);
    await firm
      .db('dispatch')
      .where({ mailing_id: id })
      .update({ sent_at: new Date(Date.now() - 2 * 3600_000) });
    await firm.db('dispatch').delete();
  });

  it('is done at night for the day before, once, whoever comes first; and told on Today', async () => {
    const { zone } = await readFirm(firm.db);
    const night = DateTime.now().setZone(zone).startOf('day').set({ hour: 3 });
    await new Reckoner(firm.context).round(night.set({ hour: 1 }));
    expect((await readYesterday(firm.db)).state).to.equal('none');
    await Promise.all([new Reckoner(firm.context).round(night), new Reckoner(firm.context).round(night)]);
    expect(await readYesterday(firm.db)).to.include({ state: 'done', open: 0 });
    const refused = await askFor(firm.db, MANAGER, '2999-01-01').catch((error: Error) => error.message);
    expect(refused).to.contain('still to come');
  });

  it('tells of mailboxes one may not look into by their sums alone', async () => {
    await count();
    await firm.db('mailbox_colleague').delete();
    const view = await viewDay(firm.db, MANAGER, today);
    const hidden = view.lines.filter(({ mailbox }) => mailbox === 'Ines Calder');
    expect(hidden.map(({ folder }) => folder)).to.deep.equal(['']);
    expect(hidden[0]?.onServer).to.be.greaterThan(0);
  });

  it('gives a month as a sheet, in figures alone', async () => {
    await count();
    const csv = (await monthSheet(firm.db, today.slice(0, 7), 'csv')).toString();
    expect(csv.split('\r\n')[0]).to.contain('"On the server"'.replaceAll('"', ''));
    expect(csv).to.contain('Ines Calder');
    expect(csv).to.not.contain('reckoned.example');
    const paper = await monthSheet(firm.db, today.slice(0, 7), 'pdf');
    const text = spawnSync('pdftotext', ['-layout', '-', '-'], { input: paper }).stdout.toString();
    expect(text).to.contain('The reckoning of');
    expect(text).to.contain('Ines Calder');
  });

  it('draws a sample of the week that ended, once, and estimates what is wrong', async () => {
    const { zone } = await readFirm(firm.db);
    const week = DateTime.now().setZone(zone).startOf('week').minus({ weeks: 1 });
    const ids: number[] = await firm.db('message').where({ state: 'logged' }).limit(6).pluck('id');
    await firm
      .db('message')
      .whereIn('id', ids)
      .update({ at: week.plus({ days: 2 }).toJSDate(), decided_by: null, past: 0, reason: 'number' });
    const drawn = await readSample(firm.db);
    expect(drawn.week).to.equal(week.toISODate());
    expect(drawn.rows.map(({ messageId }) => messageId)).to.have.members(ids);
    expect(drawn.estimate).to.equal(null);
    expect((await readSample(firm.db)).rows).to.have.lengthOf(ids.length);
    for (const [index, messageId] of ids.slice(0, 4).entries())
      await judge(firm.db, MANAGER.id, { week: drawn.week, messageId, verdict: index ? 'right' : 'wrong' });
    const { estimate } = await readSample(firm.db);
    expect(estimate).to.include({ wrong: 1, looked: 4, share: 0.25 });
    await judge(firm.db, MANAGER.id, { week: drawn.week, messageId: ids[0] ?? 0, verdict: null });
    expect((await readSample(firm.db)).estimate).to.include({ wrong: 0, looked: 3 });
  });
});
