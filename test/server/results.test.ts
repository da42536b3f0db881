import { expect } from 'chai';
import type { Express } from 'express';
import { simpleParser } from 'mailparser';
import Papa from 'papaparse';
import request from 'supertest';
import type { DispatchRow, MailingDraft } from '../../contract/index.ts';
import { DispatchWorker } from '../../server/dispatch/worker.ts';
import { readFirm, writeFirm } from '../../server/foundation/firm.ts';
import { readRaw } from '../../server/foundation/sources.ts';
import { webApp } from '../../server/http/app.ts';
import { sendAgain } from '../../server/mailing/again.ts';
import { takeBack } from '../../server/mailing/release.ts';
import { listAnswers, listDispatch, readResults, resultsAsCsv } from '../../server/mailing/results.ts';
import { traceOf } from '../../server/mailing/trace.ts';
import { LEDGER, outgoing } from '../../server/parts.ts';
import { signLink } from '../../server/security/links.ts';
import { mailingDraft, releaseDraft, words } from './drafts.ts';
import { MANAGER, one, openFirm, until, type TestFirm } from './helpers.ts';

const BASE = 'https://clerk.quillhurst.example';
const linked = (text: string, href: string) => ({
  type: 'text',
  text,
  marks: [{ type: 'link', attrs: { href } }],
});
const BODY: MailingDraft['body'] = {
  type: 'doc',
  content: [
    {
      type: 'paragraph',
      content: [
        linked('the plan', 'https://firm.example/plan?a=1&b=2'),
        { type: 'text', text: ', ' },
        linked('https://firm.example/as-it-stands', 'https://firm.example/as-it-stands'),
        { type: 'text', text: ', ' },
        linked('write to us', 'mailto:office@quillhurst.example'),
        { type: 'text', text: ' or ' },
        linked('the plan again', 'https://firm.example/plan?a=1&b=2'),
      ],
    },
  ],
};

