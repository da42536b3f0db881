import { LEDGER } from '../../server/parts.ts';
import { countOf } from '../../server/foundation/rows.ts';
import { expect } from 'chai';
import request from 'supertest';
import type { DraftView } from '../../contract/index.ts';
import { readMessage } from '../../core/message/read.ts';
import { DEMO_PASSWORD } from '../../demo/load.ts';
import { readRaw } from '../../server/foundation/sources.ts';
import { DispatchWorker } from '../../server/dispatch/worker.ts';
import { webApp } from '../../server/http/app.ts';
import { MailboxSync } from '../../server/mailbox/sync/sync.ts';
import { deliver, openFirm, rawMessage, until, type TestFirm, one } from './helpers.ts';
import { CHORES, outgoing } from '../../server/parts.ts';

const TOBIAS = 'tobias.fenn@quillhurst.example';
const words = (text: string) => ({
  type: 'doc' as const,
  content: [{ type: 'paragraph', content: [{ type: 'text', text }] }],
});

describe('writing a message', () => {
  let firm: TestFirm;
  let app: ReturnType<typeof webApp>;
  let cookie: string;
  let worker: DispatchWorker;
  /** Somebody of the records who can be written to. */
  let client: { id: number; email: string; name: string; fileId: number; number: string };
  const call = (method: 'get' | 'post' | 'put' | 'delete', path: string, as = cookie) =>
    request(app)[method](`/api${path}`).set('Cookie', as);
  const signIn = async (name: string) => {
    const response = await request(app)
      .post('/api/session')
      .send({ email: `${name}@quillhurst.example`, password: DEMO_PASSWORD });
    return String(response.headers['set-cookie']?.[0]).split(';')[0] ?? '';
  };
  async function begin(body: object): Promise<DraftView> {
    const made = await call('post', '/drafts').send(body);
    expect(made.status, JSON.stringify(made.body)).to.equal(200);
    return (await call('get', `/drafts/${made.body.id}`)).body as DraftView;
  }
  async function save(draft: DraftView, change: object) {
    const { version, mailboxId, people, subject, body, plain, quoted } = draft;
    return call('put', `/drafts/${draft.id}`).send({
      version,
      mailboxId,
      people,
      subject,
      body,
      plain,
      quoted,
      fileIds: draft.files.map((file) => file.id),
      ...change,
    });
  }
  const syncTobias = async () =>
    new MailboxSync(
      firm.context,
      await one(firm.db('mailbox').where({ address: TOBIAS }).first()),
      CHORES,
    ).runOnce();
  const sent = (id: number) => one(firm.db('dispatch').where({ draft_id: id }).first());
  async function leave(id: number) {
    await until('it has left and is logged', async () => {
      await worker.work();
      return Boolean((await sent(id)).logged_message_id);
    });
    return sent(id);
  }
  before(async () => {
    firm = await openFirm({ clients: 16, files: 26, conversationsPerClient: 1 });
    await firm.sync();
    app = webApp(firm.context, LEDGER);
    cookie = await signIn('tobias.fenn');
    worker = new DispatchWorker(firm.context, outgoing(firm.context));
    // An address that nobody else has, of a client with an open matter, whose owner takes mail.
    const ordinary = new Set(
      firm.world
        .correspondents()
        .filter((each) => each.behaviour === 'ordinary')
        .map((each) => each.address),
    );
    const rows = await firm
      .db('address')
      .join('client_person', 'client_person.person_id', 'address.person_id')
      .join('person', 'person.id', 'address.person_id')
      .join('file', 'file.client_id', 'client_person.client_id')
      .where({ 'file.general': 0, 'address.current': 1 })
      .whereNull('file.closed')
      .select(
        'client_person.client_id as id',
        'email',
        'first_name',
        'last_name',
        'file.id as fileId',
        'number',
      );
    const row = rows.find((each) => ordinary.has(each.email));
    client = { ...row, name: `${row.first_name} ${row.last_name}` };
  });
  after(async () => {
    await worker.stop();
    await firm.close();
  });

  it('begins an answer with whom it is to, its file, its references and what it answers', async () => {
    deliver(firm, TOBIAS, 'asks@x.example', {
      text: 'Would Thursday do?',
      headers: {
        From: `${client.name} <${client.email}>`,
        Subject: `${client.number}: A day`,
        Cc: 'petra.lund@quillhurst.example, third@far.example',
        References: '<first@x.example>',
      },
    });
    await syncTobias();
    const message = await one(firm.db('message').where({ message_id: 'asks@x.example' }).first());
    const reply = await begin({ how: 'reply', messageId: message.id });
    expect(reply.people.to.map((each) => each.email)).to.deep.equal([client.email]);
    expect(reply.people.cc).to.deep.equal([]);
    expect(reply.subject).to.equal(`Re: ${client.number}: A day`);
    expect(reply.files.map((file) => file.number)).to.deep.equal([client.number]);
    expect(reply.quoted).to.contain('> Would Thursday do?');
    expect(reply.signature).to.contain('Tobias Fenn').and.to.contain('terms of business');
    const all = await begin({ how: 'all', messageId: message.id });
    // Ourselves and our colleagues are left out of an answer to all.
    expect(all.people.cc.map((each) => each.email)).to.deep.equal(['third@far.example']);
    await save(reply, { body: words('Thursday suits us.') });
    const done = await call('post', `/drafts/${reply.id}/send`).send({ version: 2 });
    expect(done.status).to.equal(200);
    const dispatch = await leave(reply.id);
    const read = await readMessage(await readRaw(firm.db, dispatch.raw_hash!));
    expect(read.inReplyTo).to.deep.equal(['asks@x.example']);
    expect(read.references).to.deep.equal(['first@x.example', 'asks@x.example']);
    expect(read.text).to.contain('Thursday suits us.').and.to.contain('\n-- \nTobias Fenn');
    expect(read.html).to.contain('Thursday suits us.');
    // In one conversation with what it answers, on the file that was chosen, by whoever wrote it.
    const logged = await one(firm.db('message').where('id', dispatch.logged_message_id).first());
    expect(logged).to.include({
      conversation_id: message.conversation_id,
      state: 'logged',
      decided_by: 2,
      handler_id: 2,
    });
    expect(await firm.db('filing').where({ message_id: logged.id }).pluck('file_id')).to.deep.equal([
      client.fileId,
    ]);
    // Nobody owes an answer to the question any more.
    expect((await one(firm.db('message').where({ id: message.id }).first())).waits).to.equal(null);
  });

  it('records the very bytes that left, and puts them into Sent once', async () => {
    const draft = await begin({ how: 'new', fileId: client.fileId });
    await save(draft, {
      subject: 'The very bytes',
      people: {
        to: [{ name: client.name, email: client.email }],
        cc: [],
        bcc: [{ name: '', email: 'maren.okell@quillhurst.example' }],
      },
      body: words('Grüße – “as they were”'),
    });
    await call('post', `/drafts/${draft.id}/send`).send({ version: 2 });
    const dispatch = await leave(draft.id);
    const message = await one(firm.db('message').where('id', dispatch.logged_message_id).first());
    const recorded = await readRaw(firm.db, message.raw_hash);
    const folder = firm.world.account(TOBIAS)!.folder('Sent')!;
    await until('the copy lies in Sent', async () => {
      await worker.work();
      return folder.withMessageId(dispatch.message_id).length > 0;
    });
    const uids = folder.withMessageId(dispatch.message_id);
    expect(uids).to.have.length(1);
    expect(folder.read(folder.find(uids[0]!)!).equals(recorded)).to.equal(true);
    // A hidden copy reaches its reader, stands in nobody's bytes, and is known to us.
    expect(recorded.toString()).to.not.match(/^bcc:/im);
    expect(
      firm.world
        .account('maren.okell@quillhurst.example')!
        .folder('INBOX')!
        .withMessageId(dispatch.message_id),
    ).to.have.length(1);
    const parties = await firm
      .db('message_party')
      .where({ message_id: message.id, role: 'bcc' })
      .pluck('email');
    expect(parties).to.deep.equal(['maren.okell@quillhurst.example']);
    expect(await firm.db('raw_words').where({ hash: message.raw_hash })).to.have.length(1);
    await firm.sync();
    expect(await countOf(firm.db('message').where({ message_id: dispatch.message_id }))).to.equal(1);
    expect((await one(firm.db('message').where({ id: message.id }).first())).differs).to.equal(null);
  });

  it('flags what lies in Sent otherwise than it left', async () => {
    const draft = await begin({ how: 'new', fileId: client.fileId });
    await save(draft, { subject: 'As agreed', body: words('Two hundred metres.') });
    await call('post', `/drafts/${draft.id}/send`).send({ version: 2 });
    const id = (await one(firm.db('draft').where({ id: draft.id }).first())).message_id;
    const dispatch = await leave(draft.id);
    const raw = await readRaw(firm.db, dispatch.raw_hash!);
    const folder = firm.world.account(TOBIAS)!.folder('Sent')!;
    // A provider that keeps its own copy, with a word changed in both parts and a header added.
    folder.expunge(folder.withMessageId(id));
    folder.append(
      Buffer.from(
        `X-Kept-By: provider\r\n${raw.toString('latin1').replaceAll('Two hundred', 'Three hundred')}`,
        'latin1',
      ),
      ['\\Seen'],
      new Date(),
    );
    await syncTobias();
    const message = await one(firm.db('message').where('id', dispatch.logged_message_id).first());
    expect(message.differs).to.equal('the text, the formatted text');
    expect((await readRaw(firm.db, message.raw_hash)).equals(raw)).to.equal(true);
    // The same with nothing but a header added is no difference.
    folder.expunge(folder.withMessageId(id));
    folder.append(Buffer.concat([Buffer.from('X-Kept-By: provider\r\n'), raw]), ['\\Seen'], new Date());
    await syncTobias();
    expect((await one(firm.db('message').where({ id: message.id }).first())).differs).to.equal(null);
  });

  it('keeps what is typed, and refuses to overwrite what another window saved', async () => {
    const draft = await begin({ how: 'new', clientId: client.id });
    expect(draft.people.to.length).to.equal(1);
    expect((await save(draft, { subject: 'First' })).body).to.include({ version: 2 });
    const late = await save(draft, { subject: 'Late' });
    expect([late.status, late.body.message]).to.deep.equal([
      409,
      'This message was changed in another window, or is on its way already. Open it again.',
    ]);
    expect((await call('get', `/drafts/${draft.id}`)).body.subject).to.equal('First');
    // Nobody else reads one's drafts.
    const other = await signIn('ines.calder');
    expect((await call('get', `/drafts/${draft.id}`, other)).status).to.equal(404);
    expect((await call('delete', `/drafts/${draft.id}`)).status).to.equal(204);
    expect((await call('get', '/drafts')).body.map((row: { id: number }) => row.id)).to.not.include(draft.id);
    await call('post', `/drafts/${draft.id}/restore`);
    expect((await call('get', '/drafts')).body.map((row: { id: number }) => row.id)).to.include(draft.id);
  });

  it('says once what gives pause: another client’s person, a greeting, an enclosure, a slip', async () => {
    const other = await one(
      firm
        .db('address')
        .join('client_person', 'client_person.person_id', 'address.person_id')
        .join('person', 'person.id', 'address.person_id')
        .join('file', 'file.client_id', 'client_person.client_id')
        .where({ 'address.current': 1, 'file.general': 0 })
        .whereNot('client_person.client_id', client.id)
        .whereNotIn(
          'address.person_id',
          firm.db('client_person').where({ client_id: client.id }).select('person_id'),
        )
        .whereNotIn(
          'address.email_key',
          firm
            .db('message_party')
            .join('filing', 'filing.message_id', 'message_party.message_id')
            .where('filing.client_id', client.id)
            .select('email_key'),
        )
        .first('address.email', 'person.first_name', 'file.number', 'client_person.client_id'),
    );
    const draft = await begin({ how: 'new', fileId: client.fileId });
    const warned = async () =>
      ((await call('get', `/drafts/${draft.id}/warnings`)).body as { kind: string }[]).map(
        ({ kind }) => kind,
      );
    const people = (email: string) => ({ to: [{ name: '', email }], cc: [], bcc: [] });
    const body = (text: string) => ({
      type: 'doc',
      content: [{ type: 'paragraph', content: [{ type: 'text', text }] }],
    });
    let version = draft.version;
    const keep = async (change: object) => {
      const saved = await save({ ...draft, version }, change);
      expect(saved.status, JSON.stringify(saved.body)).to.equal(200);
      version = saved.body.version;
    };
    const first = client.name.split(' ')[0] ?? '';
    await keep({ people: people(client.email), body: body(`Dear ${first},`) });
    expect(await warned()).to.deep.equal([]);
    await keep({ people: people(other.email), body: body('Good day') });
    expect(await warned()).to.deep.equal(['another client']);
    await keep({ people: people(client.email), body: body(`Dear ${other.first_name},`) });
    expect(await warned()).to.deep.equal(
      other.first_name.slice(0, 3) === first.slice(0, 3) ? [] : ['greeting'],
    );
    await keep({
      people: people(`${client.email.slice(0, 1)}${client.email.slice(2)}`),
      body: body('Good day'),
    });
    expect(await warned()).to.include('slip');
    await keep({ people: people(client.email), body: body('Good day') });
    await call('post', `/drafts/${draft.id}/enclosures?filename=Plan%20${other.number}.pdf`)
      .set('Content-Type', 'application/pdf')
      .send(Buffer.from('%PDF'));
    expect(await warned()).to.deep.equal(['enclosure']);
    const stranger = await signIn('ines.calder');
    expect((await call('get', `/drafts/${draft.id}/warnings`, stranger)).status).to.equal(404);
    await call('delete', `/drafts/${draft.id}`);
  });

  it('says what is missing before anything leaves', async () => {
    const draft = await begin({ how: 'new' });
    const send = (version: number, at: string | null = null) =>
      call('post', `/drafts/${draft.id}/send`).send({ version, at });
    expect((await send(1)).body).to.deep.equal({ message: 'Say whom it is to.', field: 'people' });
    await save(draft, { people: { to: [{ name: '', email: 'nobody' }], cc: [], bcc: [] } });
    expect((await send(2)).body.message).to.equal('“nobody” is not an email address.');
    const inject = 'a@x.example\r\nBcc: spy@far.example';
    await save({ ...draft, version: 2 }, { people: { to: [{ name: '', email: inject }], cc: [], bcc: [] } });
    expect((await send(3)).status).to.equal(400);
    await save(
      { ...draft, version: 3 },
      {
        people: { to: [{ name: 'x\r\nBcc: spy@far.example', email: client.email }], cc: [], bcc: [] },
        subject: 'a\r\nBcc: spy@far.example',
      },
    );
    expect((await send(4, '2020-01-01T00:00:00.000Z')).body.message).to.equal('That time has passed.');
    expect((await send(4)).status).to.equal(200);
    const raw = await readRaw(firm.db, (await leave(draft.id)).raw_hash!);
    expect(raw.toString().split('\r\n\r\n')[0]).to.not.match(/^bcc:/im);
    // From a mailbox that is not verified, or not one's own, nothing leaves.
    const foreign = await one(
      firm.db('mailbox').where({ address: 'ines.calder@quillhurst.example' }).first('id'),
    );
    const next = await begin({ how: 'new', clientId: client.id });
    expect((await save(next, { mailboxId: foreign.id })).status).to.equal(403);
    await firm.db('mailbox').where({ address: TOBIAS }).update({ verified_at: null });
    const refused = await call('post', `/drafts/${next.id}/send`).send({ version: 1 });
    expect([refused.status, refused.body.field]).to.deep.equal([400, 'mailboxId']);
    await firm.db('mailbox').where({ address: TOBIAS }).update({ verified_at: new Date() });
  });

  it('waits until later, and can be taken back until it leaves', async () => {
    const draft = await begin({ how: 'new', fileId: client.fileId });
    await save(draft, { subject: 'For Monday', body: words('Good morning') });
    const at = new Date(Date.now() + 3600_000).toISOString();
    const kept = await call('post', `/drafts/${draft.id}/send`).send({ version: 2, at });
    expect(kept.body).to.deep.equal({ leavesAt: at, words: 'Kept for later' });
    await worker.work();
    expect((await sent(draft.id)).state).to.equal('waiting');
    expect((await save({ ...draft, version: 2 }, { subject: 'Changed' })).status).to.equal(409);
    expect((await call('post', `/drafts/${draft.id}/recall`)).status).to.equal(204);
    expect(await firm.db('dispatch').where({ draft_id: draft.id })).to.deep.equal([]);
    expect((await save({ ...draft, version: 2 }, { subject: 'Changed' })).status).to.equal(200);
    await call('post', `/drafts/${draft.id}/send`).send({ version: 3 });
    await leave(draft.id);
    expect((await call('post', `/drafts/${draft.id}/recall`)).body.message).to.contain('has left already');
  });

  it('encloses files, from the desk and from the client, and hands a message on with its own', async () => {
    const draft = await begin({ how: 'new', fileId: client.fileId });
    const enclosed = await call(
      'post',
      `/drafts/${draft.id}/enclosures?filename=a%2Fb%0D%0Aplan.json&type=application/json`,
    )
      .set('Content-Type', 'application/json')
      .send('{"metres":200}');
    expect(enclosed.status).to.equal(204);
    const large = await call('post', `/drafts/${draft.id}/enclosures?filename=large.bin`)
      .set('Content-Type', 'application/octet-stream')
      .send(Buffer.alloc(25 * 1024 * 1024 + 1));
    expect([large.status, large.body.message]).to.deep.equal([
      413,
      'Together the enclosures are larger than 25 MB, which most mail servers refuse.',
    ]);
    await save(draft, { subject: 'The plan', body: words('Enclosed.') });
    await call('post', `/drafts/${draft.id}/send`).send({ version: 2 });
    const dispatch = await leave(draft.id);
    const read = await readMessage(await readRaw(firm.db, dispatch.raw_hash!));
    expect(
      read.enclosures.map((part) => [part.filename, Buffer.from(part.content).toString()]),
    ).to.deep.equal([['a b  plan.json', '{"metres":200}']]);
    const documents = await call('get', '/documents').query({ fileId: client.fileId, q: 'plan' });
    const [document] = documents.body.rows;
    expect(document.filename).to.equal('a b  plan.json');
    const next = await begin({ how: 'forward', messageId: dispatch.logged_message_id });
    expect(next.subject).to.equal('Fwd: The plan');
    expect(next.quoted).to.contain('Forwarded message').and.to.contain('Enclosed.');
    expect(next.enclosures.map((each) => each.filename)).to.deep.equal(['a b  plan.json']);
    await call('delete', `/drafts/${next.id}/enclosures/${next.enclosures[0]?.id}`);
    await call('post', `/drafts/${next.id}/enclosures/document`).send({ documentId: document.id });
    const again = (await call('get', `/drafts/${next.id}`)).body as DraftView;
    expect(again.enclosures.map((each) => each.size)).to.deep.equal([14]);
  });

  it('lays drafts into the mailbox’s Drafts, in their latest version, and takes them away again', async () => {
    const drafts = firm.world.account(TOBIAS)!.folder('Drafts')!;
    const draft = await begin({ how: 'new', fileId: client.fileId });
    const id = (await one(firm.db('draft').where({ id: draft.id }).first())).message_id;
    const mirror = async () => {
      await firm
        .db('draft')
        .where({ id: draft.id })
        .update({ saved_at: new Date(Date.now() - 60_000) });
      await syncTobias();
      return drafts.withMessageId(id).map((uid) => drafts.read(drafts.find(uid)!).toString());
    };
    await save(draft, { subject: 'Begun' });
    expect((await mirror()).map((raw) => /^Subject: (.*)$/m.exec(raw)?.[1]?.trim())).to.deep.equal(['Begun']);
    await save({ ...draft, version: 2 }, { subject: 'Begun again' });
    expect((await mirror()).map((raw) => /^Subject: (.*)$/m.exec(raw)?.[1]?.trim())).to.deep.equal([
      'Begun again',
    ]);
    await call('post', `/drafts/${draft.id}/send`).send({ version: 3 });
    await leave(draft.id);
    expect(await mirror()).to.deep.equal([]);
    // A draft that is being written is no correspondence.
    expect((await one(firm.db('message').where({ message_id: id }).first())).direction).to.equal('sent');
  });

  it('tells which of several were refused while the others were reached', async () => {
    const unknown = 'no.such.person@nowhere.example';
    const draft = await begin({ how: 'new', fileId: client.fileId });
    await save(draft, {
      subject: 'To both',
      people: {
        to: [
          { name: '', email: client.email },
          { name: '', email: unknown },
        ],
        cc: [],
        bcc: [],
      },
    });
    await call('post', `/drafts/${draft.id}/send`).send({ version: 2 });
    const dispatch = await leave(draft.id);
    expect(dispatch).to.include({ state: 'sent', refused: unknown });
    const row = (await call('get', '/drafts')).body.find((each: { id: number }) => each.id === draft.id);
    expect(row.problem).to.equal(`Left, but refused for ${unknown}`);
  });

  it('finds people by file, role and name, facts and wordings for the file', async () => {
    const onFile = await call('get', `/correspondents?file=${client.fileId}`);
    expect(onFile.body[0]).to.include({ onFile: true });
    expect(onFile.body.map((each: { email: string }) => each.email)).to.include(client.email);
    const named = await call('get', `/correspondents?q=${client.email.slice(0, 5)}`);
    expect(named.body.map((each: { email: string }) => each.email)).to.include(client.email);
    const facts = await call('get', `/facts?file=${client.fileId}`);
    expect(facts.body.find((each: { key: string }) => each.key === 'file.number').value).to.equal(
      client.number,
    );
    const wordings = await call('get', `/wordings?file=${client.fileId}`);
    const reference = wordings.body.find((each: { name: string }) => each.name === 'Our reference');
    expect(JSON.stringify(reference.body)).to.contain(client.number);
    const without = await call('get', '/wordings');
    expect(without.body.find((each: { name: string }) => each.name === 'Our reference').missing).to.include(
      'File number',
    );
    const kept = { kind: 'paragraph', name: 'Kept by a test', body: words('As it stands.') };
    expect((await call('post', '/wordings').send(kept)).status).to.equal(200);
    expect((await call('post', '/wordings').send(kept)).body.field).to.equal('name');
  });

  it('lets a person without a file be found by what is written to them', async () => {
    const draft = await begin({ how: 'new' });
    await save(draft, {
      subject: `${client.number}: without a file chosen`,
      people: { to: [{ name: '', email: client.email }], cc: [], bcc: [] },
      body: words('Found by its number.'),
    });
    await call('post', `/drafts/${draft.id}/send`).send({ version: 2 });
    const dispatch = await leave(draft.id);
    expect(
      await firm.db('filing').where('message_id', dispatch.logged_message_id).pluck('file_id'),
    ).to.deep.equal([client.fileId]);
  });

  it('takes in what was written elsewhere from Sent', async () => {
    const raw = rawMessage(
      {
        From: `Tobias Fenn <${TOBIAS}>`,
        To: client.email,
        Subject: `${client.number}: from the telephone`,
        'Message-ID': '<phone@quillhurst.example>',
        Date: new Date().toUTCString(),
      },
      'On my way.',
    );
    firm.world.account(TOBIAS)!.folder('Sent')!.append(raw, ['\\Seen'], new Date());
    await syncTobias();
    const row = await firm.db('message').where({ message_id: 'phone@quillhurst.example' }).first();
    expect(row).to.include({ direction: 'sent', state: 'logged' });
  });
});
