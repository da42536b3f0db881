import { AT_ONCE } from '../../contract/index.ts';
import { LEDGER } from '../../server/parts.ts';
import { selectionOf } from '../../core/selection/tree.ts';
import { createServer, type Server } from 'node:net';
import type { AddressInfo } from 'node:net';
import { readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { expect } from 'chai';
import type { Express } from 'express';
import request from 'supertest';
import type { MessageState } from '../../contract/index.ts';
import { RIGHTS, type Right } from '../../contract/rights.ts';
import { DEMO_PASSWORD } from '../../demo/load.ts';
import type { AppContext } from '../../server/foundation/context.ts';
import { webApp } from '../../server/http/app.ts';
import { clientRoutes } from '../../server/http/client/routes.ts';
import { DispatchWorker } from '../../server/dispatch/worker.ts';
import { safeHtml } from '../../server/security/html.ts';
import { openDatabase } from '../../server/foundation/database.ts';
import { deliver, mariadbFolder, noteOn, openFirm, type TestFirm, one } from './helpers.ts';
import { outgoing } from '../../server/parts.ts';
import { connectionProblem } from '../../server/mailserver/problem.ts';
import { isLoopback, isPrivate } from '../../server/mailserver/networks.ts';

const ROLES = { manager: 'maren.okell', adviser: 'tobias.fenn', assistant: 'petra.lund' } as const;
type Role = keyof typeof ROLES;

/** Which right each change asks for; null for what hangs on whose it is, or is everybody's. */
const ASKED: Record<string, Right | null> = {
  'POST /session': null,
  'DELETE /session': null,
  'PUT /session/password': null,
  'DELETE /session/everywhere': null,
  'POST /sorting': 'sort mail',
  'POST /sorting/steps/:id/undo': 'sort mail',
  'POST /messages/:id/read-again': 'sort mail',
  'POST /messages/:id/part': 'sort mail',
  'POST /messages/:id/join': 'sort mail',
  'POST /filing/rules/try': null,
  'POST /filing/rules': 'make rules',
  'DELETE /filing/rules/:id': 'make rules',
  'PUT /filing/unconnected': 'make rules',
  'PUT /upkeep/right': 'change the records',
  'POST /doubles/:id/two': 'merge records',
  'DELETE /doubles/:id/two': 'merge records',
  'POST /merges': 'merge records',
  'POST /merges/:id/undo': 'merge records',
  'POST /timeline': 'keep the timeline',
  'PUT /timeline/:id': 'keep the timeline',
  'DELETE /timeline/:id': 'keep the timeline',
  'POST /timeline/:id/restore': 'keep the timeline',
  'POST /timeline/:id/seen': null,
  'POST /messages/:id/invitations/:index': 'keep the timeline',
  'POST /orders': 'keep orders',
  'POST /orders/tried': 'keep orders',
  'POST /orders/prepared': 'write messages',
  'PUT /orders/:id': 'keep orders',
  'DELETE /orders/:id': 'keep orders',
  'PUT /orders/:id/turn': 'keep orders',
  'PUT /orders/:id/sends': 'let orders send',
  'PUT /orders/:id/held': 'keep orders',
  'POST /reckoning': 'reckon the days',
  'PUT /reckoning/differences/:id': 'reckon the days',
  'PUT /filing/sample': 'sort mail',
  'POST /texts': 'write messages',
  'DELETE /texts/:id': 'write messages',
  'POST /texts/:id/release': 'release mailings',
  'PUT /texts/:id/file': 'sort mail',
  'PUT /texts/:id/answer': 'write messages',
  'PUT /office/gateway': 'run the office',
  'DELETE /office/gateway': 'run the office',
  'POST /clients/:id/pages/items': 'keep documents',
  'POST /clients/:id/pages/wanted': 'keep documents',
  'POST /clients/:id/pages/:person/link': 'keep documents',
  'POST /clients/:id/pages/:person/letter': 'write messages',
  'PUT /clients/:id/pages/:person': 'keep documents',
  'PUT /collection/items/:id': 'keep documents',
  'PUT /collection/wanted/:id': 'keep documents',
  'PUT /collection/uploads/:id': 'keep documents',
  'PUT /collection/lines/:id/answer': 'write messages',
  'POST /tasks': 'leave tasks',
  'PUT /tasks/:id': 'leave tasks',
  'PUT /tasks/:id/done': 'leave tasks',
  'DELETE /tasks/:id': 'leave tasks',
  'POST /tasks/:id/restore': 'leave tasks',
  'POST /mail/acts': null,
  'POST /mail/on-server': null,
  'POST /messages/:id/answer': null,
  'PUT /filing-address': 'set the filing address',
  'POST /mailboxes/guess': null,
  'POST /mailboxes/try': null,
  'POST /mailboxes': null,
  'PUT /mailboxes/:id': null,
  'POST /mailboxes/:id/verify': null,
  'POST /mailboxes/:id/bin': null,
  'PUT /mail/undone': null,
  'DELETE /mailboxes/:id': null,
  'POST /mailboxes/:id/retry': 'retry mailboxes',
  'POST /mailings/recipients': null,
  'POST /selections/column': null,
  'POST /selections/rows': null,
  'POST /selections/compared': null,
  'POST /selections': null,
  'PUT /selections/:id': null,
  'DELETE /selections/:id': null,
  'PUT /columns/:list': null,
  'POST /many/preview': 'change many records',
  'POST /many': 'change many records',
  'POST /many/:id/undo': 'change many records',
  'POST /selections/take-out': 'take lists out',
  'POST /clients/:id/fee-notes': 'change the records',
  'PUT /fee-notes/:id': 'change the records',
  'DELETE /fee-notes/:id': 'change the records',
  'POST /mailings': 'prepare mailings',
  'POST /mailings/:id/follow': 'prepare mailings',
  'PUT /mailings/:id': 'prepare mailings',
  'DELETE /mailings/:id': 'prepare mailings',
  'POST /mailings/:id/test': 'prepare mailings',
  'PUT /mailings/:id/copies/:key': 'prepare mailings',
  'DELETE /mailings/:id/copies/:key': 'prepare mailings',
  'POST /mailings/:id/release': 'release mailings',
  'POST /mailings/:id/steer': 'release mailings',
  'POST /mailings/:id/hand-over': 'prepare mailings',
  'POST /mailings/:id/take-back': 'prepare mailings',
  'POST /mailings/timing': null,
  'POST /mailings/:id/enclosures': 'prepare mailings',
  'PUT /mailings/:id/enclosures/own': 'prepare mailings',
  'POST /mailings/:id/enclosures/kept': 'prepare mailings',
  'POST /mailings/:id/enclosures/:enclosure/renew': 'prepare mailings',
  'POST /mailings/:id/presence': 'prepare mailings',
  'DELETE /mailings/:id/enclosures/:enclosure': 'prepare mailings',
  'POST /pictures': 'write messages',
  'POST /mailings/:id/results/take-out': 'take lists out',
  'POST /dispatch/:id/again': 'release mailings',
  'PUT /mailings/:id/timing': 'release mailings',
  'POST /dispatch/:id/settle': 'release mailings',
  'POST /clients': 'add to the records',
  'POST /returned/held': 'settle returns',
  'POST /drafts': 'write messages',
  'PUT /drafts/:id': 'write messages',
  'DELETE /drafts/:id': 'write messages',
  'POST /drafts/:id/restore': 'write messages',
  'POST /drafts/:id/send': 'write messages',
  'POST /drafts/:id/recall': 'write messages',
  'POST /drafts/:id/enclosures': 'write messages',
  'POST /drafts/:id/enclosures/document': 'write messages',
  'POST /files/:id/documents': 'keep documents',
  'POST /paperwork': 'prepare paperwork',
  'PUT /paperwork/:id': 'prepare paperwork',
  'DELETE /paperwork/:id': 'prepare paperwork',
  'POST /paperwork/:id/enclosures/kept': 'prepare paperwork',
  'DELETE /paperwork/:id/enclosures/:enclosure': 'prepare paperwork',
  'POST /paperwork/labels': 'prepare paperwork',
  'POST /paperwork/templates': 'prepare paperwork',
  'PUT /paperwork/templates/:id': 'prepare paperwork',
  'DELETE /paperwork/templates/:id': 'prepare paperwork',
  'POST /paperwork/templates/:id/content': 'prepare paperwork',
  'POST /paperwork/templates/:id/try': 'prepare paperwork',
  'POST /pieces/:id/document': 'prepare paperwork',
  'DELETE /pieces/:id/document': 'prepare paperwork',
  'POST /paperwork/reminders': 'prepare paperwork',
  'POST /paperwork/reminders/words': 'prepare paperwork',
  'PUT /clients/:id/reminding': 'prepare paperwork',
  'PUT /fee-notes/:id/reminding': 'prepare paperwork',
  'POST /fee-notes/:id/reminding/on': 'prepare paperwork',
  'POST /paperwork/:id/make': 'prepare paperwork',
  'POST /paperwork/:id/back': 'prepare paperwork',
  'POST /paperwork/:id/pieces': 'prepare paperwork',
  'PUT /pieces/:id': 'prepare paperwork',
  'POST /pieces/:id/post': 'release paperwork',
  'POST /pieces/:id/again': 'release paperwork',
  'POST /paperwork/packs': 'prepare paperwork',
  'POST /paperwork/packs/:id/tick': 'prepare paperwork',
  'POST /paperwork/:id/release': 'release paperwork',
  'POST /paperwork/paper': 'run the office',
  'PUT /documents/:id': 'keep documents',
  'DELETE /documents/:id': 'keep documents',
  'POST /documents/:id/restore': 'keep documents',
  'POST /documents/:id/copy': 'keep documents',
  'POST /drafts/:id/enclosures/kept': 'write messages',
  'POST /wordings/enclosures': 'keep wordings',
  'POST /wordings/:id/content': 'keep wordings',
  'POST /wordings/:id/content/back': 'keep wordings',
  'DELETE /drafts/:id/enclosures/:enclosure': 'write messages',
  'POST /wordings': 'keep wordings',
  'POST /wordings/tried': 'keep wordings',
  'POST /wordings/frame': 'run the office',
  'PUT /wordings/:id': 'keep wordings',
  'DELETE /wordings/:id': 'keep wordings',
  'POST /session/forgotten': null,
  'POST /session/link': null,
  'PUT /session/link': null,
  'POST /set-up': null,
  'POST /session/second-step/offer': null,
  'PUT /session/second-step': null,
  'POST /session/second-step/codes': null,
  'POST /session/second-step/off': null,
  'PUT /session/signed': null,
  'PUT /session/signature': null,
  'PUT /office/firm': 'run the office',
  'POST /office/numbers/try': 'run the office',
  'PUT /office/lists/:list': 'run the office',
  'PUT /clients/:id': 'change the records',
  'PUT /people/:id': 'change the records',
  'PUT /files/:id': 'change the records',
  'DELETE /files/:id': 'change the records',
  'PUT /opt-outs': 'change the records',
  'POST /clients/:id/people': 'add to the records',
  'POST /clients/:id/files': 'add to the records',
  'POST /history/:id/undo': 'change the records',
  'POST /office/fields': 'run the office',
  'PUT /office/fields': 'run the office',
  'PUT /office/fields/:id': 'run the office',
  'DELETE /office/fields/:id': 'run the office',
  'POST /office/fields/:id/restore': 'run the office',
  'POST /imports': 'bring lists in',
  'PUT /imports/:id': 'bring lists in',
  'DELETE /imports/:id': 'bring lists in',
  'POST /imports/:id/run': 'bring lists in',
  'POST /imports/:id/undo': 'bring lists in',
  'PUT /office/beginning': 'run the office',
  'POST /office/staff': 'run the office',
  'PUT /office/staff/:id': 'run the office',
  'POST /office/staff/:id/link': 'run the office',
  'POST /office/staff/:id/second-step/off': 'run the office',
  'POST /office/staff/:id/leave': 'run the office',
  'POST /office/staff/:id/back': 'run the office',
};

/** What may be read only with a right; all other reading is the staff's. */
const READ_WITH: Record<string, Right> = {
  'GET /office/beginning': 'run the office',
  'GET /office/staff': 'run the office',
  'GET /imports': 'bring lists in',
  'GET /imports/:id': 'bring lists in',
  'GET /imports/:id/rows': 'bring lists in',
  'GET /office/gateway': 'run the office',
  'GET /collection/uploads/:id/content': 'keep documents',
  'GET /collection/uploads/:id/page': 'keep documents',
  'GET /reckoning': 'reckon the days',
  'GET /reckoning/sheet': 'reckon the days',
  'GET /reckoning/:day': 'reckon the days',
};
/** What anybody may ask who is not signed in. */
const OPEN = [
  'POST /session',
  'DELETE /session',
  'POST /session/forgotten',
  'POST /session/link',
  'PUT /session/link',
  'GET /set-up',
  'POST /set-up',
];

interface Layer {
  route?: { path: string; methods: Record<string, boolean> };
  handle?: { stack?: Layer[] };
}

/** Every route of the API, as it stands in the program. */
function routesOf(app: Express): string[] {
  const walk = (stack: readonly Layer[]): string[] =>
    stack.flatMap(({ route, handle }) =>
      route
        ? Object.keys(route.methods).map((method) => `${method.toUpperCase()} ${route.path}`)
        : walk(handle?.stack ?? []),
    );
  // The web app itself, and what strangers reach by a signed link: that has tests of its own.
  const strangers = new Set(walk(clientRoutes({} as AppContext, '').stack as unknown as Layer[]));
  return walk((app as unknown as { router: { stack: Layer[] } }).router.stack).filter(
    (each) => !strangers.has(each) && !/ \/(?:\{\*path\}|out\/)/.test(each),
  );
}

describe('who may do and see what', () => {
  let firm: TestFirm;
  let app: Express;
  const cookies = {} as Record<Role, string>;
  const as = (role: Role, method: string, path: string) =>
    request(app)[method.toLowerCase() as 'get'](`/api${path}`).set('cookie', cookies[role]);
  const filled = (path: string) => path.replace(/:\w+/g, '999999');

  before(async () => {
    firm = await openFirm({ clients: 14, files: 24 });
    await firm.sync();
    app = webApp(firm.context, LEDGER);
    for (const [role, name] of Object.entries(ROLES) as [Role, string][]) {
      const answer = await request(app)
        .post('/api/session')
        .send({ email: `${name}@quillhurst.example`, password: DEMO_PASSWORD });
      cookies[role] = String(answer.headers['set-cookie']?.[0]).split(';')[0] ?? '';
    }
  });
  after(() => firm.close());

  it('is settled for every change there is', () => {
    const changes = routesOf(app).filter((each) => !each.startsWith('GET '));
    expect(changes.sort()).to.deep.equal(Object.keys(ASKED).sort());
  });

  it('lets nobody in who has not signed in', async () => {
    for (const route of routesOf(app)) {
      const [method = '', path = ''] = route.split(' ');
      if (route === 'GET /session') continue;
      const answer = await request(app)[method.toLowerCase() as 'get'](`/api${filled(path)}`);
      expect([route, answer.status === 401]).to.deep.equal([route, !OPEN.includes(route)]);
    }
  });

  it('shows each role what the table lets it read', async () => {
    for (const route of routesOf(app).filter((each) => each.startsWith('GET '))) {
      if (route.includes('/events')) continue;
      for (const role of Object.keys(ROLES) as Role[]) {
        const answer = await as(role, 'get', filled(route.slice(4)));
        const right = READ_WITH[route];
        const may = !right || (RIGHTS[right] as readonly string[]).includes(role);
        expect([route, role, answer.status === 403]).to.deep.equal([route, role, !may]);
      }
    }
  });

  it('refuses each role what the table does not give it, and nothing else', async () => {
    for (const [route, right] of Object.entries(ASKED)) {
      if (!right) continue;
      const [method = '', path = ''] = route.split(' ');
      for (const role of Object.keys(ROLES) as Role[]) {
        const answer = await as(role, method, filled(path)).send({});
        const may = (RIGHTS[right] as readonly string[]).includes(role);
        expect([route, role, answer.status === 403]).to.deep.equal([route, role, !may]);
        expect([route, role, answer.status >= 500]).to.deep.equal([route, role, false]);
      }
    }
  });

  it('answers nonsense with what is wrong, never with a failure of ours', async () => {
    for (const route of routesOf(app)) {
      const [method = '', path = ''] = route.split(' ');
      if (route.includes('/events') || route.includes('/session')) continue;
      for (const id of ['%ff', 'x', '-1', '1e99', '0'])
        expect([
          route,
          id,
          (await as('manager', method, path.replace(/:\w+/g, id))).status < 500,
        ]).to.deep.equal([route, id, true]);
      if (method === 'GET') continue;
      for (const body of [[], { a: 1 }, { messageId: 'x', body: null }])
        expect([route, (await as('manager', method, filled(path)).send(body)).status < 500]).to.deep.equal([
          route,
          true,
        ]);
    }
    for (const origin of ['null', 'garbage', 'http://', 'http://evil.example'])
      expect([
        origin,
        (await as('manager', 'post', '/timeline').set('origin', origin).send({})).status,
      ]).to.deep.equal([origin, 403]);
    const note = { ...noteOn(1, 'x'), messageId: 999_999 };
    expect((await as('manager', 'post', '/timeline').send(note)).status).to.equal(404);
    const deep = JSON.parse(`${'{"type":"doc","content":['.repeat(1000)}${']}'.repeat(1000)}`) as object;
    const draft = (await as('manager', 'post', '/mailings').send({})).body as { id: number };
    const save = {
      version: 1,
      name: 'x',
      selection: selectionOf(),
      topicId: null,
      subject: deep,
      body: deep,
      fileChoice: 'general',
      timing: AT_ONCE,
      optOut: true,
      counted: true,
    };
    expect((await as('manager', 'put', `/mailings/${draft.id}`).send(save)).status).to.equal(400);
  });

  describe('messages', () => {
    /** A message of Rufus's mailbox alone, in the state asked for. */
    async function inRufusBox(id: string, state: MessageState): Promise<number> {
      deliver(firm, 'rufus.adair@quillhurst.example', id, {
        text: `the secret of ${id}`,
        headers: { Subject: `Of ${id}` },
      });
      await firm.sync();
      await firm.db('message').where({ message_id: id }).update({ state, reason: 'rule', decided_by: null });
      return (await one(firm.db('message').where({ message_id: id }).first('id'))).id;
    }
    const seen = async (role: Role, path: string, word: string) =>
      JSON.stringify((await as(role, 'get', path)).body ?? '').includes(word);

    it('that are private are their owner’s alone, everywhere', async () => {
      const id = await inRufusBox('private1@clinic.example', 'private');
      const twin = await inRufusBox('private2@clinic.example', 'private');
      expect(twin).to.be.greaterThan(id);
      for (const role of Object.keys(ROLES) as Role[]) {
        for (const path of ['', '/alike', '/page', '/source', '/enclosures/0', '/enclosures/0/page'])
          expect([role, path, (await as(role, 'get', `/messages/${id}${path}`)).status]).to.deep.equal([
            role,
            path,
            403,
          ]);
        for (const path of [
          '/mail?q=secret',
          '/mail',
          '/sorting',
          '/filing/alone?state=aside',
          '/filing/alone',
          '/today',
          '/returned',
          '/owing',
        ])
          expect([role, path, await seen(role, path, 'private1@')]).to.deep.equal([role, path, false]);
        expect([role, await seen(role, '/mail?q=secret', 'Of private')]).to.deep.equal([role, false]);
      }
      // A report that names it tells nobody what it was about.
      const raw = (await firm.db('message').where({ id }).first()) as { message_id: string };
      expect(raw.message_id).to.equal('private1@clinic.example');
    });

    it('that were set aside are read by whom the mailbox is open to', async () => {
      const id = await inRufusBox('aside1@shop.example', 'aside');
      // The manager and the assistant were let into it; the other adviser was not.
      expect((await as('manager', 'get', `/messages/${id}`)).status).to.equal(200);
      expect((await as('assistant', 'get', `/messages/${id}`)).status).to.equal(200);
      for (const path of ['', '/alike', '/page', '/source'])
        expect([path, (await as('adviser', 'get', `/messages/${id}${path}`)).status]).to.deep.equal([
          path,
          403,
        ]);
      expect(await seen('adviser', '/filing/alone?state=aside', 'Of aside1')).to.equal(false);
      expect(await seen('manager', '/filing/alone?state=aside', 'Of aside1')).to.equal(true);
      const brought = { messageId: id, to: { kind: 'sorting' } };
      expect((await as('adviser', 'post', '/sorting').send(brought)).status).to.equal(403);
    });

    it('are made private by whose mailbox holds them, not once they were on a file, and it is noted', async () => {
      const mine = { to: { kind: 'private' } };
      deliver(firm, 'tobias.fenn@quillhurst.example', 'own@clinic.example');
      await firm.sync();
      const { id } = await one(firm.db('message').where({ message_id: 'own@clinic.example' }).first('id'));
      // Petra may read the mailbox; that does not make its mail hers.
      expect((await as('assistant', 'post', '/sorting').send({ messageId: id, ...mine })).status).to.equal(
        403,
      );
      expect((await as('manager', 'post', '/sorting').send({ messageId: id, ...mine })).status).to.equal(403);
      expect((await as('adviser', 'post', '/sorting').send({ messageId: id, ...mine })).status).to.equal(200);
      expect(await firm.db('audit').where({ action: 'made private', subject_id: id })).to.have.lengthOf(1);
      deliver(firm, 'tobias.fenn@quillhurst.example', 'filed@clinic.example');
      await firm.sync();
      const filed = await one(firm.db('message').where({ message_id: 'filed@clinic.example' }).first('id'));
      const to = (kind: object) => as('adviser', 'post', '/sorting').send({ messageId: filed.id, to: kind });
      expect((await to({ kind: 'files', fileIds: [1] })).status).to.equal(200);
      expect((await to({ kind: 'private' })).status).to.equal(409);
      await to({ kind: 'sorting' });
      expect((await to({ kind: 'private' })).status).to.equal(409);
    });
  });

  describe('mailboxes', () => {
    it('show their folders and counts to whom they are open', async () => {
      const boxes = (await as('adviser', 'get', '/mailboxes')).body as {
        owner: string;
        onServer: number | null;
        folders: object[];
      }[];
      const rufus = boxes.find(({ owner }) => owner === 'Rufus Adair');
      expect([rufus?.onServer, rufus?.folders]).to.deep.equal([null, []]);
      expect(boxes.find(({ owner }) => owner === 'Tobias Fenn')?.folders.length).to.be.greaterThan(3);
    });

    it('give their kept password to no other server than it was saved for', async () => {
      const heard: string[] = [];
      const listener: Server = createServer((socket) => {
        socket.write('* OK ready\r\n');
        socket.on('error', () => undefined).on('data', (bytes) => heard.push(bytes.toString()));
      });
      await new Promise<void>((done) => listener.listen(0, '127.0.0.1', () => done()));
      const { port } = listener.address() as AddressInfo;
      const box = (await as('manager', 'get', '/mailboxes/1')).body as { access: Record<string, unknown> };
      for (const [step, change] of [
        ['incoming', { imapPort: port }],
        ['outgoing', { smtpPort: port }],
        ['incoming', { imapHost: 'localhost' }],
        ['incoming', { user: 'somebody' }],
      ] as const) {
        const ask = { mailboxId: 1, access: { ...box.access, ...change }, step };
        const answer = await as('manager', 'post', '/mailboxes/try').send(ask);
        expect([step, answer.status, answer.body.field]).to.deep.equal([step, 400, 'password']);
        const kept = await as('manager', 'put', '/mailboxes/1').send({
          access: { ...box.access, ...change },
        });
        expect([step, kept.status]).to.deep.equal([step, 400]);
      }
      expect(heard).to.deep.equal([]);
      const same = await as('manager', 'post', '/mailboxes/try').send({
        mailboxId: 1,
        access: box.access,
        step: 'incoming',
      });
      expect(same.body.ok).to.equal(true);
      await new Promise((done) => listener.close(done));
    });

    it('tell nothing of strange servers, nor let everybody look around within the network', async () => {
      const talker = createServer((socket) =>
        socket.on('error', () => undefined).end('500 SECRET-BANNER internal-service v1.2.3\r\n'),
      );
      await new Promise<void>((done) => talker.listen(0, '127.0.0.1', () => done()));
      const { port } = talker.address() as AddressInfo;
      const box = (await as('manager', 'get', '/mailboxes/1')).body as { access: Record<string, unknown> };
      const ask = (role: Role, change: object) =>
        as(role, 'post', '/mailboxes/try').send({
          access: { ...box.access, ...change },
          password: 'x',
          step: 'incoming',
        });
      expect(JSON.stringify((await ask('manager', { imapPort: port })).body)).to.not.contain('SECRET');
      expect((await ask('adviser', { imapPort: port })).status).to.equal(403);
      expect((await ask('assistant', { imapHost: '10.0.0.7' })).status).to.equal(403);
      for (let tries = 0; tries < 20; tries++) await ask('assistant', { user: 'x' });
      expect((await ask('assistant', { user: 'x' })).status).to.equal(429);
      await new Promise((done) => talker.close(done));
      expect(['127.0.0.1', '127.9.9.9', '::1', 'localhost'].map(isLoopback)).to.deep.equal([
        true,
        true,
        true,
        true,
      ]);
      expect(
        ['127.evil.example', '127.0.0.1.evil.example', '128.0.0.1', 'localhost.evil'].some(isLoopback),
      ).to.equal(false);
      for (const host of ['10.1.2.3', '192.168.0.1', '169.254.169.254', '172.20.0.1', 'fd00::1', '0.0.0.0'])
        expect([host, await isPrivate(host)]).to.deep.equal([host, true]);
      expect(await isPrivate('9.9.9.9')).to.equal(false);
      expect(connectionProblem({ responseText: 'SECRET' }, { ownWords: false }).words).to.not.contain(
        'SECRET',
      );
    });

    it('are connected at one’s own address, or by the manager', async () => {
      const box = (await as('manager', 'get', '/mailboxes/1')).body as { access: object };
      const wish = { address: 'anything@else.example', name: '', access: box.access, password: 'x' };
      expect((await as('assistant', 'post', '/mailboxes').send(wish)).status).to.equal(403);
      expect((await as('adviser', 'post', '/mailboxes').send(wish)).status).to.equal(403);
    });
  });

  it('keeps colleagues’ drafts of mailings and wordings from those who did not make them', async () => {
    const { id } = (await as('manager', 'post', '/mailings').send({})).body as { id: number };
    expect((await as('assistant', 'delete', `/mailings/${id}`)).status).to.equal(403);
    expect((await as('manager', 'delete', `/mailings/${id}`)).status).to.equal(204);
    const wording = { kind: 'paragraph', name: 'Ours', body: { type: 'doc', content: [] } };
    await as('adviser', 'post', '/wordings').send(wording);
    await as('assistant', 'post', '/wordings').send({ ...wording, name: 'Petra’s' });
    const idOf = async (name: string) =>
      (await one(firm.db('wording').where({ name }).first('id'))).id as number;
    expect((await as('assistant', 'delete', `/wordings/${await idOf('Ours')}`)).status).to.equal(403);
    expect((await as('assistant', 'delete', `/wordings/${await idOf('Petra’s')}`)).status).to.equal(204);
    expect((await as('adviser', 'delete', `/wordings/${await idOf('Ours')}`)).status).to.equal(204);
  });

  it('ends sessions everywhere, when a password changes, and after some idle hours', async () => {
    const enter = async (password: string) => {
      const answer = await request(app)
        .post('/api/session')
        .send({ email: 'ines.calder@quillhurst.example', password });
      return String(answer.headers['set-cookie']?.[0] ?? '').split(';')[0] ?? '';
    };
    const there = async (cookie: string) =>
      (await request(app).get('/api/session').set('cookie', cookie)).status === 200;
    const [one, two] = [await enter(DEMO_PASSWORD), await enter(DEMO_PASSWORD)];
    const change = (current: string, next: string) =>
      request(app).put('/api/session/password').set('cookie', one).send({ current, next });
    expect((await change('wrong', 'another ten letters')).body.field).to.equal('current');
    expect((await change(DEMO_PASSWORD, 'short')).status).to.equal(400);
    expect((await change(DEMO_PASSWORD, 'another ten letters')).status).to.equal(204);
    expect([await there(one), await there(two)]).to.deep.equal([true, false]);
    expect(await enter(DEMO_PASSWORD)).to.equal('');
    const three = await enter('another ten letters');
    await request(app).delete('/api/session/everywhere').set('cookie', three);
    expect([await there(one), await there(three)]).to.deep.equal([false, false]);
    const four = await enter('another ten letters');
    await firm.db('session').update({ seen_at: new Date(Date.now() - 4 * 3600_000) });
    expect(await there(four)).to.equal(false);
    for (const role of Object.keys(ROLES) as Role[]) {
      const answer = await request(app)
        .post('/api/session')
        .send({ email: `${ROLES[role]}@quillhurst.example`, password: DEMO_PASSWORD });
      cookies[role] = String(answer.headers['set-cookie']?.[0]).split(';')[0] ?? '';
    }
  });

  it('counts wrong passwords for all processes, by account and by address, behind a proxy too, and notes them', async () => {
    const behind = webApp(
      Object.assign(Object.create(firm.context) as typeof firm.context, {
        config: { ...firm.config, trustProxy: 1 },
      }),
      LEDGER,
    );
    const enter = (from: string, email: string, password: string, to = behind) =>
      request(to)
        .post('/api/session')
        .set('x-forwarded-for', from)
        .set('x-forwarded-proto', 'https')
        .send({ email, password });
    const rufus = 'rufus.adair@quillhurst.example';
    for (let tries = 0; tries < 10; tries++)
      expect((await enter('203.0.113.5', rufus, 'no')).status).to.equal(400);
    expect((await enter('203.0.113.5', rufus, DEMO_PASSWORD)).status).to.equal(429);
    // From elsewhere he gets in, and so does everybody else from there.
    const elsewhere = await enter('203.0.113.6', rufus, DEMO_PASSWORD);
    expect(elsewhere.status).to.equal(200);
    expect(String(elsewhere.headers['set-cookie'])).to.match(/Secure/);
    expect((await enter('203.0.113.5', 'petra.lund@quillhurst.example', DEMO_PASSWORD)).status).to.equal(200);
    const noted = await firm.db('audit').where({ action: 'sign-in refused' });
    expect(noted.length).to.be.greaterThan(9);
    expect(noted.some(({ after_value }) => String(after_value).includes('203.0.113.5'))).to.equal(true);
  });

  it('sends what can be sent, though another message cannot even be composed', async () => {
    const begin = async (text: string) => {
      const { id } = (await as('adviser', 'post', '/drafts').send({})).body as { id: number };
      const save = {
        version: 1,
        mailboxId: 2,
        people: { to: [{ name: '', email: 'petra.lund@quillhurst.example' }], cc: [], bcc: [] },
        subject: text,
        body: { type: 'doc', content: [{ type: 'paragraph', content: [{ type: 'text', text }] }] },
        plain: false,
        quoted: '',
        fileIds: [],
      };
      return { id, save, saved: await as('adviser', 'put', `/drafts/${id}`).send(save) };
    };
    const bad = await begin('Bad');
    for (const change of [
      { body: { type: 'doc', content: [null] } },
      { body: { type: 'paragraph' } },
      { fileIds: [99_999_999] },
    ])
      expect(
        (await as('adviser', 'put', `/drafts/${bad.id}`).send({ ...bad.save, ...change, version: 2 })).status,
      ).to.equal(400);
    const good = await begin('Good');
    for (const { id } of [bad, good])
      await as('adviser', 'post', `/drafts/${id}/send`).send({ version: 2, at: null });
    // As an older version of this program might have left it.
    await firm
      .db('draft')
      .where({ id: bad.id })
      .update({ body: '{"type":"doc","content":[null]}', file_ids: '[99999999]' });
    await firm.db('dispatch').update({ next_at: new Date(0) });
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    for (let rounds = 0; rounds < 20; rounds++) await worker.work();
    await worker.stop();
    const state = async (id: number) =>
      (await firm.db('dispatch').where({ draft_id: id }).first('state', 'logged_message_id')) as {
        state: string;
        logged_message_id: number | null;
      };
    expect(await state(good.id)).to.include({ state: 'sent' });
    expect((await state(good.id)).logged_message_id).to.be.a('number');
    expect((await state(bad.id)).state).to.equal('returned');
  });

  it('shows each large picture once, and a malformed one not at all', () => {
    const part = {
      filename: 'a.png',
      mimeType: 'image/png',
      contentId: 'p',
      inline: true,
      size: 100_000,
      content: new Uint8Array(100_000),
    };
    const html = safeHtml('<img src="cid:p">'.repeat(50), [part], false);
    expect(html.match(/data:image/g)).to.have.lengthOf(1);
    expect(safeHtml('<img src="cid:%E0%A4%A"><img src="cid:100%x"><p>after</p>', [part], false)).to.contain(
      'after',
    );
    expect(safeHtml('<p style="color:red\nurl(x)">a</p>', [], false)).to.not.contain('url');
  });

  it('asks for a password at the database, which only whoever runs it can read', async () => {
    const folder = await mariadbFolder();
    if (!folder) return;
    const file = join(folder, 'password');
    expect(statSync(file).mode & 0o77).to.equal(0);
    const url = new URL(firm.url);
    expect(url.password).to.equal(readFileSync(file, 'utf8').trim());
    url.password = '';
    const open = openDatabase(url.toString(), { pool: 1 });
    const refused = await open.raw('SELECT 1').catch((error: { code?: string }) => error.code);
    await open.destroy();
    expect(refused).to.equal('ER_ACCESS_DENIED_ERROR');
  });
});
