import { deflateRawSync } from 'node:zlib';
import { expect } from 'chai';
import { DateTime } from 'luxon';
import type { Express } from 'express';
import request from 'supertest';
import { htmlWithPage, pageMark, withPage } from '../../core/collection/link.ts';
import { MOST_UPLOAD } from '../../core/collection/upload.ts';
import { layOut, settleItem } from '../../server/collection/items.ts';
import { clientPages, linkFor, listCollection } from '../../server/collection/office.ts';
import { settlePage } from '../../server/collection/pages.ts';
import { settleUpload } from '../../server/collection/uploads.ts';
import { askFor, settleWanted } from '../../server/collection/wanted.ts';
import { ledger } from '../../server/correspondence/ledger/ledger.ts';
import { DispatchWorker } from '../../server/dispatch/worker.ts';
import { listDocuments } from '../../server/documents/list.ts';
import { putDocument } from '../../server/documents/keep.ts';
import { readFirm, writeFirm } from '../../server/foundation/firm.ts';
import { webApp } from '../../server/http/app.ts';
import { enclose } from '../../server/mailing/enclosures.ts';
import { createMailing, saveMailing } from '../../server/mailing/mailings.ts';
import { releaseMailing } from '../../server/mailing/release.ts';
import { tryOrder } from '../../server/orders/view.ts';
import { OrderWorker } from '../../server/orders/worker.ts';
import { LEDGER, outgoing } from '../../server/parts.ts';
import { mergeDoubles, unmergeDoubles, viewDouble } from '../../server/records/doubles/merge.ts';
import { signLink } from '../../server/security/links.ts';
import { sendDraft } from '../../server/writing/drafts.ts';
import { writeOfPage } from '../../server/writing/ofPage.ts';
import { selectionOf } from '../../core/selection/tree.ts';
import { mailingDraft } from './drafts.ts';
import { order, orderOn, task } from './orders.ts';
import { MANAGER, one, openFirm, until, type TestFirm } from './helpers.ts';

const PDF = Buffer.from(
  '%PDF-1.4\n1 0 obj\n<< /Type /Catalog >>\nendobj\ntrailer\n<< /Root 1 0 R >>\n%%EOF\n',
);
const PNG = Buffer.from(
  'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
  'base64',
);
const FAR = '2099-12-31';

