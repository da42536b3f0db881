import { LEDGER } from '../../server/parts.ts';
import { countOf } from '../../server/foundation/rows.ts';
import { expect } from 'chai';
import request from 'supertest';
import type { MailPage, ShownMailbox } from '../../contract/index.ts';
import { DEMO_PASSWORD } from '../../demo/load.ts';
import { webApp } from '../../server/http/app.ts';
import { guessAccess, verifyMailbox } from '../../server/mailbox/accounts/connect.ts';
import { MailboxSync } from '../../server/mailbox/sync/sync.ts';
import { mailboxStatuses } from '../../server/mailbox/accounts/status.ts';
import { deliver, MANAGER, openFirm, type TestFirm, one } from './helpers.ts';

const INES = 'ines.calder@quillhurst.example';
const OFFICE = 'office@quillhurst.example';

describe('the mail at hand', () => {
  let firm: TestFirm;
  let app: ReturnType<typeof webApp>;
  const cookies = new Map<string, string>();
  async function as(name: string) {
    if (!cookies.has(name)) {
      const response = await request(app)
        .post('/api/session')
        .send({ email: `${name}@quillhurst.example`, password: DEMO_PASSWORD });
      cookies.set(name, String(response.headers['set-cookie']?.[0]).split(';')[0] ?? '');
    }
    const cookie = cookies.get(name) ?? '';
    return (method: 'get' | 'post' | 'put' | 'delete', path: string) =>
      request(app)[method](`/api${path}`).set('Cookie', cookie);
  }
  const page = async (name: string, query = '') =>
    (await (await as(name))('get', `/mail?${query}`)).body as MailPage;
  const subjects = async (name: string, query = '') =>
    (await page(name, query)).rows.map((row) => row.subject);
  const sync = async (address: string) =>
    new MailboxSync(firm.context, await one(firm.db('mailbox').where({ address }).first())).runOnce();
  const box = async (address: string) =>
    Number((await one(firm.db('mailbox').where({ address }).first('id'))).id);
  before(async () => {
    firm = await openFirm({ clients: 20, files: 36, conversationsPerClient: 2 });
    await firm.sync();
    app = webApp(firm.context, LEDGER);
  });
  after(() => firm.close());

  it('shows each person the mailboxes they may look into, and no others', async () => {
    const boxes = async (name: string) =>
      ((await (await as(name))('get', '/mail/boxes')).body as ShownMailbox[]).map(
        (each) => `${each.name}${each.mayWrite ? '' : ' (read)'}`,
      );
    expect(await boxes('ines.calder')).to.deep.equal(['Ines Calder', 'The office']);
    expect(await boxes('petra.lund')).to.deep.equal([
      'Tobias Fenn (read)',
      'Ines Calder (read)',
      'Rufus Adair (read)',
      'Petra Lund',
      'The office',
    ]);
    const tobias = await box('tobias.fenn@quillhurst.example');
    // A mailbox that is not theirs stays closed, however it is asked for.
    expect(await page('ines.calder', `boxes=${tobias}`)).to.deep.equal({ rows: [], next: null });
    const folder = await one(firm.db('folder').where({ mailbox_id: tobias, role: 'inbox' }).first('id'));
    expect((await (await as('ines.calder'))('get', `/mail?folder=${folder.id}`)).status).to.equal(404);
  });

  it('pages through everything, newest first, each message once', async () => {
    const seen: number[] = [];
    let last = Infinity;
    for (let after: string | null = ''; after !== null;) {
      const now: MailPage = await page(
        'maren.okell',
        `limit=37${after ? `&after=${encodeURIComponent(after)}` : ''}`,
      );
      for (const row of now.rows) {
        expect(Date.parse(row.at)).to.be.at.most(last);
        last = Date.parse(row.at);
        seen.push(row.id);
      }
      after = now.next;
    }
    expect(new Set(seen).size).to.equal(seen.length);
    const shown = firm
      .db('message_copy')
      .join('folder', 'folder.id', 'shown_in')
      .whereNotIn('role', ['trash', 'drafts', 'junk']);
    expect(seen.length).to.equal(await countOf(shown, 'message_copy.message_id'));
  });

  it('narrows to client mail, unread, starred, owed, enclosures, a folder, a file, days', async () => {
    deliver(firm, INES, 'n1@x.example', { flags: ['\\Flagged'], headers: { Subject: 'Starred one' } });
    deliver(firm, INES, 'n2@x.example', {
      flags: ['\\Seen'],
      headers: { Subject: 'Read one' },
      text: 'Could you ring?',
    });
    await sync(INES);
    expect(await subjects('ines.calder', 'view=starred')).to.deep.equal(['Starred one']);
    expect(await subjects('ines.calder', 'view=unread&limit=200'))
      .to.include('Starred one')
      .and.not.include('Read one');
    for (const row of (await page('ines.calder', 'view=client')).rows)
      expect(row.state).to.be.oneOf(['logged', 'suggested']);
    for (const row of (await page('ines.calder', 'view=enclosures')).rows)
      expect(row.enclosures).to.be.greaterThan(0);
    const owed = (await page('ines.calder', 'view=owed&limit=200')).rows;
    expect(owed.map((row) => row.subject)).to.include('Read one');
    expect(owed.every((row) => row.waits)).to.equal(true);
    const sentFolder = await one(
      firm
        .db('folder')
        .where({ mailbox_id: await box(INES), role: 'sent' })
        .first('id'),
    );
    const sent = (await page('ines.calder', `folder=${sentFolder.id}&limit=200`)).rows;
    expect(sent.every((row) => row.direction !== 'received')).to.equal(true);
    const file = await one(firm.db('filing').first('file_id'));
    for (const row of (await page('maren.okell', `file=${file.file_id}`)).rows)
      expect(row.files.map((each) => each.id)).to.include(file.file_id);
    const day = new Date(Date.now() - 40 * 24 * 3600_000).toISOString().slice(0, 10);
    const until = (await page('maren.okell', `until=${day}&limit=5`)).rows;
    expect(until.every((row) => row.at.slice(0, 10) <= day)).to.equal(true);
  });

  it('finds words, people and file numbers at once, only in mailboxes one may see', async () => {
    deliver(firm, INES, 's1@x.example', {
      headers: { Subject: 'Übung am Fluß', From: 'Wilhelmina Quist <quist@fern.example>' },
      text: 'The halberd stands behind the granary.',
    });
    await sync(INES);
    for (const words of [
      'halberd',
      'granar',
      'quist@fern.example',
      'wilhelmina halberd',
      '"behind the granary"',
      'ubung',
    ])
      expect(await subjects('ines.calder', `q=${encodeURIComponent(words)}`), words).to.deep.equal([
        'Übung am Fluß',
      ]);
    expect(await subjects('ines.calder', 'q=halberd+teapot')).to.deep.equal([]);
    expect(await subjects('rufus.adair', 'q=halberd')).to.deep.equal([]);
    for (const signs of ['+-*"()~<>@', "' OR 1=1", '%', 'halberd*)('])
      expect(
        (await (await as('ines.calder'))('get', `/mail?q=${encodeURIComponent(signs)}`)).status,
        signs,
      ).to.equal(200);
    const { number } = await firm.db('filing').join('file', 'file.id', 'file_id').first('number');
    expect((await page('maren.okell', `q=${number}`)).rows.length).to.be.greaterThan(0);
  });

  it('shows nobody else what is private', async () => {
    deliver(firm, INES, 'p1@x.example', { headers: { Subject: 'Of my own' } });
    await sync(INES);
    const row = await one(firm.db('message').where({ message_id: 'p1@x.example' }).first('id'));
    expect(await subjects('petra.lund')).to.include('Of my own');
    await firm.db('message').where({ id: row.id }).update({ state: 'private' });
    expect(await subjects('petra.lund')).to.not.include('Of my own');
    expect(await subjects('ines.calder')).to.include('Of my own');
  });

  it('lets those who may only read change nothing', async () => {
    const rows = (await page('petra.lund', `boxes=${await box(INES)}`)).rows;
    const response = await (
      await as('petra.lund')
    )('post', '/mail/acts').send({
      messageIds: [rows[0]?.id],
      act: { kind: 'throw away' },
    });
    expect(response.status).to.equal(403);
  });

  it('does things in the mailboxes named only, and puts back in each what was thrown away in several', async () => {
    const id = 'several@x.example';
    const tobias = 'tobias.fenn@quillhurst.example';
    for (const to of [INES, tobias]) {
      const headers = { To: `${INES}, ${tobias}`, Date: 'Mon, 2 Nov 2026 10:00:00 +0000' };
      deliver(firm, to, id, { headers });
      await sync(to);
    }
    const act = await as('maren.okell');
    const { id: messageId } = await one(firm.db('message').where({ message_id: id }).first('id'));
    const places = () =>
      firm
        .db('message_copy')
        .join('folder', 'folder.id', 'shown_in')
        .where({ message_id: messageId })
        .orderBy('mailbox_id')
        .select('path', 'seen');
    const read = { messageIds: [messageId], boxes: [await box(INES)], act: { kind: 'read', on: true } };
    await act('post', '/mail/acts').send(read);
    expect((await places()).map((place) => place.seen).sort()).to.deep.equal([0, 1]);
    const thrown = { messageIds: [messageId], act: { kind: 'throw away' } };
    const { moved } = (await act('post', '/mail/acts').send(thrown)).body;
    expect((await places()).map((place) => place.path)).to.deep.equal(['Trash', 'Trash']);
    const back = { messageIds: [messageId], act: { kind: 'put back', copies: moved } };
    await act('post', '/mail/acts').send(back);
    expect((await places()).map((place) => place.path)).to.deep.equal(['INBOX', 'INBOX']);
  });

  it('tells who deals with what in a shared mailbox', async () => {
    deliver(firm, OFFICE, 'o1@x.example', { headers: { Subject: 'To the office' } });
    await sync(OFFICE);
    const [row] = (await page('rufus.adair', `boxes=${await box(OFFICE)}`)).rows;
    const act = (on: boolean) => ({ messageIds: [row?.id], act: { kind: 'deal with', on } });
    await (await as('rufus.adair'))('post', '/mail/acts').send(act(true));
    expect((await page('petra.lund', `boxes=${await box(OFFICE)}`)).rows[0]?.handler).to.equal('Rufus Adair');
    await (await as('petra.lund'))('post', '/mail/acts').send(act(false));
    expect((await page('petra.lund', `boxes=${await box(OFFICE)}`)).rows[0]?.handler).to.equal(null);
  });

  it('looks on the server for what is not here', async () => {
    const folder = firm.world.account(INES)!.create('Attic');
    await sync(INES);
    await firm.db('mailbox').where({ address: INES }).update({ take_from: '2026-01-01' });
    deliver(firm, INES, 'attic@x.example', {
      folder: 'Attic',
      headers: { Subject: 'In the attic' },
      text: 'the astrolabe',
    });
    Object.assign(folder.messages[0]!, { internalDate: new Date('2019-05-05T10:00:00Z') });
    // As if it had been too old to be taken in.
    const row = await one(firm.db('folder').where({ path: 'Attic' }).first('id'));
    await firm.db('folder').where({ id: row.id }).update({ next_uid: folder.uidNext, history_uid: 1 });
    await sync(INES);
    expect(await subjects('ines.calder', 'q=astrolabe')).to.deep.equal([]);
    const looked = await (await as('ines.calder'))('post', '/mail/on-server').send({ q: 'astrolabe' });
    expect(looked.body).to.deep.equal({ found: 1, problems: [] });
    expect(await subjects('ines.calder', 'q=astrolabe')).to.deep.equal(['In the attic']);
    await firm.db('mailbox').where({ address: INES }).update({ take_from: null });
  });

  it('knows who owes an answer, by client and in all, until somebody says that none is needed', async () => {
    const filing = await firm
      .db('filing')
      .join('message', 'message.id', 'filing.message_id')
      .join('file', 'file.id', 'filing.file_id')
      .where({ state: 'logged' })
      .whereNotNull('waits')
      .where('message.at', '>', new Date(Date.now() - 100 * 24 * 3600_000))
      .first('filing.message_id', 'filing.client_id', 'waits');
    const ask = await as('maren.okell');
    const of = async () =>
      (
        (await ask('get', `/owing?clientId=${filing.client_id}&limit=200`)).body as { messageId: number }[]
      ).map((each) => each.messageId);
    expect(await of()).to.include(filing.message_id);
    const before = (await ask('get', '/today')).body.owing;
    await ask('post', `/messages/${filing.message_id}/answer`).send({ needs: false });
    expect(await of()).to.not.include(filing.message_id);
    const after = (await ask('get', '/today')).body.owing;
    expect(after[filing.waits]).to.equal(before[filing.waits] - 1);
    await ask('post', `/messages/${filing.message_id}/answer`).send({ needs: true });
    expect(await of()).to.include(filing.message_id);
  });

  it('asks growing tables through their keys', async () => {
    const queries: string[] = [];
    const note = ({ sql, bindings }: { sql: string; bindings: readonly unknown[] }) => {
      if (/^select `message`\.`id`|^select `id`, `conversation_id`, `waits`/i.test(sql.trim()))
        queries.push(firm.db.raw(sql, bindings as string[]).toString());
    };
    firm.db.on('query', note);
    for (const query of ['', 'view=unread', 'view=starred', 'view=owed', 'q=orchard'])
      await page('maren.okell', query);
    await (
      await as('maren.okell')
    )('get', '/owing?who=we');
    firm.db.removeListener('query', note);
    expect(queries.length).to.be.at.least(5);
    for (const query of queries) {
      const [plan] = (await firm.db.raw(`EXPLAIN ${query}`)) as [
        { table: string; type: string; key: string | null }[],
      ];
      for (const step of plan)
        expect(`${step.table} ${step.type}`, `${query}\n${JSON.stringify(plan)}`).to.not.match(
          /^(?:message|message_copy|raw_words|filing) ALL$/,
        );
    }
  });
});