describe('what became of a mailing', () => {
  let firm: TestFirm;
  let app: Express;
  let id: number;
  const open = (mailingId: number) =>
    firm
      .db('dispatch')
      .where({ mailing_id: mailingId })
      .whereIn('state', ['waiting', 'going', 'delayed'])
      .first('id');
  async function goes(mailingId: number) {
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await until('all have gone', async () => {
      await worker.work();
      return !(await open(mailingId));
    });
    await worker.work();
    await worker.stop();
  }
  before(async () => {
    firm = await openFirm({ clients: 30, files: 40, conversationsPerClient: 0.1, answerShare: 0 });
    app = webApp(firm.context, LEDGER);
    await firm.sync();
    await writeFirm(firm.db, { ...(await readFirm(firm.db)), webAddress: `${BASE}/` });
    const draft = mailingDraft({ name: 'The plan', subject: words('The plan'), body: BODY });
    ({ id } = await releaseDraft(firm, draft));
    await goes(id);
  });
  after(() => firm.close());

  const sent = () => firm.db('dispatch').where({ mailing_id: id, state: 'sent' }).orderBy('id');
  const htmlOf = async (row: { raw_hash: Buffer | null }) =>
    String((await simpleParser(await readRaw(firm.db, row.raw_hash ?? Buffer.alloc(0)))).html);
  const list = async (fared: Parameters<typeof listDispatch>[2]['fared']) =>
    (await listDispatch(firm.db, id, { fared, offset: 0, limit: 200 })).rows;
  const rowOf = async (dispatchId: number) =>
    (await list('all')).find((row) => row.id === dispatchId) as DispatchRow;

  it('is told by a picture and links of its own in each copy, and by nothing where words name an address', async () => {
    const [first, second] = await sent();
    const [html, other] = [await htmlOf(first!), await htmlOf(second!)];
    const links = Array.from(html.matchAll(/<a href="([^"]*)"/g), (match) => match[1]);
    expect(links[0]).to.match(/^https:\/\/clerk\.quillhurst\.example\/link\/0\/[\w-]{32}$/);
    expect(links[1]).to.equal('https://firm.example/as-it-stands');
    expect(links[2]).to.equal('mailto:office@quillhurst.example');
    expect(links[3]).to.equal(links[0]);
    const mark = /<img src="([^"]*)"/.exec(html)?.[1];
    expect(mark).to.match(/\/opened\/[\w-]{32}$/);
    expect(other).to.not.contain(mark).and.not.contain(links[0]);
    const text = (await simpleParser(await readRaw(firm.db, first!.raw_hash ?? Buffer.alloc(0)))).text;
    expect(text).to.contain('https://firm.example/plan?a=1&b=2').and.not.contain('/link/');
  });

  it('counts an opening once, a link as often as it is followed, and leads only where the mailing does', async () => {
    const [row] = await sent();
    const pathOf = (url: string) => url.replace(BASE, '');
    const html = await htmlOf(row!);
    const mark = pathOf(/<img src="([^"]*)"/.exec(html)?.[1] ?? '');
    const link = pathOf(/<a href="([^"]*\/link\/[^"]*)"/.exec(html)?.[1] ?? '');
    await request(app).head(mark);
    expect((await rowOf(row!.id)).openedAt).to.equal(null);
    const picture = await request(app).get(mark);
    expect([picture.status, picture.type]).to.deep.equal([200, 'image/gif']);
    expect(picture.headers['set-cookie']).to.equal(undefined);
    const { openedAt } = await rowOf(row!.id);
    expect(openedAt).to.be.a('string');
    await request(app).get(mark);
    expect((await rowOf(row!.id)).openedAt).to.equal(openedAt);
    await request(app).head(link);
    for (let time = 1; time <= 3; time++) {
      const led = await request(app).get(link);
      expect([led.status, led.headers.location]).to.deep.equal([302, 'https://firm.example/plan?a=1&b=2']);
    }
    const { links, counts } = await readResults(firm.db, id);
    expect(links[0]).to.deep.equal({
      words: 'the plan',
      href: 'https://firm.example/plan?a=1&b=2',
      people: 1,
      times: 3,
    });
    expect([counts.opened, counts.followed]).to.deep.equal([1, 1]);
    // Made here for something else, for another link, for nothing that is there, or not at all.
    const bad = [
      `/link/0/${signLink(firm.config.key, 'opened', row!.id)}`,
      `/link/1/${signLink(firm.config.key, 'link 0', row!.id)}`,
      `/link/9/${signLink(firm.config.key, 'link 9', row!.id)}`,
      `/link/0/${signLink(firm.config.key, 'link 0', 999_999)}`,
      '/link/0/https:%2F%2Fevil.example',
      '/link/x/y',
    ];
    for (const path of bad) expect((await request(app).get(path)).status, path).to.equal(404);
  });

  it('counts nothing of a test copy, nor once the firm or the client wants none', async () => {
    const [, second, third] = await sent();
    const before = (await readResults(firm.db, id)).counts;
    const trial = await request(app).get(`/link/0/${signLink(firm.config.key, 'trial 0', id)}`);
    expect(trial.headers.location).to.equal('https://firm.example/plan?a=1&b=2');
    await firm
      .db('client')
      .where({ id: second!.client_id ?? 0 })
      .update({ counted: 0 });
    const follow = (dispatchId: number) =>
      request(app).get(`/link/0/${signLink(firm.config.key, 'link 0', dispatchId)}`);
    expect((await follow(second!.id)).status).to.equal(302);
    const settled = await readFirm(firm.db);
    await writeFirm(firm.db, { ...settled, counting: false });
    expect((await follow(third!.id)).status).to.equal(302);
    await request(app).get(`/opened/${signLink(firm.config.key, 'opened', third!.id)}`);
    expect((await readResults(firm.db, id)).counted).to.equal(false);
    await writeFirm(firm.db, settled);
    expect((await readResults(firm.db, id)).counts).to.deep.equal(before);
    const plain = await releaseDraft(firm, mailingDraft({ body: BODY, counted: false }), 1);
    const counted = await releaseDraft(firm, mailingDraft({ body: BODY }));
    await goes(plain.id);
    await goes(counted.id);
    const copy = (where: object) => one(firm.db('dispatch').where(where).first());
    expect(await htmlOf(await copy({ mailing_id: plain.id, state: 'sent' }))).to.not.contain('/link/');
    const uncounted = await copy({ mailing_id: counted.id, client_id: second!.client_id });
    expect(await htmlOf(uncounted))
      .to.not.contain('/link/')
      .and.not.contain('<img');
  });

  it('is an account: every copy is somewhere, answered ones opened, in the order in which it happened', async () => {
    const [, , , row] = await sent();
    const inbox = await firm.world.inbox(row!.to_address);
    const uid = inbox.find(({ subject }) => subject === 'The plan')?.uid ?? 0;
    await firm.world.answerAs(row!.to_address, uid, 'We shall come.');
    await until('the answer is here', async () => {
      await firm.sync();
      return (await rowOf(row!.id)).answered;
    });
    expect((await rowOf(row!.id)).openedAt).to.be.a('string');
    const { counts, overTime } = await readResults(firm.db, id);
    expect(counts.all).to.equal(counts.sent + counts.returned + counts.waiting + counts.uncertain);
    expect(counts.sent).to.equal(counts.answered + counts.silent);
    expect(counts.sent).to.equal(counts.opened + counts.unopened);
    for (const fared of ['all', 'returned', 'answered', 'silent', 'opened', 'unopened', 'followed'] as const)
      expect((await list(fared)).length, fared).to.equal(counts[fared]);
    const sum = (what: 'sent' | 'opened' | 'answered') =>
      overTime.points.reduce((all, point) => all + point[what], 0);
    expect([overTime.unit, sum('opened'), sum('answered')]).to.deep.equal([
      'hour',
      counts.opened,
      counts.answered,
    ]);
    const answers = await listAnswers(firm.db, MANAGER.id, id, { offset: 0, limit: 10 });
    expect([answers.total, answers.hidden]).to.deep.equal([1, 0]);
    expect(answers.rows[0]?.words).to.contain('We shall come.');
    await firm
      .db('message')
      .where({ id: answers.rows[0]?.messageId ?? 0 })
      .update({ state: 'private' });
    const others = await listAnswers(firm.db, 99, id, { offset: 0, limit: 10 });
    expect([others.total, others.hidden]).to.deep.equal([0, 1]);
  });

  it('tells of weeks where it lasted long, and of days by the firm’s clock', async () => {
    const { id: slow } = await releaseDraft(firm, mailingDraft(), 3);
    const rows = await firm.db('dispatch').where({ mailing_id: slow }).orderBy('id');
    const set = (at: number, sent: string, opened: string | null) =>
      firm
        .db('dispatch')
        .where({ id: rows[at]?.id ?? 0 })
        .update({ state: 'sent', sent_at: new Date(sent), opened_at: opened ? new Date(opened) : null });
    // Half past eleven at night of the 29th of June in UTC is the 30th in London.
    await set(0, '2026-06-29T23:30:00Z', '2026-07-09T10:00:00Z');
    await set(1, '2026-06-29T22:30:00Z', null);
    await set(2, '2026-06-30T08:00:00Z', null);
    const days = (await readResults(firm.db, slow)).overTime;
    expect([days.unit, days.points.length, days.points[0]]).to.deep.equal([
      'day',
      11,
      { at: '2026-06-28T23:00:00.000Z', sent: 1, opened: 0, answered: 0 },
    ]);
    expect(days.points[1]?.sent).to.equal(2);
    await set(2, '2026-12-24T08:00:00Z', null);
    expect((await readResults(firm.db, slow)).overTime.unit).to.equal('week');
  });

  it('is taken out as a list that no spreadsheet carries out', async () => {
    const victim = await one(firm.db('dispatch').where({ mailing_id: id }).first());
    await firm.db('dispatch').where({ id: victim.id }).update({ to_name: '=HYPERLINK("x")' });
    const { text } = await resultsAsCsv(firm.db, MANAGER.id, id);
    const { data } = Papa.parse<Record<string, string>>(text.replace(/^\uFEFF/, ''), { header: true });
    const { counts } = await readResults(firm.db, id);
    expect(data.filter((row) => row.Address).length).to.equal(counts.all);
    expect(data.some((row) => row.Name === `'=HYPERLINK("x")`)).to.equal(true);
    expect(data.filter((row) => row.Answered === 'yes').length).to.equal(counts.answered);
  });

  it('lets a message that came back go once more, to a mended address, and to nobody who has had it', async () => {
    const rows = await sent();
    const [, , , , back, other] = rows;
    await firm
      .db('dispatch')
      .where({ id: back!.id })
      .update({ state: 'returned', return_kind: 'hard', answer: '5.1.1 nobody of that name' });
    await firm
      .db('address')
      .where({ email: back!.to_address })
      .update({ returned_at: new Date(), returned_why: 'nobody of that name' });
    const say = (address: string, dispatchId = back!.id) =>
      sendAgain(firm.db, MANAGER, dispatchId, address).then(
        () => 'done',
        (error: Error) => error.message,
      );
    expect(await say(other!.to_address)).to.contain('gets this mailing already');
    expect(await say('somebody@there.example', other!.id)).to.contain('has not come back');
    const said = { email_key: 'never@there.example', at: new Date(), how: 'said so' };
    await firm.db('opt_out').insert(said);
    expect(await say('never@there.example')).to.contain('opted out');
    const mended = `mended.${back!.to_address}`;
    expect(await say(mended)).to.equal('done');
    expect(await say(mended)).to.contain('has not come back');
    const now = await one(firm.db('dispatch').where({ id: back!.id }).first());
    expect([now.state, now.to_address, now.raw_hash]).to.deep.equal(['waiting', mended, null]);
    expect(now.message_id).to.not.equal(back!.message_id);
    const addresses = await firm
      .db('address')
      .where({ person_id: back!.person_id ?? 0 })
      .orderBy('position')
      .select('email', 'current', 'returned_at');
    expect(addresses.map(({ email, current }) => [email, current])).to.deep.include([mended, 1]);
    expect(addresses.map(({ email, current }) => [email, current])).to.deep.include([back!.to_address, 0]);
    await goes(id);
    const end = await one(firm.db('dispatch').where({ id: back!.id }).first());
    expect(end.state).to.be.oneOf(['sent', 'returned']);
    const mail = await simpleParser(await readRaw(firm.db, end.raw_hash ?? Buffer.alloc(0)));
    expect(JSON.stringify(mail.to)).to.contain(mended);
    expect((await one(firm.db('mailing').where({ id }).first())).state).to.equal('finished');
  });

  it('is told for one client: what stands in the way, who was left out and why, and every step of a copy', async () => {
    const [row] = await sent();
    const clientId = row!.client_id ?? 0;
    await firm
      .db('dispatch')
      .where({ id: row!.id })
      .update({ opened_at: new Date(Date.now() + 60_000) });
    const trace = await traceOf(firm.db, MANAGER.id, clientId, { offset: 0, limit: 50 });
    const own = trace.mailings.find((mailing) => mailing.id === id);
    expect(own?.copies.map(({ address }) => address)).to.deep.equal([row!.to_address]);
    const steps = own?.copies[0]?.steps ?? [];
    expect(steps.map(({ words: said }) => said.split(':')[0])).to.deep.equal([
      'released, merged with their facts',
      'handed over to the mail server',
      'taken by the mail server',
      'a link in it followed',
      'seen to be opened',
    ]);
    expect(steps.map(({ at }) => at)).to.deep.equal(steps.map(({ at }) => at).toSorted());
    expect(trace.reached.map(({ email }) => email)).to.include(row!.to_address);
    // Opted out since: told at once, and as the reason at the next one.
    const key = row!.to_address.toLowerCase();
    await firm.db('opt_out').insert({ email_key: key, at: new Date(), how: 'said so' });
    const next = await releaseDraft(firm, mailingDraft({ name: 'The next' }));
    const now = await traceOf(firm.db, MANAGER.id, clientId, { offset: 0, limit: 50 });
    expect(now.reached.map(({ email }) => email)).to.not.include(row!.to_address);
    expect(now.hindrances.map(({ why }) => why)).to.include('opted out');
    const left = now.mailings.find((mailing) => mailing.id === next.id);
    expect([left?.copies, left?.leftOut.map(({ why }) => why)]).to.deep.equal([[], ['opted out']]);
    await takeBack(firm.db, MANAGER, next.id);
    expect(await firm.db('mailing_left_out').where({ mailing_id: next.id })).to.deep.equal([]);
    await firm.db('opt_out').where({ email_key: key }).delete();
  });
});
