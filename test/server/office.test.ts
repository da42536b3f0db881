import { expect } from 'chai';
import type { Express } from 'express';
import { DEMO_PASSWORD } from '../../demo/load.ts';
import { isSetUp, readFirm } from '../../server/foundation/firm.ts';
import { countOf } from '../../server/foundation/rows.ts';
import { webApp } from '../../server/http/app.ts';
import { offerSetUp } from '../../server/office/setUp.ts';
import { LEDGER } from '../../server/parts.ts';
import { composeDraft } from '../../server/writing/compose.ts';
import { codeAt } from '../../server/security/secondStep.ts';
import { browserOf } from './browserOf.ts';
import { deliver, one, openEmptyOffice, openFirm, until, type TestFirm } from './helpers.ts';

const PASSWORD = 'a quiet morning';
const FOUNDER = {
  firm: 'Fernhollow Rural Practice',
  zone: 'Europe/London',
  name: 'Hester Brand',
  email: 'Hester@Fernhollow.example',
  password: PASSWORD,
};

describe('an office from nothing', () => {
  it('is set up once, by whoever has the code from the terminal', async () => {
    const { db, context, close } = await openEmptyOffice();
    try {
      const app = webApp(context, LEDGER);
      const { ask } = browserOf(app);
      expect((await ask('get', '/set-up')).body).to.deep.equal({ needed: true });
      expect((await ask('get', '/session')).status).to.equal(401);
      const code = (await offerSetUp(db)) ?? '';
      expect(code).to.match(/^[A-Z2-9]{4}-[A-Z2-9]{4}-[A-Z2-9]{4}$/);
      // It is kept nowhere: what is kept is its hash.
      expect(JSON.stringify(await db('one_time_link').select())).to.not.contain(code.slice(0, 4));
      const wrong = await ask('post', '/set-up', { ...FOUNDER, code: 'AAAA-AAAA-AAAA' });
      expect([wrong.status, wrong.body.field]).to.deep.equal([400, 'code']);
      const short = await ask('post', '/set-up', { ...FOUNDER, code, password: 'short' });
      expect([short.status, short.body.field]).to.deep.equal([400, 'password']);
      expect(await isSetUp(db)).to.equal(false);
      // Two at once, typed as people type: one of them makes the office.
      const typed = code.toLowerCase().replaceAll('-', ' ');
      const both = await Promise.all([
        ask('post', '/set-up', { ...FOUNDER, code: typed }),
        browserOf(app).ask('post', '/set-up', { ...FOUNDER, email: 'other@fernhollow.example', code: typed }),
      ]);
      expect(both.map(({ status }) => status === 200).filter(Boolean)).to.have.length(1);
      expect(await countOf(db('staff'))).to.equal(1);
      expect((await ask('post', '/set-up', { ...FOUNDER, code })).status).to.equal(409);
      expect(await offerSetUp(db)).to.equal(null);
      const firm = await readFirm(db);
      expect([firm.name, firm.domains, firm.fileNumberPattern]).to.deep.equal([
        FOUNDER.firm,
        ['fernhollow.example'],
        'FRP-\\d{5}',
      ]);
    } finally {
      await close();
    }
  });

  it('may be guessed at only so often', async () => {
    const { db, context, close } = await openEmptyOffice();
    try {
      const { ask } = browserOf(webApp(context, LEDGER));
      const code = await offerSetUp(db);
      for (let tried = 0; tried < 20; tried++)
        await ask('post', '/set-up', { ...FOUNDER, code: `WRONG ${tried}` });
      expect((await ask('post', '/set-up', { ...FOUNDER, code })).status).to.equal(429);
    } finally {
      await close();
    }
  });

  it('goes through its beginning: what is missing, numbers, stages, a colleague, the first client and file', async () => {
    const { db, context, close } = await openEmptyOffice();
    try {
      const app = webApp(context, LEDGER);
      const { ask } = browserOf(app);
      await ask('post', '/set-up', { ...FOUNDER, code: await offerSetUp(db) });
      const missing = async () =>
        ((await ask('get', '/office/beginning')).body.parts as { key: string; done: boolean }[])
          .filter(({ done }) => !done)
          .map(({ key }) => key);
      expect(await missing()).to.deep.equal([
        'firm',
        'hours',
        'numbers',
        'stages',
        'staff',
        'mailboxes',
        'records',
      ]);
      const change = (before: object, after: object) => ask('put', '/office/firm', { before, after });
      expect(
        (await change({ postal: [], phone: '' }, { postal: ['The Mill'], phone: '01632 960 200' })).status,
      ).to.equal(200);
      await ask('put', '/office/beginning', { part: 'hours' });
      const trial = await ask('post', '/office/numbers/try', {
        examples: ['FR24-0153', 'FR25-0007'],
        tries: ['fr25-0099', '12'],
      });
      expect(trial.body).to.deep.equal({
        words: '“FR”, then two figures, then “-”, then four figures',
        tries: [
          { typed: 'fr25-0099', fits: true },
          { typed: '12', fits: false },
        ],
        next: 'FR25-0008',
        problem: null,
        unfitting: 0,
      });
      const everything = await change({ numberExamples: [] }, { numberExamples: ['12'] });
      expect([everything.status, everything.body.field]).to.deep.equal([400, 'numberExamples']);
      expect(everything.body.message).to.contain('looks like any other number');
      await change({ numberExamples: [] }, { numberExamples: ['FR24-0153', 'FR25-0007'] });
      await ask('put', '/office/lists/stage', {
        entries: ['Enquiry', 'Done'].map((name) => ({ id: null, name })),
        moved: [],
      });
      await ask('post', '/office/staff', {
        name: 'Oswin Dray',
        email: 'oswin@fernhollow.example',
        role: 'adviser',
      });
      expect(await missing()).to.deep.equal(['mailboxes', 'records']);
      const made = await ask('post', '/clients', {
        clientId: null,
        name: 'Ada Fell',
        firstName: 'Ada',
        lastName: 'Fell',
        email: 'ada@fell.example',
      });
      expect([made.status, made.body.generalFile.number]).to.deep.equal([200, 'FR25-0008']);
      expect(await missing()).to.deep.equal(['mailboxes']);
      await ask('put', '/office/beginning', { part: 'over' });
      expect((await ask('get', '/office/beginning')).body.over).to.equal(true);
    } finally {
      await close();
    }
  });
});