describe('connecting a mailbox', () => {
  let firm: TestFirm;
  let app: ReturnType<typeof webApp>;
  let maren: string;
  let ines: string;
  const call = (cookie: string, method: 'get' | 'post' | 'put' | 'delete', path: string) =>
    request(app)[method](`/api${path}`).set('Cookie', cookie);
  const access = () => ({
    imapHost: '127.0.0.1',
    imapPort: firm.world.imapPort,
    imapSecurity: 'none',
    smtpHost: '127.0.0.1',
    smtpPort: firm.world.smtpPort,
    smtpSecurity: 'none',
    user: INES,
  });
  before(async () => {
    firm = await openFirm({ clients: 6, files: 8, conversationsPerClient: 0.5 });
    app = webApp(firm.context, LEDGER);
    const signIn = async (name: string) =>
      String(
        (
          await request(app)
            .post('/api/session')
            .send({ email: `${name}@quillhurst.example`, password: DEMO_PASSWORD })
        ).headers['set-cookie']?.[0],
      ).split(';')[0] ?? '';
    maren = await signIn('maren.okell');
    ines = await signIn('ines.calder');
  });
  after(() => firm.close());

  it('guesses the ways in from what DNS says, protected ones first, or from what is usual', async () => {
    const records: Record<string, { name: string; port: number; priority: number }[]> = {
      '_imaps._tcp.told.example': [
        { name: 'spare.told.example', port: 9993, priority: 20 },
        { name: 'mail.told.example', port: 993, priority: 10 },
      ],
      '_imap._tcp.told.example': [{ name: 'mail.told.example', port: 143, priority: 0 }],
      '_submission._tcp.told.example': [{ name: 'out.told.example', port: 587, priority: 0 }],
      // RFC 2782: a single "." says that there is none.
      '_submissions._tcp.told.example': [{ name: '.', port: 0, priority: 0 }],
    };
    const ask = async (name: string) => {
      const found = records[name];
      if (!found) throw new Error('ENOTFOUND');
      return found;
    };
    expect((await guessAccess('ann@told.example', ask)).access).to.deep.equal({
      imapHost: 'mail.told.example',
      imapPort: 993,
      imapSecurity: 'tls',
      smtpHost: 'out.told.example',
      smtpPort: 587,
      smtpSecurity: 'starttls',
      user: 'ann@told.example',
    });
    const usual = await guessAccess('ann@silent.example', ask);
    expect(usual.access).to.include({ imapHost: 'imap.silent.example', imapPort: 993, smtpPort: 465 });
    expect(usual.words).to.contain('does not say');
  });

  it('tries each step and says in words what is wrong', async () => {
    // Ports that nobody is known at are the office manager's to look at.
    expect(
      (
        await call(ines, 'post', '/mailboxes/try').send({
          access: { ...access(), imapPort: 1 },
          password: 'x',
          step: 'incoming',
        })
      ).status,
    ).to.equal(403);
    const attempt = async (step: string, change: object, password = 'mail-ines.calder') =>
      (
        await call(maren, 'post', '/mailboxes/try').send({
          access: { ...access(), ...change },
          password,
          step,
        })
      ).body;
    expect(await attempt('incoming', {})).to.include({ ok: true });
    expect((await attempt('incoming', {})).words).to.match(
      /^Signed in\. [\d,]+ messages lie in 6 folders\.$/,
    );
    expect(await attempt('outgoing', {})).to.include({ ok: true });
    expect(await attempt('incoming', {}, 'wrong')).to.include({
      ok: false,
      words: 'The password was refused.',
    });
    expect(await attempt('outgoing', {}, 'wrong')).to.include({
      ok: false,
      words: 'The password was refused.',
    });
    expect(await attempt('incoming', { imapPort: 1 })).to.include({
      words: 'The mail server does not answer at that port.',
    });
    expect(await attempt('outgoing', { smtpPort: 1 })).to.include({
      words: 'The mail server does not answer at that port.',
    });
    expect(await attempt('outgoing', { smtpHost: 'smtp.nowhere.invalid', smtpSecurity: 'tls' })).to.include({
      ok: false,
    });
    expect(await attempt('incoming', { imapSecurity: 'tls' })).to.include({ ok: false });
    expect(await attempt('incoming', { imapHost: 'mail.far.example' })).to.include({
      words: 'A connection without protection is allowed on this machine itself only.',
    });
  });

  it('connects, verifies by a message to itself that leaves no trace, and seals the password', async () => {
    await firm.db('mailbox_colleague').delete();
    await firm.db('mailbox').where({ address: INES }).delete();
    const made = await call(ines, 'post', '/mailboxes').send({
      address: INES,
      name: '',
      access: access(),
      password: 'mail-ines.calder',
      skipped: ['Archive'],
    });
    expect(made.status, JSON.stringify(made.body)).to.equal(200);
    const row = await one(firm.db('mailbox').where({ id: made.body.id }).first());
    expect(row).to.include({ verified_at: null, name: 'Ines Calder' });
    expect(row.sealed_password.toString('latin1')).to.not.contain('mail-ines');
    const before = firm.world.account(INES)!.folder('INBOX')!.messages.length;
    const verified = await call(ines, 'post', `/mailboxes/${made.body.id}/verify`);
    expect(verified.body).to.deep.equal({
      ok: true,
      words: 'Verified: a test message went out and came back.',
    });
    expect(firm.world.account(INES)!.folder('INBOX')!.messages.length).to.equal(before);
    await new MailboxSync(firm.context, row).runOnce();
    const [status] = (await mailboxStatuses(firm.db, { ...MANAGER, id: 3 })).filter(
      (each) => each.id === made.body.id,
    );
    expect(status?.folders.map((folder) => folder.path)).to.not.include('Archive');
    expect(status?.verifiedAt).to.be.a('string');
    const twice = await call(ines, 'post', '/mailboxes').send({
      address: INES,
      name: '',
      access: access(),
      password: 'x',
    });
    expect([twice.status, twice.body.field]).to.deep.equal([409, 'address']);
  });

  it('says what kept a mailbox from being verified', async () => {
    const row = await one(firm.db('mailbox').where({ address: INES }).first());
    const wrong = await verifyMailbox(firm.context, { ...row, smtp_port: 1 });
    expect(wrong.ok).to.equal(false);
    expect(wrong.words).to.contain('could not leave');
  });

  it('lets only its owner and the manager change it, and forgets what is verified with a new way in', async () => {
    const { id } = await one(firm.db('mailbox').where({ address: INES }).first('id'));
    const other = await one(
      firm.db('mailbox').where({ address: 'rufus.adair@quillhurst.example' }).first('id'),
    );
    expect((await call(ines, 'get', `/mailboxes/${other.id}`)).status).to.equal(403);
    expect((await call(ines, 'put', `/mailboxes/${id}`).send({ shared: true })).status).to.equal(403);
    const settings = (await call(maren, 'get', `/mailboxes/${id}`)).body;
    expect(settings.access).to.include({ imapHost: '127.0.0.1' });
    expect(JSON.stringify(settings)).to.not.contain('mail-ines');
    await call(maren, 'put', `/mailboxes/${id}`).send({
      colleagues: [{ staffId: 5, may: 'read' }],
      paused: true,
    });
    expect((await mailboxStatuses(firm.db, MANAGER)).find((each) => each.id === id)?.state).to.equal(
      'paused',
    );
    await call(maren, 'put', `/mailboxes/${id}`).send({ paused: false, password: 'mail-ines.calder' });
    expect((await call(maren, 'get', `/mailboxes/${id}`)).body).to.deep.include({
      verifiedAt: null,
      pausedAt: null,
      colleagues: [{ staffId: 5, may: 'read' }],
    });
  });

  it('forgets a folder that is not to be read, and reads it again when it is', async () => {
    const { id } = await one(firm.db('mailbox').where({ address: INES }).first('id'));
    const sent = await one(firm.db('folder').where({ mailbox_id: id, role: 'sent' }).first('id'));
    const copies = async () => await countOf(firm.db('message_copy').where({ folder_id: sent.id }));
    const before = await copies();
    expect(before).to.be.greaterThan(0);
    const messages = await countOf(firm.db('message'));
    await call(ines, 'put', `/mailboxes/${id}`).send({ skippedFolders: [sent.id] });
    await new MailboxSync(firm.context, await one(firm.db('mailbox').where({ id }).first())).runOnce();
    expect(await copies()).to.equal(0);
    await call(ines, 'put', `/mailboxes/${id}`).send({ skippedFolders: [] });
    await new MailboxSync(firm.context, await one(firm.db('mailbox').where({ id }).first())).runOnce();
    expect(await copies()).to.equal(before);
    expect(await countOf(firm.db('message'))).to.equal(messages);
  });

  it('files what is copied to the filing address, openly or hidden, and never sets it aside', async () => {
    const call1 = (address: string) => call(maren, 'put', '/filing-address').send({ address });
    expect((await call(ines, 'put', '/filing-address').send({ address: OFFICE })).status).to.equal(403);
    expect((await call1('nobody@far.example')).body.field).to.equal('address');
    expect((await call1('office+keep@quillhurst.example')).status).to.equal(204);
    const { number } = await one(firm.db('file').where({ general: 0 }).whereNull('closed').first('number'));
    const list = { 'List-Id': '<news.x.example>', Precedence: 'bulk' };
    deliver(firm, OFFICE, 'plain@x.example', { headers: list });
    deliver(firm, OFFICE, 'open@x.example', { headers: { ...list, Cc: 'office+keep@quillhurst.example' } });
    deliver(firm, OFFICE, 'hidden@x.example', {
      headers: { ...list, 'Delivered-To': 'office+keep@quillhurst.example', Subject: `Plans for ${number}` },
    });
    await new MailboxSync(
      firm.context,
      await one(firm.db('mailbox').where({ address: OFFICE }).first()),
    ).runOnce();
    const state = async (id: string) =>
      (await one(firm.db('message').where({ message_id: id }).first('state'))).state;
    expect(await state('plain@x.example')).to.equal('aside');
    expect(await state('open@x.example')).to.equal('suggested');
    expect(await state('hidden@x.example')).to.be.oneOf(['suggested', 'logged']);
  });

  it('disconnects, keeping what is logged and removing the rest only when asked to', async () => {
    const { id } = await one(firm.db('mailbox').where({ address: INES }).first('id'));
    const logged = await countOf(firm.db('message').where({ state: 'logged' }));
    const { neverLogged } = (await call(ines, 'get', `/mailboxes/${id}`)).body;
    const all = await countOf(firm.db('message'));
    expect((await call(ines, 'delete', `/mailboxes/${id}?remove=1`)).status).to.equal(204);
    expect(await countOf(firm.db('message').where({ state: 'logged' }))).to.equal(logged);
    expect(await countOf(firm.db('message'))).to.equal(all - neverLogged);
    expect((await mailboxStatuses(firm.db, MANAGER)).map((each) => each.id)).to.not.include(id);
    expect((await call(ines, 'get', `/mailboxes/${id}`)).status).to.equal(404);
    const again = await call(ines, 'post', '/mailboxes').send({
      address: INES,
      name: 'Back again',
      access: access(),
      password: 'mail-ines.calder',
    });
    expect(again.body.id).to.equal(id);
  });
});