describe('clients’ pages', () => {
  let firm: TestFirm;
  let app: Express;
  let clientId: number;
  let personId: number;
  let fileId: number;
  let email: string;
  let network = 0;

  before(async () => {
    firm = await openFirm({ clients: 10, files: 16, conversationsPerClient: 0 });
    // Each test is another network, unless it says otherwise.
    Object.assign(firm.config, { trustProxy: 1 });
    app = webApp(firm.context, LEDGER);
    const tie = await one(
      firm
        .db('client_person')
        .join('client', 'client.id', 'client_person.client_id')
        .join('address', 'address.person_id', 'client_person.person_id')
        .where({ 'client.status': 'active', 'client_person.writes': 1, 'address.current': 1 } as object)
        .orderBy('client.id')
        .first('client_person.client_id', 'client_person.person_id', 'address.email'),
    );
    ({ client_id: clientId, person_id: personId, email } = tie as never);
    email = (tie as unknown as { email: string }).email;
    fileId = (await one(firm.db('file').where({ client_id: clientId, general: 0 }).orderBy('id').first('id')))
      .id;
  });
  beforeEach(async () => {
    network++;
    await firm.db('attempt').delete();
    await firm.db('collection_page').delete();
    await firm.db('collection_entry').delete();
  });
  after(() => firm.close());

  const whose = () => ({ clientId, personId });
  const tokenOf = async (instead = whose()) =>
    (await linkFor(firm.context, instead)).url.split('/').at(-1) ?? '';
  const call = (method: 'get' | 'post' | 'put' | 'delete', token: string, path: string, cookie = '') =>
    request(app)
      [method](`/client/api/${token}${path}`)
      .set('x-forwarded-for', `10.0.${Math.floor(network / 250)}.${network % 250}`)
      .set('cookie', cookie);
  const lastCode = async (to = email) => {
    let code = '';
    await until('a code has come', async () => {
      const [message] = (await firm.world.inbox(to)).filter(({ subject }) => subject.startsWith('Your code'));
      code = /\b\d{6}\b/.exec(message?.text ?? '')?.[0] ?? '';
      return code !== '';
    });
    return code;
  };
  const codeFor = async (token: string, to = email) => {
    const before = (await firm.world.inbox(to)).length;
    expect((await call('post', token, '/code')).status).to.equal(204);
    await until('another message has come', async () => (await firm.world.inbox(to)).length > before);
    return lastCode(to);
  };
  const enter = async (token: string, to = email) => {
    const answer = await call('post', token, '/visit').send({ code: await codeFor(token, to) });
    expect(answer.status).to.equal(204);
    const [cookie = ''] = (answer.headers['set-cookie'] as unknown as string[]) ?? [];
    expect(cookie).to.contain('HttpOnly').and.contain('SameSite=Strict').and.contain('Path=/client');
    return cookie.split(';')[0] ?? '';
  };
  const put = (filename: string, content: Buffer) =>
    putDocument(firm.db, MANAGER.id, fileId, { filename, mimeType: '', content });
  const lay = async (filename: string, content: Buffer, until = FAR) => {
    const documentId = await put(filename, content);
    return layOut(firm.db, MANAGER.id, clientId, { personIds: [personId], documentId, fileId, until });
  };
  const give = (token: string, cookie: string, filename: string, content: Buffer, wanted = '') =>
    call('post', token, `/uploads?filename=${encodeURIComponent(filename)}${wanted}`, cookie)
      .set('content-type', 'application/octet-stream')
      .send(content);
  const paths: ['get' | 'post' | 'put' | 'delete', string][] = [
    ['get', '/page'],
    ['get', '/items/1'],
    ['post', '/uploads?filename=a.pdf'],
    ['delete', '/uploads/1'],
    ['post', '/lines'],
    ['put', '/hears'],
  ];

  it('show nothing without both the link and a code', async () => {
    await lay('Plan of the wood.pdf', PDF);
    const token = await tokenOf();
    const door = await call('get', token, '');
    expect(door.body).to.deep.equal({
      firm: 'Quillhurst Land Advisers',
      phone: (await readFirm(firm.db)).phone,
    });
    for (const [method, path] of paths)
      expect([path, (await call(method, token, path)).status]).to.deep.equal([path, 401]);
    const cookie = await enter(token);
    const { body, status } = await call('get', token, '/page', cookie);
    expect(status).to.equal(200);
    expect(body.items.map(({ filename }: { filename: string }) => filename)).to.deep.equal([
      'Plan of the wood.pdf',
    ]);
    const got = await call('get', token, `/items/${body.items[0].id}`, cookie)
      .buffer(true)
      .parse((res, done) => {
        const pieces: Buffer[] = [];
        res.on('data', (piece: Buffer) => pieces.push(piece));
        res.on('end', () => done(null, Buffer.concat(pieces)));
      });
    expect((got.body as Buffer).equals(PDF)).to.equal(true);
    expect(got.headers['content-disposition']).to.contain('attachment');
    const { pages } = await clientPages(firm.context, clientId);
    expect(pages.find((page) => page.personId === personId)?.items[0]).to.include({
      collected: 1,
      version: 1,
    });
    const { entries } = await ledger(firm.db, LEDGER, clientId, { offset: 0, limit: 20, only: 'page' });
    const [entry] = entries;
    expect(entry?.kind === 'page' && entry.page.collectedAt).to.be.a('string');
    // The visit ends when its reader says so.
    expect((await call('delete', token, '/visit', cookie)).status).to.equal(204);
    expect((await call('get', token, '/page', cookie)).status).to.equal(401);
  });

  it('answer every link that opens nothing alike: wrong, ended, withdrawn, of somebody who is gone', async () => {
    const token = await tokenOf();
    const page = await one(firm.db('collection_page').where({ person_id: personId }).first());
    const said = async (of: string) => {
      const { status, body } = await call('get', of, '');
      return [status, body.message];
    };
    const nothing = await said('A'.repeat(32));
    expect(nothing[0]).to.equal(404);
    const yesterday = page.id * 65_536 + Math.floor((Date.now() - Date.UTC(2020, 0, 1)) / 86_400_000) - 2;
    const changed = `${token[0] === 'A' ? 'B' : 'A'}${token.slice(1)}`;
    const tail = `${token.slice(0, -1)}${token.endsWith('A') ? 'B' : 'A'}`;
    const foreign = [
      ...['x', 'A'.repeat(31), `${token}A`, changed, tail, encodeURIComponent('../../etc/passwd')],
      signLink(firm.config.key, `page ${page.serial}`, yesterday),
      signLink(firm.config.key, 'opt out', page.id * 65_536 + 65_000),
      signLink(firm.config.key, `page ${page.serial + 1}`, page.id * 65_536 + 65_000),
      signLink(Buffer.alloc(32, 1), `page ${page.serial}`, page.id * 65_536 + 65_000),
      signLink(firm.config.key, 'page 0', 999_999 * 65_536 + 65_000),
    ];
    for (const each of foreign) expect([each, ...(await said(each))]).to.deep.equal([each, ...nothing]);
    expect((await said(token))[0]).to.equal(200);
    const cookie = await enter(token);
    await settlePage(firm.db, MANAGER.id, whose(), true);
    expect(await said(token)).to.deep.equal(nothing);
    expect((await call('get', token, '/page', cookie)).status).to.equal(404);
    expect(await linkFor(firm.context, whose()).catch((error: { status: number }) => error.status)).to.equal(
      409,
    );
    await settlePage(firm.db, MANAGER.id, whose(), false);
    // Links from before the withdrawal open nothing for good; nor does a visit of then.
    expect(await said(token)).to.deep.equal(nothing);
    const fresh = await tokenOf();
    expect((await call('get', fresh, '/page', cookie)).status).to.equal(401);
    await firm.db('address').where({ person_id: personId }).update({ current: 0 });
    expect(await said(fresh)).to.deep.equal(nothing);
    await firm.db('address').where({ person_id: personId, email }).update({ current: 1 });
    expect((await said(fresh))[0]).to.equal(200);
  });

  it('limit whoever tries links, codes and guesses', async () => {
    const token = await tokenOf();
    let last = 0;
    for (let tries = 0; tries < 41; tries++) last = (await call('get', 'B'.repeat(32), '')).status;
    expect(last).to.equal(429);
    // From elsewhere a good link is as good as before.
    network++;
    expect((await call('get', token, '')).status).to.equal(200);
    const code = await codeFor(token);
    const wrong = code === '000000' ? '111111' : '000000';
    for (let tries = 0; tries < 5; tries++)
      expect((await call('post', token, '/visit').send({ code: wrong })).status).to.equal(403);
    // Five wrong ones, and the right one serves no more.
    expect((await call('post', token, '/visit').send({ code })).status).to.equal(403);
    const next = await codeFor(token);
    expect((await call('post', token, '/visit').send({ code: next })).status).to.equal(204);
    // Each serves once.
    expect((await call('post', token, '/visit').send({ code: next })).status).to.equal(403);
    for (let codes = 0; codes < 4; codes++) await call('post', token, '/code');
    expect((await call('post', token, '/code')).status).to.equal(429);
    for (let tries = 0; tries < 30; tries++) {
      network++;
      last = (await call('post', token, '/visit').send({ code: wrong })).status;
    }
    expect(last, 'from however many networks').to.equal(429);
  });

  it('let a code serve for a quarter of an hour, and a visit for an hour', async () => {
    const token = await tokenOf();
    const code = await codeFor(token);
    await firm.db('collection_page').update({ code_until: new Date(Date.now() - 1000) });
    expect((await call('post', token, '/visit').send({ code })).status).to.equal(403);
    const cookie = await enter(token);
    await firm.db('collection_visit').update({ until: new Date(Date.now() - 1000) });
    expect((await call('get', token, '/page', cookie)).status).to.equal(401);
  });

  it('open one for another to nobody: not by another’s visit, nor by the office’s own session', async () => {
    const other = await one(
      firm
        .db('client_person')
        .join('address', 'address.person_id', 'client_person.person_id')
        .whereNot('client_person.client_id', clientId)
        .where('address.current', 1)
        .first('client_person.client_id', 'client_person.person_id', 'address.email'),
    );
    const theirs = { clientId: other.client_id, personId: other.person_id };
    await lay('A deed.pdf', Buffer.concat([PDF, Buffer.from('deed')]));
    const [mine, foreign] = [await tokenOf(), await tokenOf(theirs)];
    const cookie = await enter(foreign, (other as unknown as { email: string }).email);
    for (const [method, path] of paths)
      expect([path, (await call(method, mine, path, cookie)).status]).to.deep.equal([path, 401]);
    const item = await one(firm.db('collection_item').first('id'));
    expect((await call('get', foreign, `/items/${item.id}`, cookie)).status).to.equal(404);
    expect((await call('delete', foreign, '/uploads/1', cookie)).status).to.equal(404);
    // The cookie of a page is none of the office's, and the office's none of a page's.
    expect((await request(app).get('/api/today').set('cookie', cookie)).status).to.equal(401);
    const session = await request(app)
      .post('/api/session')
      .send({ email: MANAGER.email, password: 'open the gate' });
    const office = String(session.headers['set-cookie']?.[0]).split(';')[0] ?? '';
    expect((await call('get', mine, '/page', office)).status).to.equal(401);
    // From another site nothing is done in somebody's name.
    const own = await enter(mine);
    const evil = await call('post', mine, '/lines', own)
      .set('origin', 'https://evil.example')
      .send({ words: 'x' });
    expect(evil.status).to.equal(403);
  });

  it('take what is asked for, keep it apart, and land it on the file once somebody has looked', async () => {
    await askFor(firm.db, MANAGER.id, clientId, {
      ...{ personId, fileId, names: ['Holding number', 'Map of the wood'], note: '', byDay: null },
    });
    const refused = await askFor(firm.db, MANAGER.id, clientId, {
      ...{ personId, fileId, names: ['holding NUMBER'], note: '', byDay: null },
    }).catch((error: { status: number }) => error.status);
    expect(refused).to.equal(409);
    const token = await tokenOf();
    const cookie = await enter(token);
    const view = async () => (await call('get', token, '/page', cookie)).body;
    const [first] = (await view()).wanted;
    expect(first).to.include({ name: 'Holding number', state: 'wanted' });
    const scan = Buffer.concat([PDF, Buffer.from('a scan')]);
    const given = await give(token, cookie, 'scan.exe', scan, `&wantedId=${first.id}`);
    expect(given.status).to.equal(200);
    expect((await view()).wanted[0].state).to.equal('to look at');
    expect(await firm.db('document').where({ filename: 'scan.exe.pdf' }).first()).to.equal(undefined);
    const { uploads, counts } = await listCollection(firm.db, {
      show: 'uploads',
      words: '',
      offset: 0,
      limit: 9,
    });
    expect(counts).to.deep.equal({ uploads: 1, lines: 0, wanted: 2 });
    expect(uploads[0]).to.include({ filename: 'scan.exe.pdf', wanted: 'Holding number', look: 'pdf' });
    const id = uploads[0]?.id ?? 0;
    const both = await Promise.allSettled(
      [1, 2].map(() => settleUpload(firm.db, MANAGER.id, id, { to: 'taken in', fileId, kindId: null })),
    );
    expect(both.map(({ status }) => status).sort()).to.deep.equal(['fulfilled', 'rejected']);
    expect(await firm.db('collection_apart').count({ n: '*' }).first()).to.deep.equal({ n: 0 });
    const documents = await listDocuments(firm.db, {
      ...{ clientId, how: 'came', sort: 'at', order: 'desc', offset: 0, limit: 9 },
    });
    expect(documents.rows[0]).to.include({ filename: 'scan.exe.pdf', how: 'came' });
    expect(documents.rows[0]?.from).to.not.equal(MANAGER.name);
    const now = await view();
    expect([now.wanted.map(({ state }: { state: string }) => state), now.uploads[0].state]).to.deep.equal([
      ['wanted', 'came'],
      'taken in',
    ]);
    // What is refused is kept no longer, and its giver reads why.
    await give(token, cookie, 'wood.png', PNG);
    const [, ...rest] = (await listCollection(firm.db, { show: 'uploads', words: '', offset: 0, limit: 9 }))
      .uploads;
    expect(rest).to.deep.equal([]);
    const upload = await one(firm.db('collection_upload').where({ state: 'waiting' }).first('id'));
    await settleUpload(firm.db, MANAGER.id, upload.id, { to: 'refused', why: 'It cannot be read.' });
    expect((await view()).uploads[0]).to.include({ state: 'refused', why: 'It cannot be read.' });
    expect(await firm.db('collection_apart').first()).to.equal(undefined);
    const open = await one(firm.db('collection_wanted').whereNull('came_at').first('id'));
    await settleWanted(firm.db, MANAGER.id, open.id, 'wanted no more');
    expect((await view()).wanted).to.have.length(1);
  });

  it('take no nasty thing: told by its bytes, whatever it is called', async () => {
    const token = await tokenOf();
    const cookie = await enter(token);
    const zip = Buffer.concat([
      Buffer.from('504b0304140000000800', 'hex'),
      deflateRawSync(Buffer.alloc(9000)),
    ]);
    const nasty: [string, Buffer][] = [
      ['plan.pdf', Buffer.from('MZ\u0090\u0000\u0003\u0000\u0000\u0000', 'latin1')],
      ['plan.pdf', Buffer.from('#!/bin/sh\nrm -rf /\n\u0000')],
      ['page.html', Buffer.from('<script>alert(1)</script>')],
      ['page.svg', Buffer.from('<svg xmlns="http://www.w3.org/2000/svg" onload="alert(1)"/>')],
      ['run.js', Buffer.from('alert(1)')],
      ['run.bat', Buffer.from('@echo off')],
      ['all.zip', zip],
      ['plan.pdf.zip', zip],
      ['empty.pdf', Buffer.alloc(0)],
      ['noise.txt', Buffer.from([0, 1, 2, 3, 0xff, 0xfe, 0])],
      ['letter.doc', Buffer.from('d0cf11e0a1b11ae1', 'hex')],
    ];
    for (const [filename, content] of nasty)
      expect([filename, (await give(token, cookie, filename, content)).status]).to.deep.equal([
        filename,
        400,
      ]);
    const large = await give(
      token,
      cookie,
      'large.pdf',
      Buffer.concat([PDF, Buffer.alloc(MOST_UPLOAD + 2000)]),
    );
    expect(large.status).to.equal(413);
    const named = await give(token, cookie, '..\\..\\\u202Efdp.exe<img src=x>"\r\nX: y', PDF);
    expect(named.status).to.equal(200);
    const { filename } = await one(firm.db('collection_upload').first('filename'));
    expect(filename).to.match(/^[^/\\<>"\p{C}]+\.pdf$/u);
    expect(
      (await give(token, cookie, 'note.txt', Buffer.from('Good morning.\nThe gate is open.'))).status,
    ).to.equal(200);
    expect((await give(token, cookie, 'a.pdf', PDF, '&wantedId=999')).status).to.equal(404);
    // No more waits than somebody can look at.
    await firm.db('attempt').delete();
    for (let n = 0; n < 28; n++) await give(token, cookie, `${n}.pdf`, PDF);
    expect((await give(token, cookie, 'more.pdf', PDF)).status).to.equal(409);
    const { body } = await call('get', token, '/page', cookie);
    await call('delete', token, `/uploads/${body.uploads[0].id}`, cookie);
    expect((await give(token, cookie, 'more.pdf', PDF)).status).to.equal(200);
  });

  it('keep a line for the office, and what its reader wishes to hear', async () => {
    const token = await tokenOf();
    const cookie = await enter(token);
    await firm.db('phone').where({ person_id: personId }).delete();
    await firm.db('phone').insert({
      ...{
        person_id: personId,
        number: '07700 900123',
        number_key: '+447700900123',
        position: 0,
        purpose: '',
      },
    });
    expect((await call('post', token, '/lines', cookie).send({ words: '  ' })).status).to.equal(400);
    expect(
      (await call('post', token, '/lines', cookie).send({ words: 'The gate is <b>open</b>.' })).status,
    ).to.equal(204);
    const { lines } = await listCollection(firm.db, { show: 'lines', words: 'gate', offset: 0, limit: 9 });
    expect(lines[0]).to.include({ words: 'The gate is <b>open</b>.', waits: true, kind: 'line' });
    const before = (await call('get', token, '/page', cookie)).body.hears;
    const [keptTopic] = before.topics as { id: number }[];
    const chosen = await call('put', token, '/hears', cookie).send({
      ...{ none: false, topicIds: [keptTopic?.id], quiet: ['07700 900123'] },
      ways: [{ kind: 'letters', way: 'post' }],
    });
    expect(chosen.status).to.equal(204);
    const { hears } = (await call('get', token, '/page', cookie)).body;
    expect(hears.topics.filter(({ wanted }: { wanted: boolean }) => wanted)).to.deep.equal([
      { ...keptTopic, wanted: true },
    ]);
    expect(hears.ways[0]).to.deep.equal({ kind: 'letters', way: 'post' });
    expect(hears.numbers).to.deep.equal([{ number: '07700 900123', wanted: false }]);
    expect(
      await firm.db('text_number').where({ number_key: '+447700900123' }).first('stopped_how'),
    ).to.deep.equal({
      stopped_how: 'on their page',
    });
    expect(
      (await one(firm.db('delivery').where({ client_id: clientId, kind: 'letters' }).first())).way,
    ).to.equal('post');
    await call('put', token, '/hears', cookie).send({ none: true, topicIds: [], ways: [], quiet: [] });
    expect(await firm.db('opt_out').where({ email_key: email.toLowerCase() }).first('how')).to.deep.equal({
      how: 'on their page',
    });
    // Whoever does not write for the client says nothing of how the client's letters come.
    await firm.db('client_person').where({ client_id: clientId, person_id: personId }).update({ writes: 0 });
    expect((await call('get', token, '/page', cookie)).body.hears.ways).to.equal(null);
    await call('put', token, '/hears', cookie).send({
      ...{ none: false, topicIds: [], quiet: [], ways: [{ kind: 'letters', way: 'email' }] },
    });
    expect(
      (await one(firm.db('delivery').where({ client_id: clientId, kind: 'letters' }).first())).way,
    ).to.equal('post');
    await firm.db('client_person').where({ client_id: clientId, person_id: personId }).update({ writes: 1 });
    await firm.db('opt_out').delete();
    await firm.db('topic_opt_out').delete();
    await firm.db('delivery').where({ client_id: clientId }).delete();
  });

  it('show the last version of what is laid out again, and nothing whose time is over or that was taken off', async () => {
    const seen = async () => {
      const token = await tokenOf();
      const { body } = await call('get', token, '/page', await enter(token));
      return body.items.map(({ filename, version }: { filename: string; version: number }) => [
        filename,
        version,
      ]);
    };
    const v1 = Buffer.concat([PDF, Buffer.from('one')]);
    const v2 = Buffer.concat([PDF, Buffer.from('two')]);
    expect(await lay('Terms.pdf', v1)).to.deep.equal({ laid: 1, replaced: 0 });
    expect(await lay('terms.pdf', v2)).to.deep.equal({ laid: 0, replaced: 1 });
    const again = await one(firm.db('document').orderBy('id', 'desc').first('id'));
    const same = { personIds: [personId], documentId: again.id, fileId, until: FAR };
    expect(await layOut(firm.db, MANAGER.id, clientId, same)).to.deep.equal({ laid: 0, replaced: 0 });
    expect(await seen()).to.deep.equal([['terms.pdf', 2]]);
    const item = await one(firm.db('collection_item').whereNull('replaced_by').first('id'));
    await settleItem(firm.db, MANAGER.id, item.id, true);
    expect(await seen()).to.deep.equal([]);
    await settleItem(firm.db, MANAGER.id, item.id, false);
    await firm.db('collection_item').update({ until: '2020-01-01' });
    expect(await seen()).to.deep.equal([]);
    const others = await one(firm.db('file').whereNot({ client_id: clientId }).first('id', 'client_id'));
    for (const wrong of [
      { clientId: others.client_id, fileId: others.id },
      { clientId, fileId: others.id },
    ])
      expect(
        await layOut(firm.db, MANAGER.id, wrong.clientId, { ...same, fileId: wrong.fileId }).catch(
          (error: { status: number }) => error.status,
        ),
      ).to.be.oneOf([400, 404]);
  });

  it('are led to by a mailing that lays its enclosures out, each reader to their own', async () => {
    const id = await createMailing(firm.db, MANAGER, { copyOf: null });
    await enclose(firm.db, id, { filename: 'Autumn notes.pdf', type: 'application/pdf', content: PDF });
    const sender = await one(firm.db('mailbox').where({ shared: 1 }).first('id'));
    const draft = mailingDraft({
      ...{ laidOut: true, senderId: sender.id, counted: true },
      selection: { ...selectionOf({ fact: 'client.status', test: { op: 'one of', values: ['active'] } }) },
    });
    const version = await saveMailing(firm.db, id, draft, 1);
    const { recipients } = await import('../../server/mailing/recipients.ts').then(
      async ({ findRecipients }) => findRecipients(firm.db, draft, MANAGER.id),
    );
    await releaseMailing(firm.context, MANAGER, id, {
      ...{ version, recipients: recipients.length, untestedWhy: 'a test' },
    });
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await until('all has left and is laid out', async () => {
      await worker.work();
      return !(await firm
        .db('dispatch')
        .where({ mailing_id: id })
        .where((open) =>
          open
            .whereIn('state', ['waiting', 'going', 'delayed'])
            .orWhere((sent) => sent.where({ state: 'sent' }).whereNull('logged_message_id')),
        )
        .first('id'));
    });
    const items = await firm
      .db('collection_item')
      .join('collection_page', 'collection_page.id', 'collection_item.page_id');
    const left = await firm
      .db('dispatch')
      .where({ mailing_id: id })
      .whereNotNull('logged_message_id')
      .select('to_address');
    expect(items).to.have.length(left.length).and.not.empty;
    const tokens = new Set<string>();
    const reached = recipients.filter((each) => left.some(({ to_address }) => to_address === each.email));
    for (const recipient of reached.slice(0, 3)) {
      const [message] = await firm.world.inbox(recipient.email);
      expect(message?.text).to.not.contain('/client/own');
      const token = /\/client\/([\w-]{32})/.exec(message?.text ?? '')?.[1] ?? '';
      tokens.add(token);
      expect((await call('get', token, '')).status).to.equal(200);
      const page = await one(firm.db('collection_page').where({ person_id: recipient.personId }).first());
      expect(Buffer.from(token, 'base64url').readUIntBE(0, 6)).to.be.within(
        page.id * 65_536,
        page.id * 65_536 + 65_535,
      );
      const raw = await one(
        firm
          .db('dispatch')
          .join('raw', 'raw.hash', 'dispatch.raw_hash')
          .where({ mailing_id: id })
          .first('raw.size'),
      );
      expect((raw as unknown as { size: number }).size).to.be.below(20_000);
    }
    expect(tokens.size).to.equal(3);
  });

  it('are led to by a single message, whose reader’s link is made as it leaves', async () => {
    const id = await writeOfPage(firm.context, MANAGER.id, whose());
    const { version } = await one(firm.db('draft').where({ id }).first('version'));
    const people = { to: [{ name: 'Nobody', email: 'nobody@else.example' }], cc: [], bcc: [] };
    const own = await one(firm.db('draft').where({ id }).first('people'));
    await firm
      .db('draft')
      .where({ id })
      .update({ people: JSON.stringify(people) });
    const said = await sendDraft(firm.context, MANAGER.id, id, version, null).catch(
      (error: Error) => error.message,
    );
    expect(said).to.contain('nobody it is to');
    await firm.db('draft').where({ id }).update({ people: own.people });
    const before = (await firm.world.inbox(email)).length;
    await sendDraft(firm.context, MANAGER.id, id, version, null);
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await until('it has come', async () => {
      await worker.work();
      return (await firm.world.inbox(email)).length > before;
    });
    const [message] = await firm.world.inbox(email);
    const token = /\/client\/([\w-]{32})/.exec(message?.text ?? '')?.[1] ?? '';
    expect((await call('get', token, '')).status).to.equal(200);
  });

  it('set standing orders going: by what is laid out, and by what was asked for and has not come', async () => {
    await firm.db('standing_order').update({ state: 'off' });
    const shared = await orderOn(firm, order({ on: 'document shared', words: 'plan' }, [task('Tell them')]));
    const reminding = await orderOn(
      firm,
      order({ on: 'wanted', days: 7 }, [task('Remind them'), task('And again', 3)]),
      {
        since: DateTime.now(),
      },
    );
    await lay('Plan of the hedge.pdf', Buffer.concat([PDF, Buffer.from('hedge')]));
    await lay('Letter.pdf', Buffer.concat([PDF, Buffer.from('letter')]));
    await askFor(firm.db, MANAGER.id, clientId, {
      ...{ personId, fileId, names: ['Holding number', 'Map of the wood'], note: '', byDay: null },
    });
    const worker = new OrderWorker(firm.context);
    const soon = DateTime.now().plus({ seconds: 2 });
    await worker.settle(soon);
    const why = async (id: number) =>
      (await firm.db('order_course').where({ order_id: id }).orderBy('id')).map(
        ({ why, state, person_id }) => [why, state, person_id],
      );
    expect(await why(shared)).to.deep.equal([
      ['“Plan of the hedge.pdf” was laid out on their page', 'done', personId],
    ]);
    expect(await why(reminding)).to.deep.equal([]);
    await worker.settle(soon.plus({ days: 9 }));
    expect(await why(reminding)).to.deep.equal([
      ['Asked for and not come: “Holding number” and 1 more', 'going', personId],
    ]);
    const [wanted = 0, other = 0] = await firm.db('collection_wanted').orderBy('id').pluck('id');
    await settleWanted(firm.db, MANAGER.id, wanted, 'came');
    await settleWanted(firm.db, MANAGER.id, other, 'wanted no more');
    await worker.settle(soon.plus({ days: 20 }));
    const [course] = await firm.db('order_course').where({ order_id: reminding });
    expect(course?.stopped_why).to.equal('all of it has come, or is wanted no more');
    const tried = await tryOrder(firm.db, MANAGER.id, {
      ...{ told: order({ on: 'document shared', words: '' }, []).told, days: 30, offset: 0, limit: 20 },
    });
    expect(tried.total).to.be.at.least(2);
    await firm.db('standing_order').update({ state: 'off' });
  });

  it('go over when two records are made one, and come back when they are parted', async () => {
    const other = await one(
      firm
        .db('client_person')
        .where({ client_id: clientId })
        .whereNot({ person_id: personId })
        .first('person_id'),
    ).catch(async () => {
      const person = await one(
        firm
          .db('person')
          .whereNotIn('id', firm.db('client_person').where({ client_id: clientId }).select('person_id'))
          .first('id'),
      );
      await firm
        .db('client_person')
        .insert({ client_id: clientId, person_id: person.id, role: '', position: 9 });
      return { person_id: person.id };
    });
    await lay('First.pdf', Buffer.concat([PDF, Buffer.from('first')]));
    const documentId = await put('Second.pdf', Buffer.concat([PDF, Buffer.from('second')]));
    await layOut(firm.db, MANAGER.id, clientId, {
      personIds: [other.person_id],
      documentId,
      fileId,
      until: FAR,
    });
    const laidFor = async () =>
      Object.fromEntries(
        (
          await firm
            .db('collection_item')
            .join('collection_page', 'collection_page.id', 'collection_item.page_id')
            .select('filename', 'person_id')
        ).map(({ filename, person_id }: { filename: string; person_id: number }) => [filename, person_id]),
      );
    const before = await laidFor();
    const pair = { subject: 'person', a: personId, b: other.person_id } as const;
    const { stamp } = await viewDouble(firm.db, pair);
    const mergeId = await mergeDoubles(firm.db, MANAGER.id, {
      ...{ subject: 'person', keptId: personId, droppedId: other.person_id, whose: {}, stamp },
    });
    expect(await laidFor()).to.deep.equal({ 'First.pdf': personId, 'Second.pdf': personId });
    await unmergeDoubles(firm.db, MANAGER.id, mergeId);
    expect(await laidFor()).to.deep.equal(before);
  });

  it('stand in a text by a mark of their own, which becomes a link', () => {
    const mark = pageMark('https://clerk.example');
    const address = 'https://clerk.example/client/abc';
    expect(withPage(`Here: ${mark}.`, mark, address)).to.equal(`Here: ${address}.`);
    expect(
      htmlWithPage(
        `<p>Here: ${mark}, or <a href="${mark}">so</a> <a href="${mark}">${mark}</a></p>`,
        mark,
        address,
      ),
    ).to.equal(
      `<p>Here: <a href="${address}">${address}</a>, or <a href="${address}">so</a> <a href="${address}">${address}</a></p>`,
    );
    expect(htmlWithPage('<p>nothing</p>', '', address)).to.equal('<p>nothing</p>');
  });

  it('need to be reached: without an address of the office’s there is no link', async () => {
    const now = await readFirm(firm.db);
    await writeFirm(firm.db, { ...now, webAddress: '' });
    expect(await linkFor(firm.context, whose()).catch((error: Error) => error.message)).to.contain(
      'on the web',
    );
    await writeFirm(firm.db, now);
  });
});