describe('the office', () => {
  let firm: TestFirm;
  let app: Express;
  before(async () => {
    firm = await openFirm({ clients: 16, files: 26 });
    await firm.sync();
    app = webApp(firm.context, LEDGER);
  });
  after(() => firm.close());
  const manager = async () => {
    const maren = browserOf(app);
    await maren.signIn('maren.okell@quillhurst.example', DEMO_PASSWORD);
    return maren;
  };
  const tokenOf = (path: string) => path.replace('/key/', '');

  it('shows both when two people change one setting, and lets them change different ones', async () => {
    const { ask } = await manager();
    const before = (await ask('get', '/office/firm')).body;
    const put = (after: object) =>
      ask('put', '/office/firm', {
        before: Object.fromEntries(Object.keys(after).map((field) => [field, before[field]])),
        after,
      });
    expect((await put({ phone: '01632 960 111' })).status).to.equal(200);
    expect((await put({ notice: 'Another notice.' })).status).to.equal(200);
    const late = await put({ phone: '01632 960 222', name: 'Another name' });
    expect([late.status, late.body.field, late.body.now]).to.deep.equal([
      409,
      'phone',
      { phone: '01632 960 111' },
    ]);
    expect((await readFirm(firm.db)).name).to.equal(before.name);
    // Who wants what is there already has nothing to lose.
    expect((await put({ phone: '01632 960 111' })).status).to.equal(200);
    const hours = await put({ hours: { days: [1], from: '17:00', until: '09:00' } });
    expect([hours.status, hours.body.message]).to.deep.equal([400, 'The day ends before it begins.']);
  });

  it('warns of numbers of the register that a pattern does not fit', async () => {
    const { ask } = await manager();
    const trial = (examples: string[]) => ask('post', '/office/numbers/try', { examples, tries: [] });
    expect((await trial(['QL-24052'])).body.unfitting).to.equal(0);
    expect((await trial(['XX-24052'])).body.unfitting).to.equal(await countOf(firm.db('file')));
  });

  it('renames stages with their files, changes their order, and lets none go that has files', async () => {
    const { ask } = await manager();
    type Stage = { id: number; name: string; used: number };
    const stages = (await ask('get', '/office/lists/stage')).body as Stage[];
    const full = stages.find(({ used }) => used) as Stage;
    const others = stages.filter((stage) => stage !== full);
    const gone = await ask('put', '/office/lists/stage', { entries: others, moved: [] });
    expect([gone.status, gone.body.message]).to.deep.equal([
      409,
      `“${full.name}” stands in ${full.used} records. Say what is to stand in its place.`,
    ]);
    const [a, b, ...rest] = stages as [Stage, Stage, ...Stage[]];
    const swapped = [{ ...a, name: b.name }, { ...b, name: a.name }, ...rest].reverse();
    const after = (await ask('put', '/office/lists/stage', { entries: swapped, moved: [] })).body as Stage[];
    expect(after.map(({ id, name }) => ({ id, name }))).to.deep.equal(
      swapped.map(({ id, name }) => ({ id, name })),
    );
    const to = others[0] as Stage;
    const before = after.find(({ id }) => id === to.id)?.used ?? 0;
    const moved = await ask('put', '/office/lists/stage', {
      entries: after.filter(({ id }) => id !== full.id),
      moved: [{ from: full.id, to: to.id }],
    });
    expect((moved.body as Stage[]).find(({ id }) => id === to.id)?.used).to.equal(before + full.used);
    const twice = await ask('put', '/office/lists/stage', {
      entries: [
        { id: null, name: 'One' },
        { id: null, name: 'one' },
      ],
      moved: [],
    });
    expect([twice.status, twice.body.message]).to.deep.equal([400, 'Two bear one name.']);
  });

  it('lets a colleague in by a link that serves once, and none by an older one', async () => {
    const { ask } = await manager();
    const added = await ask('post', '/office/staff', {
      name: 'Wren Tallow',
      email: 'wren.tallow@quillhurst.example',
      role: 'assistant',
    });
    const wren = browserOf(app);
    expect((await wren.signIn('wren.tallow@quillhurst.example', '')).status).to.equal(400);
    expect((await wren.signIn('wren.tallow@quillhurst.example', 'anything at all')).status).to.equal(400);
    const newer = await ask('post', `/office/staff/${added.body.staffId}/link`);
    expect((await wren.ask('post', '/session/link', { token: tokenOf(added.body.path) })).status).to.equal(
      410,
    );
    const token = tokenOf(newer.body.path);
    expect((await wren.ask('post', '/session/link', { token })).body).to.deep.equal({
      kind: 'invite',
      name: 'Wren Tallow',
      email: 'wren.tallow@quillhurst.example',
      firm: (await readFirm(firm.db)).name,
    });
    const used = await Promise.all(
      [1, 2].map(() => wren.ask('put', '/session/link', { token, password: PASSWORD })),
    );
    expect(used.map(({ status }) => status).sort()).to.deep.equal([200, 410]);
    expect((await wren.signIn('wren.tallow@quillhurst.example', PASSWORD)).status).to.equal(200);
    const twice = await ask('post', '/office/staff', {
      name: 'Another',
      email: 'Wren.Tallow@quillhurst.example',
      role: 'adviser',
    });
    expect([twice.status, twice.body.field]).to.deep.equal([409, 'email']);
    await firm.db('one_time_link').update({ expires_at: new Date(0) });
    const last = await ask('post', `/office/staff/${added.body.staffId}/link`);
    await firm.db('one_time_link').update({ expires_at: new Date(0) });
    expect((await wren.ask('post', '/session/link', { token: tokenOf(last.body.path) })).status).to.equal(
      410,
    );
  });

  it('always keeps somebody who runs it', async () => {
    const { ask } = await manager();
    const maren = { name: 'Maren Okell', email: 'maren.okell@quillhurst.example', role: 'adviser' };
    const refused = await ask('put', '/office/staff/1', maren);
    expect([refused.status, refused.body.field]).to.deep.equal([409, 'role']);
    expect((await ask('post', '/office/staff/1/leave', { to: 2 })).status).to.equal(409);
  });

  it('hands over what somebody has who leaves, loses nothing, and shows nobody what was private', async () => {
    const { ask } = await manager();
    const { db } = firm;
    const ines = await one(db('staff').where({ email: 'ines.calder@quillhurst.example' }).first());
    const rufus = await one(db('staff').where({ email: 'rufus.adair@quillhurst.example' }).first());
    deliver(firm, ines.email, 'private@leave.example', { text: 'About my own affairs.' });
    await firm.sync();
    const message = await one(db('message').where({ message_id: 'private@leave.example' }).first('id'));
    await db('message').where({ id: message.id }).update({ state: 'private' });
    const counts = async (id: number) => ({
      clients: await countOf(db('client').where({ adviser_id: id })),
      open: await countOf(db('file').where({ adviser_id: id }).whereNull('closed')),
      closed: await countOf(db('file').where({ adviser_id: id }).whereNotNull('closed')),
    });
    const [hers, his] = [await counts(ines.id), await counts(rufus.id)];
    const session = browserOf(app);
    await session.signIn(ines.email, DEMO_PASSWORD);
    expect((await ask('post', `/office/staff/${ines.id}/leave`, { to: ines.id })).status).to.equal(400);
    expect((await ask('post', `/office/staff/${ines.id}/leave`, { to: rufus.id })).status).to.equal(204);
    expect((await session.ask('get', '/session')).status).to.equal(401);
    expect((await session.signIn(ines.email, DEMO_PASSWORD)).status).to.equal(400);
    expect(await counts(ines.id)).to.deep.equal({ clients: 0, open: 0, closed: hers.closed });
    expect(await counts(rufus.id)).to.deep.equal({
      clients: his.clients + hers.clients,
      open: his.open + hers.open,
      closed: his.closed,
    });
    const heir = browserOf(app);
    await heir.signIn(rufus.email, DEMO_PASSWORD);
    const boxes = (await heir.ask('get', '/mailboxes')).body as { address: string }[];
    expect(boxes.map(({ address }) => address)).to.include(ines.email);
    expect((await heir.ask('get', `/messages/${message.id}`)).status).to.equal(403);
    // Back again: by a new link, with a new password.
    const back = await ask('post', `/office/staff/${ines.id}/back`);
    expect((await session.signIn(ines.email, DEMO_PASSWORD)).status).to.equal(400);
    await session.ask('put', '/session/link', { token: tokenOf(back.body.path), password: PASSWORD });
    expect((await session.signIn(ines.email, PASSWORD)).status).to.equal(200);
    expect((await session.ask('get', `/messages/${message.id}`)).status).to.equal(200);
  });

  it('puts one’s own signature, or the usual lines, below what one writes', async () => {
    const petra = browserOf(app);
    await petra.signIn('petra.lund@quillhurst.example', DEMO_PASSWORD);
    const before = (await petra.ask('get', '/session/signature')).body;
    expect([before.signatureId, before.usual.split('\n')[0]]).to.deep.equal([null, 'Petra Lund, Assistant']);
    const fact = (key: string) => ({ type: 'mergeField', attrs: { field: key, fallback: '', format: '' } });
    const body = {
      type: 'doc',
      content: [
        {
          type: 'paragraph',
          content: [fact('adviser.name'), { type: 'hardBreak' }, { type: 'text', text: 'at the Wool Loft' }],
        },
      ],
    };
    const kept = (name: string, own: boolean) =>
      petra.ask('post', '/wordings', { kind: 'signature', name, own, body });
    const { id: signatureId } = (await kept('The Wool Loft', false)).body;
    const mine = (await kept('Mine', true)).body;
    await petra.ask('put', '/session/signature', { signatureId });
    const now = (await petra.ask('get', '/session/signature')).body;
    expect([now.signatureId, now.choices.map((each: { words: string }) => each.words)]).to.deep.equal([
      signatureId,
      ['Petra Lund\nat the Wool Loft', 'Petra Lund\nat the Wool Loft'],
    ]);
    // It is the name of whoever signs; what is somebody's alone is nobody else's to choose.
    const maren = browserOf(app);
    await maren.signIn('maren.okell@quillhurst.example', DEMO_PASSWORD);
    expect((await maren.ask('put', '/session/signature', { signatureId: mine.id })).status).to.equal(404);
    const theirs = (await maren.ask('get', '/session/signature')).body.choices;
    expect(theirs.map((each: { words: string }) => each.words)).to.deep.equal([
      'Maren Okell\nat the Wool Loft',
    ]);
    // It stands below what is written, for both kinds of readers; thrown away, the usual lines stand there again.
    const draft = (await petra.ask('post', '/drafts', {})).body.id;
    const signed = (await petra.ask('get', `/drafts/${draft}`)).body.signature;
    expect(signed).to.match(/^Petra Lund\nat the Wool Loft\n/);
    const row = await one(firm.db('draft').where({ id: draft }).first());
    const raw = (await composeDraft(firm.db, row, new Date(0))).toString();
    expect(raw).to.match(/-- =?\r?\n?\s*Petra Lund\r\nat the Wool Loft/);
    expect(raw).to.match(/Petra Lund<br>at the Wool Loft/);
    await petra.ask('delete', `/wordings/${signatureId}`);
    expect((await petra.ask('get', `/drafts/${draft}`)).body.signature).to.contain('Petra Lund, Assistant');
  });
});

