import { expect } from 'chai';
import type { Express } from 'express';
import { simpleParser } from 'mailparser';
import request from 'supertest';
import { AT_ONCE } from '../../contract/index.ts';
import { addressKey } from '../../core/address/address.ts';
import { DispatchWorker } from '../../server/dispatch/worker.ts';
import { readFirm, writeFirm } from '../../server/foundation/firm.ts';
import { countOf } from '../../server/foundation/rows.ts';
import { webApp } from '../../server/http/app.ts';
import { LEDGER, outgoing } from '../../server/parts.ts';
import { readRaw } from '../../server/foundation/sources.ts';
import { readLink, signLink } from '../../server/security/links.ts';
import { mailingDraft, releaseDraft } from './drafts.ts';
import { one, openFirm, until, type TestFirm } from './helpers.ts';

const BASE = 'https://clerk.quillhurst.example';

describe('opting out', () => {
  let firm: TestFirm;
  let app: Express;
  let topics: { id: number; name: string }[];
  before(async () => {
    firm = await openFirm({ clients: 20, files: 30, conversationsPerClient: 0.1 });
    app = webApp(firm.context, LEDGER);
    await firm.sync();
    await writeFirm(firm.db, { ...(await readFirm(firm.db)), webAddress: `${BASE}/` });
    await firm.db('topic').delete();
    for (const name of ['Grant news', 'Orchard <days>']) await firm.db('topic').insert({ name, position: 0 });
    topics = await firm.db('topic').orderBy('name').select('id', 'name');
  });
  after(() => firm.close());

  /** Sends a mailing to everybody who may have it. @returns the rows of dispatch */
  async function sent(topicId: number | null, optOut = true) {
    const draft = mailingDraft({ name: 'Winter word', topicId, optOut });
    const { id } = await releaseDraft(firm, draft);
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await until('all have gone', async () => {
      await worker.work();
      return !(await firm
        .db('dispatch')
        .where({ mailing_id: id })
        .whereIn('state', ['waiting', 'going', 'delayed'])
        .first());
    });
    await worker.stop();
    return firm.db('dispatch').where({ mailing_id: id, state: 'sent' }).orderBy('id');
  }
  const parsed = async (row: { raw_hash: Buffer | null }) =>
    simpleParser(await readRaw(firm.db, row.raw_hash ?? Buffer.alloc(0)));
  const outOf = (email: string) =>
    firm
      .db('topic_opt_out')
      .where({ email_key: addressKey(email) })
      .orderBy('topic_id')
      .pluck('topic_id');
  const form = (path: string, body: string) =>
    request(app).post(path).set('Content-Type', 'application/x-www-form-urlencoded').send(body);

  it('stands in every copy as RFC 2369 and RFC 8058 have it, by an independent parser, and below its words', async () => {
    const [row] = await sent(topics[0]?.id ?? null);
    const mail = await parsed(row!);
    const list = mail.headers.get('list') as {
      unsubscribe?: { url?: string; mail?: string };
      'unsubscribe-post'?: { name?: string };
    };
    const path = new URL(list.unsubscribe?.url ?? '').pathname;
    expect(list.unsubscribe?.url).to.match(/^https:\/\/clerk\.quillhurst\.example\/out\/[\w-]{32}$/);
    expect(list.unsubscribe?.mail).to.contain('@quillhurst.example');
    expect(JSON.stringify(mail.headerLines)).to.contain('List-Unsubscribe-Post: List-Unsubscribe=One-Click');
    expect(mail.text).to.contain(list.unsubscribe?.url);
    expect(String(mail.html)).to.contain(list.unsubscribe?.url);
    expect(mail.text).to.contain('Quillhurst Land Advisers');
    // Each recipient has a link of their own.
    const rows = await firm.db('dispatch').whereNotNull('raw_hash');
    const links = await Promise.all(
      rows.map(async (each) => /\/out\/([\w-]{32})/.exec((await parsed(each)).text ?? '')?.[1]),
    );
    expect(new Set(links).size).to.equal(rows.length);
    expect((await request(app).get(path)).status).to.equal(200);
  });

  it('is done by one click, by nothing less, and heeded by the next mailing', async () => {
    const rows = await sent(topics[0]?.id ?? null);
    const row = rows[0]!;
    const token = signLink(firm.config.key, 'opt out', row.id);
    const seen = await request(app).get(`/out/${token}`);
    expect(seen.headers['set-cookie']).to.equal(undefined);
    expect(seen.text)
      .to.contain(row.to_address)
      .and.contain('Orchard &lt;days&gt;')
      .and.not.contain('<script');
    await request(app).head(`/out/${token}`);
    expect(await outOf(row.to_address)).to.deep.equal([]);
    const done = await form(`/out/${token}`, 'List-Unsubscribe=One-Click');
    expect([done.status, done.text]).to.deep.equal([200, 'Done.']);
    // Twice does no harm.
    await form(`/out/${token}`, 'List-Unsubscribe=One-Click');
    expect(await outOf(row.to_address)).to.deep.equal([topics[0]?.id]);
    const how = await one(
      firm
        .db('topic_opt_out')
        .where({ email_key: addressKey(row.to_address) })
        .first('how'),
    );
    expect(how.how).to.equal('by the link in “Winter word”');
    const next = await sent(topics[0]?.id ?? null);
    expect(next.map(({ to_address }) => to_address)).to.not.include(row.to_address);
    const other = await sent(topics[1]?.id ?? null);
    expect(other.map(({ to_address }) => to_address)).to.include(row.to_address);
  });

  it('is chosen by topic on the page, changed there again, and of everything', async () => {
    const [row] = await sent(topics[1]?.id ?? null);
    const path = `/out/${signLink(firm.config.key, 'opt out', row!.id)}`;
    const kept = await form(path, `want=some&topic=${topics[0]?.id}`);
    expect(kept.text).to.contain('We shall keep to it');
    expect(await outOf(row!.to_address)).to.include(topics[1]?.id);
    await form(path, 'want=none');
    const all = () => countOf(firm.db('opt_out').where({ email_key: addressKey(row!.to_address) }));
    expect(await all()).to.equal(1);
    await form(path, `want=some&topic=${topics[0]?.id}&topic=${topics[1]?.id}`);
    expect([await all(), await outOf(row!.to_address)]).to.deep.equal([0, []]);
    const audit: string[] = await firm
      .db('audit')
      .whereNull('staff_id')
      .where({ subject: 'person' })
      .pluck('action');
    expect(audit).to.include.members(['opted out', 'chose what to hear about']);
  });

  it('of a mailing about nothing in particular is of everything', async () => {
    const [row] = await sent(null);
    await form(`/out/${signLink(firm.config.key, 'opt out', row!.id)}`, 'List-Unsubscribe=One-Click');
    expect(await countOf(firm.db('opt_out').where({ email_key: addressKey(row!.to_address) }))).to.equal(1);
    await firm.db('opt_out').delete();
  });

  it('stops what waits of a mailing that was released before, by page or by hand', async () => {
    await firm.db('topic_opt_out').delete();
    await firm.db('opt_out').delete();
    const later = { ...AT_ONCE, from: '2999-01-01T09:00' };
    const about = topics[0]?.id ?? null;
    const { id } = await releaseDraft(firm, mailingDraft({ topicId: about, timing: later }));
    const other = await releaseDraft(firm, mailingDraft({ topicId: topics[1]?.id ?? null, timing: later }));
    const [first, second, third] = await firm.db('dispatch').where({ mailing_id: id }).orderBy('id');
    const link = signLink(firm.config.key, 'opt out', first!.id);
    expect((await form(`/out/${link}`, 'List-Unsubscribe=One-Click')).status).to.equal(200);
    const at = async (mailing: number, client: number | null) =>
      (
        await one(
          firm
            .db('dispatch')
            .where({ mailing_id: mailing, client_id: client ?? 0 })
            .first(),
        )
      ).state;
    expect(await at(id, first!.client_id)).to.equal('cancelled');
    expect(await at(other.id, first!.client_id), 'of another topic').to.equal('waiting');
    expect(await at(id, third!.client_id)).to.equal('waiting');
    // Said on the telephone, and written down: found by dispatch itself.
    const own = { email_key: addressKey(second!.to_address), at: new Date(), how: 'said so' };
    await firm.db('opt_out').insert(own);
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await worker.work();
    await worker.stop();
    expect(await at(id, second!.client_id)).to.equal('cancelled');
    expect(await at(other.id, second!.client_id)).to.equal('cancelled');
    await firm.db('dispatch').where({ state: 'waiting' }).update({ state: 'cancelled' });
    await firm.db('opt_out').delete();
    await firm.db('topic_opt_out').delete();
  });

  it('opens to nobody else: forged, cut, for another purpose or of a test copy', async () => {
    const token = signLink(firm.config.key, 'opt out', 1);
    const forged = `${token.slice(0, -1)}${token.endsWith('A') ? 'B' : 'A'}`;
    for (const bad of [forged, token.slice(0, -1), 'x', '%00', signLink(Buffer.alloc(32, 7), 'opt out', 1)]) {
      expect((await request(app).get(`/out/${bad}`)).status, bad).to.equal(404);
      expect((await form(`/out/${bad}`, 'List-Unsubscribe=One-Click')).status, bad).to.equal(404);
    }
    expect(readLink(firm.config.key, 'opt out', token)).to.equal(1);
    const trial = await request(app).get(`/out/${signLink(firm.config.key, 'opt out', 0)}`);
    expect(trial.text).to.contain('This was a test copy');
    const large = await form(`/out/${token}`, `want=none&topic=${'1'.repeat(20_000)}`);
    expect(large.status).to.equal(413);
  });

  it('is said by mail where the office has no address of its own, and not at all where a mailing wants none', async () => {
    await writeFirm(firm.db, { ...(await readFirm(firm.db)), webAddress: '' });
    const [row] = await sent(topics[0]?.id ?? null);
    const mail = await parsed(row!);
    const list = mail.headers.get('list') as { unsubscribe?: { url?: string; mail?: string } };
    expect(list.unsubscribe?.url).to.equal(undefined);
    expect(list.unsubscribe?.mail).to.match(/^[\w.]+@quillhurst\.example\?subject=/);
    const [bare] = await sent(null, false);
    const plain = await parsed(bare!);
    expect(plain.headers.has('list')).to.equal(false);
    expect(plain.text).to.not.contain('no more');
  });
});
