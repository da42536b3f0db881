import { expect } from 'chai';
import request from 'supertest';
import { DEMO_PASSWORD } from '../../demo/load.ts';
import { webApp } from '../../server/http/app.ts';
import { seal, unseal } from '../../server/security/seal.ts';
import { openFirm, rawMessage, type TestFirm } from './helpers.ts';

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
    app = webApp(firm.office);
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
    const other = webApp(firm.office);
    let last = 0;
    for (let tries = 0; tries < 12; tries++)
      last = (
        await request(other)
          .post('/api/session')
          .send({ email: 'maren.okell@quillhurst.example', password: 'no' })
      ).status;
    expect(last).to.equal(429);
  });

  it('sets a cookie that scripts cannot read and other sites do not send', async () => {
    const response = await request(app)
      .post('/api/session')
      .send({ email: 'maren.okell@quillhurst.example', password: DEMO_PASSWORD });
    expect(String(response.headers['set-cookie']))
      .to.match(/HttpOnly/)
      .and.match(/SameSite=Strict/);
    expect(response.headers['content-security-policy']).to.contain("script-src 'self'");
    const stored = await firm.db('session').first();
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
      'Only an office manager or adviser can do that.',
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
    const { id } = await firm.db('message').where({ message_id: 'hostile@evil.example' }).first('id');
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
    const row = await firm.db('message').where('enclosures', '>', 0).first('id');
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
    expect(today.unsorted.count).to.equal(
      Number((await firm.db('message').where({ state: 'suggested' }).count('* as n').first())?.n),
    );
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
});