describe('a second step at sign-in', () => {
  let firm: TestFirm;
  let app: Express;
  beforeEach(async () => {
    firm = await openFirm({ clients: 4, files: 6 });
    app = webApp(firm.context, LEDGER);
  });
  afterEach(() => firm.close());
  const EMAIL = 'tobias.fenn@quillhurst.example';

  /** Turns it on. @returns the secret and the recovery codes */
  async function turnOn(who: ReturnType<typeof browserOf>): Promise<{ secret: string; codes: string[] }> {
    const { secret, sealed, picture } = (await who.ask('post', '/session/second-step/offer')).body;
    expect(picture).to.match(/^data:image\/png;base64,/);
    expect((await who.ask('put', '/session/second-step', { sealed, code: '000000' })).body.field).to.equal(
      'code',
    );
    const on = await who.ask('put', '/session/second-step', { sealed, code: codeAt(secret, Date.now()) });
    expect(on.body.codes).to.have.length(10);
    return { secret, codes: on.body.codes };
  }

  it('lets nobody in with the password alone, and takes each code once', async () => {
    const tobias = browserOf(app);
    await tobias.signIn(EMAIL, DEMO_PASSWORD);
    const { secret, codes } = await turnOn(tobias);
    const other = browserOf(app);
    const without = await other.signIn(EMAIL, DEMO_PASSWORD);
    expect([without.status, without.body.field]).to.deep.equal([400, 'code']);
    // A wrong password is not told from one without a code.
    expect((await other.signIn(EMAIL, 'wrong password')).body.field).to.equal('password');
    const code = codeAt(secret, Date.now());
    const both = await Promise.all([1, 2].map(() => browserOf(app).signIn(EMAIL, DEMO_PASSWORD, code)));
    expect(both.map(({ status }) => status).sort()).to.deep.equal([200, 400]);
    const [recovery = ''] = codes;
    expect((await other.signIn(EMAIL, DEMO_PASSWORD, recovery.toLowerCase())).status).to.equal(200);
    expect((await other.signIn(EMAIL, DEMO_PASSWORD, recovery)).status).to.equal(400);
    expect((await other.ask('get', '/session/second-step')).body).to.deep.equal({
      on: true,
      demanded: false,
      codesLeft: 9,
    });
    // The secret lies sealed.
    const row = await one(firm.db('staff').where({ email: EMAIL }).first('second_step'));
    expect(row.second_step?.toString('latin1')).to.not.contain(secret);
    // Somebody else's picture is of no use.
    const { sealed } = (await other.ask('post', '/session/second-step/offer')).body;
    const petra = browserOf(app);
    await petra.signIn('petra.lund@quillhurst.example', DEMO_PASSWORD);
    expect((await petra.ask('put', '/session/second-step', { sealed, code: '123456' })).status).to.equal(400);
  });

  it('is asked of everybody when the office says so: nothing else is open before it is set up', async () => {
    const maren = browserOf(app);
    await maren.signIn('maren.okell@quillhurst.example', DEMO_PASSWORD);
    await maren.ask('put', '/office/firm', { before: { secondStep: false }, after: { secondStep: true } });
    expect((await maren.ask('get', '/today')).status).to.equal(403);
    expect((await maren.ask('get', '/session')).body.secondStepFirst).to.equal(true);
    await turnOn(maren);
    expect((await maren.ask('get', '/today')).status).to.equal(200);
    expect((await maren.ask('get', '/session')).body.secondStepFirst).to.equal(false);
    const off = await maren.ask('post', '/session/second-step/off', { password: DEMO_PASSWORD });
    expect(off.status).to.equal(409);
    // A lost telephone: the manager takes the step away, and it is set up anew at the next sign-in.
    const tobias = browserOf(app);
    await tobias.signIn(EMAIL, DEMO_PASSWORD);
    await turnOn(tobias);
    const { id } = await one(firm.db('staff').where({ email: EMAIL }).first('id'));
    await maren.ask('post', `/office/staff/${id}/second-step/off`);
    expect((await tobias.ask('get', '/session')).status).to.equal(401);
    expect((await tobias.signIn(EMAIL, DEMO_PASSWORD)).body.secondStepFirst).to.equal(true);
  });

  it('is renewed and taken away only with the password', async () => {
    const tobias = browserOf(app);
    await tobias.signIn(EMAIL, DEMO_PASSWORD);
    const { codes } = await turnOn(tobias);
    for (const path of ['codes', 'off'])
      expect(
        (await tobias.ask('post', `/session/second-step/${path}`, { password: 'wrong' })).status,
      ).to.equal(400);
    const renewed = await tobias.ask('post', '/session/second-step/codes', { password: DEMO_PASSWORD });
    expect(renewed.body.codes).to.have.length(10);
    expect((await browserOf(app).signIn(EMAIL, DEMO_PASSWORD, codes[0])).status).to.equal(400);
    expect(
      (await tobias.ask('post', '/session/second-step/off', { password: DEMO_PASSWORD })).status,
    ).to.equal(204);
    expect((await browserOf(app).signIn(EMAIL, DEMO_PASSWORD)).status).to.equal(200);
  });
});

