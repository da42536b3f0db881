import { LEDGER } from '../../server/parts.ts';
import { countOf } from '../../server/foundation/rows.ts';
import { expect } from 'chai';
import request from 'supertest';
import { DEMO_PASSWORD } from '../../demo/load.ts';
import { webApp } from '../../server/http/app.ts';
import { seal, unseal } from '../../server/security/seal.ts';
import { noteOn, openFirm, rawMessage, type TestFirm, one } from './helpers.ts';

describe('the web server', () => {
  let firm: TestFirm;
  let app: ReturnType<typeof webApp>;
  const signIn = async (name: string) => {
    const response = await request(app)
      .post('/api/session')
      .send({ email: `${name}@quillhurst.example`, password: DEMO_PASSWORD });
    expect(response.status).to.equal(200);
    return String(response.headers['set-cookie']?.[0]).split(';')[0] ?? '';
  };
  before(async () => {
    firm = await openFirm({ clients: 12, files: 20 });
    await firm.sync();
    app = webApp(firm.context, LEDGER);
  });
  after(() => firm.close());

  it('lets nobody in without signing in, and says why', async () => {
    for (const path of [
      '/api/today',
      '/api/clients',
      '/api/sorting',
      '/api/messages/1',
      '/api/messages/1/source',
      '/api/mailings',
      '/api/events',
      '/api/nothing',
    ]) {
      const response = await request(app).get(path);
      expect([path, response.status, response.body.message]).to.deep.equal([path, 401, 'Please sign in.']);
    }
  });

  it('refuses a wrong password without saying which half was wrong, and throttles', async () => {
    const wrong = await request(app)
      .post('/api/session')
      .send({ email: 'maren.okell@quillhurst.example', password: 'no' });
    const nobody = await request(app)
      .post('/api/session')
      .send({ email: 'nobody@quillhurst.example', password: 'no' });
    expect([wrong.status, wrong.body]).to.deep.equal([nobody.status, nobody.body]);
    const other = webApp(firm.context, LEDGER);
    let last = 0;
    for (let tries = 0; tries < 12; tries++)
      last = (
        await request(other)
          .post('/api/session')
          .send({ email: 'ines.calder@quillhurst.example', password: 'no' })
      ).status;
    expect(last).to.equal(429);
    // Somebody else is not kept out by it, at the same address or behind the same proxy.
    await signIn('maren.okell');
  });

  it('sets a cookie that scripts cannot read and other sites do not send', async () => {
    const response = await request(app)
      .post('/api/session')
      .send({ email: 'maren.okell@quillhurst.example', password: DEMO_PASSWORD });
    expect(String(response.headers['set-cookie']))
      .to.match(/HttpOnly/)
      .and.match(/SameSite=Strict/);
    expect(response.headers['content-security-policy']).to.contain("script-src 'self'");
    const stored = await one(firm.db('session').first());
    expect(String(response.headers['set-cookie'])).to.not.contain(stored.token_hash.toString('base64url'));
  });

  it('refuses a change that comes from another site', async () => {
    const cookie = await signIn('maren.okell');
    const foreign = await request(app)
      .post('/api/mailings')
      .set('Cookie', cookie)
      .set('Origin', 'http://elsewhere.example')
      .send({});
    expect(foreign.status).to.equal(403);
    const sneaky = await request(app)
      .post('/api/mailings')
      .set('Cookie', cookie)
      .set('Sec-Fetch-Site', 'cross-site')
      .send({});
    expect(sneaky.status).to.equal(403);
  });

  it('checks roles on the server: an assistant cannot release', async () => {
    const cookie = await signIn('petra.lund');
    const begun = await request(app).post('/api/mailings').set('Cookie', cookie).send({});
    const release = await request(app)
      .post(`/api/mailings/${begun.body.id}/release`)
      .set('Cookie', cookie)
      .send({ version: 1, recipients: 1 });
    expect([release.status, release.body.message]).to.deep.equal([
      403,
      'Only an office manager or an adviser can do that.',
    ]);
  });

  it('says which field is wrong', async () => {
    const cookie = await signIn('maren.okell');
    const begun = await request(app).post('/api/mailings').set('Cookie', cookie).send({});
    const view = (await request(app).get(`/api/mailings/${begun.body.id}`).set('Cookie', cookie)).body;
    const saved = await request(app)
      .put(`/api/mailings/${begun.body.id}`)
      .set('Cookie', cookie)
      .send({ ...view.draft, name: ' ', version: view.version });
    expect([saved.status, saved.body]).to.deep.equal([
      400,
      { message: 'Give the mailing a name.', field: 'name' },
    ]);
    expect((await request(app).get('/api/clients/999999').set('Cookie', cookie)).status).to.equal(404);
    expect((await request(app).get('/api/clients/x').set('Cookie', cookie)).status).to.equal(400);
    expect(
      (
        await request(app)
          .post('/api/sorting')
          .set('Cookie', cookie)
          .set('Content-Type', 'application/json')
          .send('{broken')
      ).status,
    ).to.equal(400);
  });

  it('shows hostile mail harmlessly', async () => {
    const cookie = await signIn('maren.okell');
    const html = `<html><body onload="steal()"><script>steal()</script><style>@import url(http://evil.example/x.css)</style>
      <img src="http://evil.example/pixel.png"><img src=x onerror=steal()><a href="javascript:steal()">press</a><a href="https://fine.example/">fine</a>
      <iframe src="http://evil.example"></iframe><form action="http://evil.example"><input name=a></form>
      <div style="background:url(http://evil.example/b.png);color:red">words</div><svg><script>steal()</script></svg><base href="http://evil.example/"><meta http-equiv=refresh content="0;url=http://evil.example"></body></html>`;
    const raw = rawMessage(
      {
        From: 'x@evil.example',
        To: 'tobias.fenn@quillhurst.example',
        Subject: 'Hostile',
        'Message-ID': '<hostile@evil.example>',
        Date: new Date().toUTCString(),
        'Content-Type': 'text/html; charset=utf-8',
      },
      html,
    );
    firm.world.account('tobias.fenn@quillhurst.example')?.folder('INBOX')?.append(raw, [], new Date());
    await firm.sync();
    const { id } = await one(firm.db('message').where({ message_id: 'hostile@evil.example' }).first('id'));
    const page = await request(app).get(`/api/messages/${id}/page`).set('Cookie', cookie);
    expect(page.text).to.contain('words').and.contain('https://fine.example/');
    for (const bad of [
      'steal',
      'evil.example',
      'javascript:',
      '<script',
      '<iframe',
      '<form',
      '<svg',
      '<base',
      '<meta http',
      'onload',
      'onerror',
      'url(',
    ])
      expect(page.text.toLowerCase()).to.not.contain(bad);
    expect(page.headers['content-security-policy'])
      .to.match(/^default-src 'none'; img-src data:;/)
      .and.contain('sandbox');
    const asked = await request(app).get(`/api/messages/${id}/page?pictures=1`).set('Cookie', cookie);
    expect(asked.text).to.contain('http://evil.example/pixel.png').and.not.contain('steal');
    const source = await request(app)
      .get(`/api/messages/${id}/source`)
      .set('Cookie', cookie)
      .buffer(true)
      .parse((res, done) => {
        const chunks: Buffer[] = [];
        res.on('data', (chunk: Buffer) => chunks.push(chunk));
        res.on('end', () => done(null, Buffer.concat(chunks)));
      });
    expect(source.headers['content-disposition']).to.match(/^attachment; filename="?Hostile\.eml"?$/);
    expect((source.body as Buffer).equals(raw)).to.equal(true);
  });

  it('hands enclosures out for saving only', async () => {
    const cookie = await signIn('maren.okell');
    const row = await one(firm.db('message').where('enclosures', '>', 0).first('id'));
    const message = (await request(app).get(`/api/messages/${row.id}`).set('Cookie', cookie)).body;
    const response = await request(app)
      .get(`/api/messages/${row.id}/enclosures/${message.enclosures[0].index}`)
      .set('Cookie', cookie);
    expect([response.headers['content-type'], response.headers['x-content-type-options']]).to.deep.equal([
      'application/octet-stream',
      'nosniff',
    ]);
    expect(response.headers['content-disposition']).to.match(/^attachment/);
  });

  it('ends a session for good', async () => {
    const cookie = await signIn('maren.okell');
    expect((await request(app).get('/api/session').set('Cookie', cookie)).status).to.equal(200);
    await request(app).delete('/api/session').set('Cookie', cookie);
    expect((await request(app).get('/api/session').set('Cookie', cookie)).status).to.equal(401);
  });

  it('tells Today what needs a person, and the register by pages', async () => {
    const cookie = await signIn('maren.okell');
    const today = (await request(app).get('/api/today').set('Cookie', cookie)).body;
    expect(today.unsorted.count).to.equal(await countOf(firm.db('message').where({ state: 'suggested' })));
    expect(today.days.length).to.equal(14);
    expect(
      today.mailboxes.every((box: { taken: number; onServer: number }) => box.taken === box.onServer),
    ).to.equal(true);
    const returned = (await request(app).get('/api/returned').set('Cookie', cookie)).body;
    expect(returned.total).to.equal(today.returned.count);
  });

  it('seals passwords so that another key or a changed byte opens nothing', () => {
    const key = firm.config.key;
    const sealed = seal(key, 'geheim');
    expect(unseal(key, sealed)).to.equal('geheim');
    expect(() => unseal(Buffer.alloc(32), sealed)).to.throw();
    sealed[sealed.length - 1] = (sealed.at(-1) ?? 0) ^ 1;
    expect(() => unseal(key, sealed)).to.throw();
    expect(seal(key, 'geheim').equals(seal(key, 'geheim'))).to.equal(false);
  });

  it('answers everything about filing by the contract, and says plainly what is wrong with a request', async () => {
    const cookie = await signIn('maren.okell');
    const get = (path: string) => request(app).get(`/api${path}`).set('Cookie', cookie);
    const post = (path: string, body: object) =>
      request(app).post(`/api${path}`).set('Cookie', cookie).send(body);
    const { id } = await one(firm.db('message').where({ state: 'logged' }).first('id'));
    for (const path of [
      '/filing/alone',
      '/filing/alone?state=aside&limit=5',
      '/filing/score',
      '/filing/rules',
      `/messages/${id}`,
      `/messages/${id}/alike`,
      '/conversations/1',
      '/clients/doubles?lastName=Farrant',
      '/search?q=far',
    ])
      expect([path, (await get(path)).status]).to.deep.equal([path, 200]);
    for (const [path, body, words] of [
      [
        '/filing/rules/try',
        { by: 'subject', pattern: 'ab', then: { kind: 'aside' } },
        'Fewer than four letters',
      ],
      [
        '/filing/rules/try',
        { by: 'address', pattern: ' ', then: { kind: 'aside' } },
        'Say what the rule looks for',
      ],
      [
        '/filing/rules',
        { by: 'domain', pattern: 'x.example', then: { kind: 'file', fileId: 999_999 } },
        'not here',
      ],
      ['/sorting', { messageId: id, to: { kind: 'files', fileIds: [] } }, 'Choose a file first'],
      ['/sorting', { messageId: id, to: { kind: 'files', fileIds: [999_999] } }, 'does not exist'],
      ['/sorting', { messageId: id, to: { kind: 'aside' }, note: 'x'.repeat(501) }, '500 letters'],
      ['/timeline', noteOn(1, '  '), 'Write something first'],
      [
        '/clients',
        { clientId: null, firstName: 'A', lastName: 'B', email: 'no', name: 'C' },
        'not an email address',
      ],
    ] as const) {
      const response = await post(path, body);
      expect(response.status, path).to.be.within(400, 404);
      expect(response.body.message).to.contain(words);
    }
    expect((await get('/filing/alone?day=tomorrow')).status).to.equal(400);
    expect((await get('/messages/999999')).status).to.equal(404);
  });

  it('lets an assistant sort, but not make or drop the office’s rules', async () => {
    const petra = await signIn('petra.lund');
    const rule = { by: 'domain', pattern: 'far.example', then: { kind: 'aside' } };
    const made = await request(app).post('/api/filing/rules').set('Cookie', petra).send(rule);
    expect([made.status, made.body.message]).to.deep.equal([
      403,
      'Only an office manager or an adviser can do that.',
    ]);
    expect((await request(app).delete('/api/filing/rules/1').set('Cookie', petra)).status).to.equal(403);
    expect(
      (await request(app).post('/api/filing/rules/try').set('Cookie', petra).send(rule)).status,
    ).to.equal(200);
    const { id } = await one(firm.db('message').where({ state: 'suggested' }).first('id'));
    const sorted = await request(app)
      .post('/api/sorting')
      .set('Cookie', petra)
      .send({ messageId: id, to: { kind: 'aside' } });
    expect(sorted.status).to.equal(200);
    const undone = await request(app)
      .post(`/api/sorting/steps/${sorted.body.stepId}/undo`)
      .set('Cookie', petra)
      .send({});
    expect(undone.status).to.equal(200);
  });

  it('shows a private message, its page, source and enclosures to nobody else', async () => {
    const tobias = await signIn('tobias.fenn');
    const copy = await one(
      firm
        .db('message_copy')
        .join('folder', 'folder.id', 'message_copy.folder_id')
        .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
        .join('message', 'message.id', 'message_copy.message_id')
        // What was on a client's file is nobody's to make private.
        .whereIn('message.state', ['suggested', 'aside'])
        .groupBy('message_copy.message_id')
        .havingRaw('COUNT(DISTINCT mailbox.staff_id) = 1 AND MAX(mailbox.staff_id) = 2')
        .first('message_copy.message_id'),
    );
    const id = copy.message_id;
    const made = await request(app)
      .post('/api/sorting')
      .set('Cookie', tobias)
      .send({ messageId: id, to: { kind: 'private' } });
    expect(made.status, JSON.stringify(made.body)).to.equal(200);
    const maren = await signIn('maren.okell');
    for (const [cookie, status] of [
      [tobias, 200],
      [maren, 403],
    ] as const)
      for (const path of ['', '/page', '/source'])
        expect([
          path,
          (await request(app).get(`/api/messages/${id}${path}`).set('Cookie', cookie)).status,
        ]).to.deep.equal([path, status]);
  });
});
