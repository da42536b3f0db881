import { expect } from 'chai';
import request from 'supertest';
import type { DocumentRow, DocumentsPage } from '../../contract/index.ts';
import { DEMO_PASSWORD } from '../../demo/load.ts';
import { DocumentReader } from '../../server/documents/words.ts';
import { refillDocuments } from '../../server/intake/refill.ts';
import { webApp } from '../../server/http/app.ts';
import { buildMessage } from '../../server/reading/build.ts';
import { LEDGER } from '../../server/parts.ts';
import { one, openFirm, vouchedFor, type TestFirm } from './helpers.ts';
import { pdfOf, pngOf } from './papers.ts';

const TOBIAS = 'tobias.fenn@quillhurst.example';

describe('documents of clients and files', () => {
  let firm: TestFirm;
  let app: ReturnType<typeof webApp>;
  let cookie: string;
  /** Two clients with a file each, and an address of the first. */
  let files: { id: number; number: string; client_id: number }[];
  let email: string;
  let messages = 0;

  const call = (method: 'get' | 'post' | 'put' | 'delete', path: string) =>
    request(app)[method](`/api${path}`).set('Cookie', cookie);
  const list = async (query: object): Promise<DocumentsPage> => {
    const answer = await call('get', '/documents').query(query);
    expect(answer.status, JSON.stringify(answer.body)).to.equal(200);
    return answer.body as DocumentsPage;
  };
  const names = ({ rows }: DocumentsPage) => rows.map(({ filename }) => filename);
  const put = (fileId: number, filename: string, content: Buffer) =>
    call('post', `/files/${fileId}/documents`)
      .query({ filename, type: 'application/octet-stream' })
      .set('content-type', 'application/octet-stream')
      .send(content);
  const file = (at: number) => files[at] as (typeof files)[number];

  /** A message of the first client with these enclosed, taken in and filed. */
  async function arrive(
    attachments: { filename: string; contentType: string; content: Buffer; cid?: string }[],
  ) {
    const number = ++messages;
    const raw = await buildMessage({
      from: { name: 'A client', address: email },
      to: [{ name: 'Tobias Fenn', address: TOBIAS }],
      subject: `${file(0).number}: papers ${number}`,
      text: 'Enclosed.',
      html: '<p>Enclosed.</p><img src="cid:logo">',
      messageId: `papers-${number}@client.example`,
      date: new Date(Date.now() - (10 - number) * 60_000),
      attachments,
    });
    const vouched = Object.entries(vouchedFor(email)).map(([name, value]) => `${name}: ${value}\r\n`);
    firm.world
      .account(TOBIAS)
      ?.folder('INBOX')
      ?.append(Buffer.concat([Buffer.from(vouched.join('')), raw]), [], new Date());
    await firm.sync();
    const row = await one(
      firm
        .db('message')
        .where({ message_id: `papers-${number}@client.example` })
        .first('id', 'state'),
    );
    return row;
  }
  const readAll = async () => {
    const reader = new DocumentReader(firm.context);
    while (await reader.round());
  };

  before(async () => {
    firm = await openFirm({ clients: 12, files: 20, conversationsPerClient: 0 });
    app = webApp(firm.context, LEDGER);
    const response = await request(app)
      .post('/api/session')
      .send({ email: 'maren.okell@quillhurst.example', password: DEMO_PASSWORD });
    cookie = String(response.headers['set-cookie']?.[0]).split(';')[0] ?? '';
    const people = firm
      .db('client_person')
      .join('address', 'address.person_id', 'client_person.person_id')
      .whereRaw('client_person.client_id = file.client_id')
      .where('address.current', 1);
    files = await firm
      .db('file')
      .where({ general: 0 })
      .whereNull('closed')
      .whereExists(people.select(firm.db.raw('1')))
      .groupBy('client_id')
      .select({ id: firm.db.raw('MIN(id)') }, 'client_id', { number: firm.db.raw('MIN(number)') })
      .limit(2);
    const address = await firm
      .db('address')
      .join('client_person', 'client_person.person_id', 'address.person_id')
      .where({ client_id: file(0).client_id, current: 1 })
      .first('email');
    email = String(address?.email);
  });
  after(() => firm.close());

  it('come with mail, each content once, without what is shown in its text or meant for programs', async () => {
    const map = pngOf(40, 30);
    const pdf = await pdfOf('The culvert below the mill is to be renewed in spring.');
    const message = await arrive([
      { filename: 'map.png', contentType: 'image/png', content: map },
      { filename: 'Report of the culvert.pdf', contentType: 'application/pdf', content: pdf },
      { filename: 'logo.png', contentType: 'image/png', content: pngOf(9, 9), cid: 'logo' },
      { filename: 'day.ics', contentType: 'text/calendar', content: Buffer.from('BEGIN:VCALENDAR') },
    ]);
    expect(message.state).to.equal('logged');
    await arrive([{ filename: 'the same map.png', contentType: 'image/png', content: map }]);
    const page = await list({ clientId: file(0).client_id });
    expect(names(page)).to.deep.equal(['the same map.png', 'Report of the culvert.pdf']);
    const [first] = page.rows;
    expect(first).to.include({ how: 'came', look: 'picture', times: 2, size: map.length });
    expect(first?.files.map(({ number }) => number)).to.deep.equal([file(0).number]);
    expect((await list({ clientId: file(1).client_id })).total).to.equal(0);
    expect(
      (await list({ fileId: file(0).id, sort: 'name', order: 'asc' })).rows.map(({ size }) => size),
    ).to.deep.equal([pdf.length, map.length]);
    const content = await call('get', `/documents/${page.rows[1]?.id}/content`).responseType('blob');
    expect(Buffer.compare(content.body as Buffer, pdf)).to.equal(0);
  });

  it('are found by their names and, once these are read, by their words', async () => {
    const clientId = file(0).client_id;
    expect((await list({ clientId })).unread).to.be.greaterThan(0);
    expect(names(await list({ clientId, q: 'culvert' }))).to.deep.equal(['Report of the culvert.pdf']);
    expect(names(await list({ clientId, q: 'renewed' }))).to.deep.equal([]);
    await readAll();
    expect(names(await list({ clientId, q: 'renewed spring' }))).to.deep.equal(['Report of the culvert.pdf']);
    expect(names(await list({ q: 'renewed' }))).to.deep.equal(['Report of the culvert.pdf']);
    expect((await list({ clientId })).unread).to.equal(0);
    expect(names(await list({ clientId, how: 'put' }))).to.deep.equal([]);
  });

  it('are put on file by hand, told by their content, and refused when empty, twice there or too large', async () => {
    const pdf = await pdfOf('An agreement about the lane.');
    const made = await put(file(0).id, 'a/b\u0007 agreement', pdf);
    expect(made.status, JSON.stringify(made.body)).to.equal(200);
    const row = (await call('get', `/documents/${made.body.id}`)).body as DocumentRow;
    expect(row).to.include({
      filename: 'a b  agreement',
      mimeType: 'application/pdf',
      how: 'put',
      from: 'Maren Okell',
    });
    const again = await put(file(0).id, 'other.pdf', pdf);
    expect([again.status, again.body.message]).to.deep.equal([
      409,
      `That lies on ${file(0).number} already, as “a b  agreement”.`,
    ]);
    expect((await put(file(0).id, 'none.txt', Buffer.alloc(0))).body.message).to.equal(
      '“none.txt” is empty.',
    );
    expect((await put(999_999, 'x.pdf', pdf)).status).to.equal(404);
    // The same content is kept once, also where it lies on another file.
    const copied = await call('post', `/documents/${made.body.id}/copy`).send({ fileId: file(1).id });
    expect(copied.status).to.equal(200);
    const kept = await firm.db('document').whereIn('id', [made.body.id, copied.body.id]).distinct('raw_hash');
    expect(kept).to.have.length(1);
    expect(names(await list({ clientId: file(1).client_id }))).to.deep.equal(['a b  agreement']);
  });

  it('are named, given a kind and a day, moved, taken off and brought back; what came with mail stays with it', async () => {
    const { id: kindId } = await one(firm.db('document_kind').where({ name: 'Agreement' }).first('id'));
    const [own] = (await list({ clientId: file(0).client_id, how: 'put' })).rows;
    const change = (id: number | undefined, what: object) => call('put', `/documents/${id}`).send(what);
    expect((await change(own?.id, { filename: 'Lane.pdf', kindId, on: '2025-03-04' })).status).to.equal(204);
    const [named] = (await list({ clientId: file(0).client_id, kindId })).rows;
    expect(named).to.deep.include({ filename: 'Lane.pdf', kind: { id: kindId, name: 'Agreement' } });
    expect(named?.at.slice(0, 10)).to.equal('2025-03-04');
    const there = await change(own?.id, { fileId: file(1).id });
    expect(there.status).to.equal(204);
    expect(names(await list({ clientId: file(0).client_id, how: 'put' }))).to.deep.equal([]);
    await call('delete', `/documents/${own?.id}`);
    expect((await call('get', `/documents/${own?.id}`)).status).to.equal(404);
    await call('post', `/documents/${own?.id}/restore`);
    expect((await call('get', `/documents/${own?.id}`)).status).to.equal(200);
    const [came] = (await list({ clientId: file(0).client_id, how: 'came' })).rows;
    expect((await change(came?.id, { fileId: file(1).id })).status).to.equal(409);
    expect((await change(came?.id, { filename: 'The map.png', kindId })).status).to.equal(204);
    expect((await change(came?.id, { kindId: 999_999 })).body.field).to.equal('kindId');
    expect((await call('delete', `/documents/${came?.id}`)).status).to.equal(409);
    const audited = await firm.db('audit').where({ subject: 'document' }).pluck('action');
    expect(audited).to.include.members([
      'document put on file',
      'document changed',
      'document taken off file',
    ]);
  });

  it('are not shown where their message is taken off its file', async () => {
    const { id } = await arrive([
      { filename: 'secret.png', contentType: 'image/png', content: pngOf(20, 20, 7) },
    ]);
    const [row] = (await list({ q: 'secret' })).rows;
    expect(row?.messageId).to.equal(id);
    await firm.db('filing').where({ message_id: id }).delete();
    await firm.db('message').where({ id }).update({ state: 'private' });
    expect((await list({ q: 'secret' })).rows).to.deep.equal([]);
    for (const path of ['', '/content', '/page'])
      expect((await call('get', `/documents/${row?.id}${path}`)).status, path).to.equal(404);
  });

  it('are looked at in a page that can do nothing; what is no picture, broken or too large says so', async () => {
    const look = async (filename: string, content: Buffer) => {
      const made = await put(file(1).id, filename, content);
      expect(made.status, JSON.stringify(made.body)).to.equal(200);
      return call('get', `/documents/${made.body.id}/page`);
    };
    const picture = await look('wood.png', pngOf(60, 20, 9));
    expect(picture.text).to.contain('<img src="data:image/png;base64,');
    expect(picture.headers['content-security-policy'])
      .to.contain('sandbox')
      .and.to.contain("default-src 'none'");
    const script = await look('notes.txt', Buffer.from('<script>alert(1)</script> Bring the map.'));
    expect(script.text).to.contain('&lt;script&gt;').and.to.contain('Bring the map.');
    const disguised = await look('page.png', Buffer.from('<svg onload="alert(1)"></svg>'));
    expect(disguised.status).to.equal(415);
    // A header that promises 200 million picture elements (PNG, IHDR): no browser is to unpack it.
    const huge = pngOf(2, 2, 1);
    huge.writeUInt32BE(20_000, 16);
    huge.writeUInt32BE(10_000, 20);
    const large = await look('huge.png', huge);
    expect([large.status, large.body.message]).to.deep.equal([
      413,
      'That picture is too large to be shown here. Save it, and open it with a program for pictures.',
    ]);
    expect((await look('odd.bin', Buffer.from([1, 2, 3, 4]))).status).to.equal(415);
  });

  it('are enclosed in what is written, and known as the client’s they come from', async () => {
    const [document] = (await list({ clientId: file(1).client_id, q: 'lane' })).rows;
    const draft = await call('post', '/drafts').send({ fileId: file(0).id, documentId: document?.id });
    expect(draft.status, JSON.stringify(draft.body)).to.equal(200);
    const view = await call('get', `/drafts/${draft.body.id}`);
    expect(view.body.enclosures.map(({ filename }: { filename: string }) => filename)).to.deep.equal([
      'Lane.pdf',
    ]);
    const warnings = await call('get', `/drafts/${draft.body.id}/warnings`);
    expect(warnings.body.map(({ kind }: { kind: string }) => kind)).to.include('enclosure');
    const refused = await call('post', `/drafts/${draft.body.id}/enclosures/document`).send({
      documentId: 999_999,
    });
    expect(refused.status).to.equal(404);
  });

  it('of mail that an older version took in are noted once, whatever was done before', async () => {
    const before = await firm
      .db('document')
      .whereNotNull('message_id')
      .orderBy('id')
      .select('message_id', 'hash');
    expect(before.length).to.be.greaterThan(2);
    await firm.db('draft_enclosure').update({ document_id: null });
    await firm.db('document').whereNotNull('message_id').delete();
    await firm.db('raw').update({ reading: null });
    expect(await refillDocuments(firm.db)).to.be.greaterThan(0);
    expect(await refillDocuments(firm.db)).to.equal(0);
    const after = await firm
      .db('document')
      .whereNotNull('message_id')
      .orderBy('id')
      .select('message_id', 'hash');
    expect(after).to.deep.equal(before);
  });

  it('whose reading ends its process are given up after some tries', async () => {
    const { hash } = await one(firm.db('document').first('hash'));
    await firm.db('document_reading').where({ hash }).update({ state: 'waiting', tries: 3 });
    await readAll();
    expect((await one(firm.db('document_reading').where({ hash }).first())).state).to.equal('unreadable');
  });
});