describe('a forgotten password', () => {
  it('brings a link by mail from the office’s mailbox, to whoever is there, and tells nobody who that is', async () => {
    const firm = await openFirm({ clients: 4, files: 6 });
    try {
      const app = webApp(firm.context, LEDGER);
      const { ask, signIn } = browserOf(app);
      const maren = browserOf(app);
      await maren.signIn('maren.okell@quillhurst.example', DEMO_PASSWORD);
      await maren.ask('put', '/office/firm', {
        before: { webAddress: 'http://127.0.0.1:4310' },
        after: { webAddress: 'https://clerk.quillhurst.example/' },
      });
      const email = 'petra.lund@quillhurst.example';
      const inbox = () => firm.world.account(email)?.folder('INBOX');
      const before = inbox()?.messages.length ?? 0;
      expect(
        (await ask('post', '/session/forgotten', { email: 'nobody@quillhurst.example' })).status,
      ).to.equal(204);
      expect((await ask('post', '/session/forgotten', { email })).status).to.equal(204);
      for (let waited = 0; waited < 100 && (inbox()?.messages.length ?? 0) === before; waited++)
        await new Promise((resolve) => setTimeout(resolve, 50));
      const folder = inbox();
      const last = folder?.messages.at(-1);
      const raw = last && folder ? folder.read(last).toString() : '';
      const token = /https:\/\/clerk\.quillhurst\.example\/key\/([\w-]{20,60})/.exec(
        raw.replace(/=\r\n/g, ''),
      )?.[1];
      expect(token, raw).to.be.a('string');
      expect(raw).to.contain('Auto-Submitted: auto-generated');
      expect((await ask('put', '/session/link', { token, password: PASSWORD })).status).to.equal(200);
      expect((await signIn(email, PASSWORD)).status).to.equal(200);
      for (let asked = 0; asked < 6; asked++) await ask('post', '/session/forgotten', { email });
      // They are sent once the answer has been given.
      const sent = () => countOf(firm.db('audit').where({ action: 'link sent: reset' }));
      await until('the fifth has left', async () => (await sent()) >= 5);
      expect(await sent()).to.equal(5);
    } finally {
      await firm.close();
    }
  });
});
