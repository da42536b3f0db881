import { expect } from 'chai';
import type { Express } from 'express';
import { DEMO_PASSWORD } from '../../demo/load.ts';
import type { FieldDefinition, HistoryStep } from '../../contract/index.ts';
import { gatherFacts } from '../../server/facts/gather.ts';
import { countOf } from '../../server/foundation/rows.ts';
import { webApp } from '../../server/http/app.ts';
import { LEDGER } from '../../server/parts.ts';
import { browserOf } from './browserOf.ts';
import { viewClient } from '../../server/records/clients.ts';
import { one, openFirm, type TestFirm } from './helpers.ts';

describe('the register', () => {
  let firm: TestFirm;
  let app: Express;
  let ask: ReturnType<typeof browserOf>['ask'];
  before(async () => {
    firm = await openFirm({ clients: 10, files: 18 });
    app = webApp(firm.context, LEDGER);
    const maren = browserOf(app);
    await maren.signIn('maren.okell@quillhurst.example', DEMO_PASSWORD);
    ask = maren.ask;
  });
  after(() => firm.close());

  const read = async (path: string) => (await ask('get', `${path}/record`)).body as Record<string, unknown>;
  /** Changes some fields as somebody who sees them as they stand. */
  async function change(path: string, after: Record<string, unknown>, seen?: Record<string, unknown>) {
    const now = seen ?? (await read(path));
    const before = Object.fromEntries(Object.keys(after).map((name) => [name, now[name]]));
    return ask('put', path, { before, after });
  }
  const history = async (subject: string, id: number) =>
    (await ask('get', `/history?subject=${subject}&id=${id}`)).body as {
      steps: HistoryStep[];
      total: number;
    };

  it('changes every built-in field of a client, tells it in its history, and takes each step back', async () => {
    const before = await read('/clients/1');
    const people = before.people as { personId: number; role: string; writes: boolean }[];
    const changes: Record<string, unknown>[] = [
      { name: 'Farrant & Daughters', kind: 'company', status: 'past', since: 1999, place: 'Upper Farrant' },
      { service: 'Single project', greeting: 'Agnes and all', note: 'Rings before eight.' },
      { postal: ['Farrant Mill', 'Farrant', 'Q2 8FA'], country: 'IE', adviserId: 3 },
      { tags: ['Christmas card', 'Slow payer'], interests: ['River mornings'] },
      {
        phones: [
          { number: '01632 960 961', purpose: 'office' },
          { number: '+44 7700 900123', purpose: '' },
        ],
      },
      {
        delivery: [
          { kind: 'letters', way: 'post', personId: people[0]?.personId, alsoId: null },
          { kind: 'statements', way: 'both', personId: null, alsoId: null },
          { kind: 'mailings', way: 'none', personId: null, alsoId: null },
        ],
      },
      { people: people.map((each) => ({ ...each, role: `${each.role} too` })).reverse() },
    ];
    await ask('put', '/office/lists/service', {
      entries: [
        ...(await ask('get', '/office/lists/service')).body,
        { id: null, name: 'Single project' },
      ].filter((entry, index, all) => all.findIndex(({ name }) => name === entry.name) === index),
      moved: [],
    });
    for (const after of changes) {
      const answer = await change('/clients/1', after);
      expect([Object.keys(after), answer.status]).to.deep.equal([Object.keys(after), 200]);
    }
    const now = await read('/clients/1');
    expect(now).to.deep.include({
      ...changes[0],
      ...changes[1],
      ...changes[2],
      ...changes[3],
      ...changes[5],
      ...changes[6],
    });
    // Numbers stand as they are written in the client's country.
    expect((now.phones as { number: string }[]).map(({ number }) => number)).to.have.length(2);
    const { steps, total } = await history('client', 1);
    expect(total).to.be.at.least(changes.length);
    expect(
      steps.slice(0, changes.length).every(({ undoable, by }) => undoable && by === 'Maren Okell'),
    ).to.equal(true);
    expect(steps[changes.length - 1]?.fields[0]).to.deep.equal({
      label: 'Name',
      before: before.name,
      after: 'Farrant & Daughters',
    });
    expect(steps[4]?.fields.find(({ label }) => label === 'Adviser')?.after).to.equal('Ines Calder');
    for (const { id } of steps.slice(0, changes.length))
      expect((await ask('post', `/history/${id}/undo`)).status).to.equal(204);
    expect(await read('/clients/1')).to.deep.equal(before);
  });

  it('lets two people change different fields, and shows the second both when they change the same', async () => {
    const seen = await read('/clients/2');
    expect((await change('/clients/2', { place: 'One' }, seen)).status).to.equal(200);
    expect((await change('/clients/2', { note: 'Another' }, seen)).status).to.equal(200);
    const late = await change('/clients/2', { place: 'Two', greeting: 'Both' }, seen);
    expect([late.status, late.body.field, late.body.now]).to.deep.equal([409, 'place', { place: 'One' }]);
    expect((await read('/clients/2')).greeting).to.equal(seen.greeting);
    const at = await Promise.all(['A', 'B', 'C'].map((note) => change('/clients/3', { note })));
    expect(at.map(({ status }) => status).sort()).to.deep.equal([200, 409, 409]);
  });

  it('takes no step back over a later one of the same field', async () => {
    await change('/clients/4', { note: 'first' });
    await change('/clients/4', { note: 'second' });
    const [second, first] = (await history('client', 4)).steps;
    const refused = await ask('post', `/history/${first?.id}/undo`);
    expect([refused.status, refused.body.message]).to.deep.equal([
      409,
      'Note: changed again since. Take the later change back first.',
    ]);
    await ask('post', `/history/${second?.id}/undo`);
    expect((await ask('post', `/history/${first?.id}/undo`)).status).to.equal(204);
    expect((await read('/clients/4')).note).to.equal('');
  });

  it('keeps what is known of an address that stays, and says what is wrong with the others', async () => {
    const address = await one(firm.db('address').first('id', 'person_id', 'email'));
    await firm.db('address').where({ id: address.id }).update({ returned_why: 'unknown' });
    const path = `/people/${address.person_id}`;
    const entry = { email: address.email, current: false, purpose: 'private' };
    const fresh = { email: 'New.One@fell.example', current: true, purpose: '' };
    expect((await change(path, { addresses: [fresh, entry], firstName: 'Adela' })).status).to.equal(200);
    const kept = await one(firm.db('address').where({ id: address.id }).first());
    expect([kept.returned_why, kept.current, kept.position]).to.deep.equal(['unknown', 0, 1]);
    const twice = await change(path, { addresses: [fresh, { ...fresh, email: 'new.one@FELL.example' }] });
    expect([twice.status, twice.body.field]).to.deep.equal([400, 'addresses']);
    const none = await change(path, { addresses: [{ ...fresh, email: 'nobody' }] });
    expect([none.status, none.body.field, none.body.message]).to.deep.equal([
      400,
      'after.addresses.0.email',
      'That is not an email address.',
    ]);
  });

  it('opens, changes and closes files, and removes none that has correspondence', async () => {
    const made = await ask('post', '/clients/5/files', { title: 'Hedge planting' });
    const path = `/files/${made.body.id}`;
    const opened = await read(path);
    expect([opened.title, opened.number]).to.deep.equal(['Hedge planting', opened.number]);
    expect(opened.number).to.match(/^QL-\d{5}$/);
    const [person] = (await read('/clients/5')).people as { personId: number }[];
    expect(
      (
        await change(path, {
          stage: 'Survey',
          closed: opened.opened,
          people: [{ personId: person?.personId, role: 'owner' }],
        })
      ).status,
    ).to.equal(200);
    const early = await change(path, { closed: '1999-01-01' });
    expect([early.status, early.body.field]).to.deep.equal([400, 'closed']);
    const other = await one(firm.db('file').whereNot({ id: made.body.id }).first('id', 'number'));
    const taken = await change(path, { number: other.number });
    expect([taken.status, taken.body.field]).to.deep.equal([409, 'number']);
    expect((await change(path, { stage: 'Nowhere' })).status).to.equal(400);
    expect((await change(path, { people: [{ personId: 999_999, role: '' }] })).status).to.equal(400);
    expect((await ask('delete', path)).status).to.equal(204);
    const general = await one(firm.db('file').where({ general: 1 }).first('id'));
    expect((await ask('delete', `/files/${general.id}`)).status).to.equal(409);
  });

  it('lets people join a client, once each, the first of them being written to', async () => {
    const made = await ask('post', '/clients', {
      clientId: null,
      name: 'New people',
      lastName: 'Dray',
      email: '',
    });
    const id: number = made.body.clientId;
    await change(`/clients/${id}`, { people: [] });
    const first = await ask('post', `/clients/${id}/people`, {
      personId: null,
      firstName: 'Wilf',
      lastName: 'Dray',
      email: 'wilf@dray.example',
    });
    await ask('post', `/clients/${id}/people`, { personId: 1, role: 'agent' });
    const again = await ask('post', `/clients/${id}/people`, { personId: 1 });
    expect([again.status, again.body.field]).to.deep.equal([409, 'personId']);
    expect((await read(`/clients/${id}`)).people).to.deep.equal([
      { personId: first.body.id, role: '', writes: true },
      { personId: 1, role: 'agent', writes: false },
    ]);
    const hits = (await ask('get', '/people?q=wilf dray')).body;
    expect(hits).to.deep.equal([
      { id: first.body.id, name: 'Wilf Dray', email: 'wilf@dray.example', clients: 'New people' },
    ]);
  });

  it('notes opt-outs by topic with when and how, for the address and so for all who have it', async () => {
    await ask('put', '/office/lists/topic', { entries: [{ id: null, name: 'Grant news' }], moved: [] });
    const [topic] = (await ask('get', '/office/lists/topic')).body as { id: number }[];
    const address = await one(firm.db('address').where({ person_id: 3 }).first('email'));
    const say = (out: boolean, topicId: number | null) =>
      ask('put', '/opt-outs', { email: address.email.toUpperCase(), topicId, out, how: 'by telephone' });
    expect((await say(true, topic?.id ?? 0)).status).to.equal(204);
    await say(true, null);
    const outs = (await ask('get', '/people/3/opt-outs')).body as { topic: string | null; how: string }[];
    expect(outs.map(({ topic: name, how }) => [name, how])).to.have.deep.members([
      [null, 'by telephone'],
      ['Grant news', 'by telephone'],
    ]);
    const gone = await ask('put', '/office/lists/topic', {
      entries: [],
      moved: [{ from: topic?.id, to: null }],
    });
    expect([gone.status, gone.body.message]).to.deep.equal([
      409,
      'People have opted out of it: say which topic stands for it from now on.',
    ]);
    await say(false, topic?.id ?? 0);
    await say(false, null);
    expect((await ask('get', '/people/3/opt-outs')).body).to.deep.equal([]);
    expect((await history('person', 3)).steps.map(({ action }) => action)).to.deep.equal([
      'opted in again',
      'opted in again',
      'opted out',
      'opted out',
    ]);
  });

  describe('fields of the firm’s own', () => {
    const make = async (draft: { of: string; label: string } & Record<string, unknown>) => {
      const all = (await ask('post', '/office/fields', draft)).body as FieldDefinition[];
      return all.find(({ of, label }) => of === draft.of && label === draft.label) as FieldDefinition;
    };

    it('hold every kind of value, of clients, people and files, and are merged by their words', async () => {
      const label = (kind: string) => `My ${kind}`;
      const drafts = [
        ['text', 'words', 'words'],
        ['long text', 'many\nwords', 'many\nwords'],
        ['number', 14.25, '14.25 ha'],
        ['money', 1200, '£1,200.00'],
        ['date', '2026-05-03', '3 May 2026'],
        ['yes or no', true, 'yes'],
        ['person', 1, null],
        ['client', 2, null],
      ] as const;
      const units: Record<string, string> = { number: 'ha', money: '£' };
      const after: Record<string, unknown> = {};
      for (const [kind, value] of drafts) {
        const field = await make({ of: 'client', label: label(kind), kind, unit: units[kind] ?? '' });
        after[`field:${field.id}`] = value;
      }
      const soils = [
        { id: null, label: 'Clay' },
        { id: null, label: 'Chalk' },
        { id: null, label: 'Peat' },
      ];
      const single = await make({ of: 'client', label: 'Soil', kind: 'choice', choices: soils });
      const many = await make({ of: 'client', label: 'Soils', kind: 'choices', choices: soils });
      after[`field:${single.id}`] = single.choices[1]?.id;
      after[`field:${many.id}`] = [many.choices[0]?.id, many.choices[2]?.id];
      const before = await read('/clients/6');
      expect((await change('/clients/6', after)).status).to.equal(200);
      expect(await read('/clients/6')).to.deep.include(after);
      const facts = await gatherFacts(firm.db, [
        { clientId: 6, fileId: null, adviserId: null, person: null, greeting: null },
      ]);
      for (const [kind, , words] of drafts) {
        const key = Object.keys(after)[drafts.findIndex(([each]) => each === kind)] ?? '';
        if (words) expect([kind, facts[0]?.words[key]]).to.deep.equal([kind, words]);
      }
      expect(facts[0]?.words[`field:${many.id}`]).to.equal('Clay, Peat');
      expect(facts[0]?.words[`field:${single.id}`]).to.equal('Chalk');
      const [step] = (await history('client', 6)).steps;
      expect(step?.fields.find(({ label: name }) => name === 'Soils')?.after).to.equal('Clay, Peat');
      await ask('post', `/history/${step?.id}/undo`);
      expect(await read('/clients/6')).to.deep.equal({
        ...before,
        ...Object.fromEntries(Object.keys(after).map((name) => [name, null])),
      });
      for (const of of ['person', 'file'] as const) {
        const field = await make({ of, label: 'Marked', kind: 'yes or no' });
        const path = of === 'person' ? '/people/1' : '/files/1';
        expect((await change(path, { [`field:${field.id}`]: true })).status).to.equal(200);
        expect((await read(path))[`field:${field.id}`]).to.equal(true);
      }
    });

    it('take only what is of their kind, and say what is wrong', async () => {
      const all = (await ask('get', '/office/fields')).body as FieldDefinition[];
      const of = (name: string) => `field:${all.find(({ label }) => label === name)?.id}`;
      for (const [name, value, words] of [
        ['My number', 'much', 'My number: Give a number.'],
        ['My date', '2026-13-45', 'My date: Give a day.'],
        ['My yes or no', 'yes', 'My yes or no: Say yes or no.'],
        ['Soil', 999_999, 'Soil: Choose one of the choices.'],
        ['My text', 'x'.repeat(501), 'My text: 500 letters at most.'],
      ] as const) {
        const answer = await change('/clients/7', { [of(name)]: value });
        expect([answer.status, answer.body.message, answer.body.field]).to.deep.equal([400, words, of(name)]);
      }
      expect((await change('/clients/7', { 'field:999999': 'x' })).status).to.equal(409);
      const same = await ask('post', '/office/fields', { of: 'client', label: 'soil', kind: 'text' });
      expect([same.status, same.body.field]).to.deep.equal([409, 'label']);
      const none = await ask('post', '/office/fields', { of: 'client', label: 'Empty', kind: 'choice' });
      expect([none.status, none.body.field]).to.deep.equal([400, 'choices']);
    });

    it('keep what stands in them when they are renamed, or taken away and brought back', async () => {
      const field = await make({ of: 'client', label: 'Acreage', kind: 'number', unit: 'acres' });
      const key = `field:${field.id}`;
      await change('/clients/8', { [key]: 12 });
      await ask('put', `/office/fields/${field.id}`, {
        of: 'client',
        label: 'Area',
        kind: 'number',
        unit: 'acres',
      });
      const kind = await ask('put', `/office/fields/${field.id}`, {
        of: 'client',
        label: 'Area',
        kind: 'text',
      });
      expect([kind.status, kind.body.field]).to.deep.equal([409, 'kind']);
      await ask('delete', `/office/fields/${field.id}`);
      expect(await read('/clients/8')).to.not.have.property(key);
      // Its name is free meanwhile.
      const other = await make({ of: 'client', label: 'Area', kind: 'text' });
      expect((await ask('post', `/office/fields/${field.id}/restore`)).status).to.equal(409);
      await ask('delete', `/office/fields/${other.id}`);
      await ask('post', `/office/fields/${field.id}/restore`);
      expect((await read('/clients/8'))[key]).to.equal(12);
    });

    it('rename a choice with what bears it, and drop it where it is taken away', async () => {
      const field = await make({
        of: 'client',
        label: 'Tenure',
        kind: 'choice',
        choices: [
          { id: null, label: 'Freehold' },
          { id: null, label: 'Lease' },
        ],
      });
      const [freehold, lease] = field.choices;
      await change('/clients/9', { [`field:${field.id}`]: lease?.id });
      const swapped = [
        { id: freehold?.id, label: 'Lease' },
        { id: lease?.id, label: 'Freehold' },
      ];
      await ask('put', `/office/fields/${field.id}`, { ...field, choices: swapped });
      const view = (await ask('get', '/clients/9')).body as { fields: { label: string; value: string }[] };
      expect(view.fields.find(({ label }) => label === 'Tenure')?.value).to.equal('Freehold');
      await ask('put', `/office/fields/${field.id}`, { ...field, choices: swapped.slice(0, 1) });
      expect((await read('/clients/9'))[`field:${field.id}`]).to.equal(null);
    });
  });

  it('shows on a client’s page who names it, or somebody of theirs, in a field', async () => {
    const { db } = firm;
    const [field = 0] = await db('field').insert({
      label: 'Neighbour',
      of: 'client',
      kind: 'client',
      position: 40,
    });
    const [other = 0] = await db('field').insert({
      label: 'Agent',
      of: 'client',
      kind: 'person',
      position: 41,
    });
    const { person_id } = await one(db('client_person').where({ client_id: 2 }).first('person_id'));
    await db('client_field_value').insert([
      { client_id: 4, field_id: field, client_link: 2 },
      { client_id: 5, field_id: other, person_link: person_id },
    ]);
    const view = await viewClient(db, 2);
    const names = new Map(
      (await db('client').whereIn('id', [4, 5]).select('id', 'name')).map((row) => [row.id, row.name]),
    );
    expect(
      view?.namedBy.map(({ clientId, client, field: label, person }) => [
        clientId,
        client,
        label,
        person !== null,
      ]),
    ).to.deep.equal([
      [4, names.get(4), 'Neighbour', false],
      [5, names.get(5), 'Agent', true],
    ]);
    await db('field').where({ id: field }).update({ gone_at: new Date() });
    expect((await viewClient(db, 2))?.namedBy.map(({ clientId }) => clientId)).to.deep.equal([5]);
  });

  it('carries a renamed service to its clients, and puts another in the place of one that goes', async () => {
    type Entry = { id: number; name: string; used: number };
    const entries = (await ask('get', '/office/lists/service')).body as Entry[];
    const [a, b] = entries.filter(({ used }) => used) as [Entry, Entry];
    const renamed = entries.map((entry) => (entry === a ? { ...entry, name: 'Renamed service' } : entry));
    await ask('put', '/office/lists/service', { entries: renamed, moved: [] });
    expect(await countOf(firm.db('client').where({ service: 'Renamed service' }))).to.equal(a.used);
    await ask('put', '/office/lists/service', {
      entries: renamed.filter(({ id }) => id !== a.id),
      moved: [{ from: a.id, to: b.id }],
    });
    expect(await countOf(firm.db('client').where({ service: b.name }))).to.equal(a.used + b.used);
    const interests = (await ask('get', '/office/lists/interest')).body as Entry[];
    const [first, second] = interests as [Entry, Entry];
    const bearing = async () =>
      new Set(
        await firm.db('client_interest').whereIn('interest_id', [first.id, second.id]).pluck('client_id'),
      ).size;
    const before = await bearing();
    const merged = await ask('put', '/office/lists/interest', {
      entries: interests.filter(({ id }) => id !== first.id),
      moved: [{ from: first.id, to: second.id }],
    });
    expect((merged.body as Entry[]).find(({ id }) => id === second.id)?.used).to.equal(before);
  });
});
