import { Writable } from 'node:stream';
import { expect } from 'chai';
import type { Express } from 'express';
import fc from 'fast-check';
import request from 'supertest';
import type { ImportRows, ImportView } from '../../contract/index.ts';
import { DEMO_PASSWORD } from '../../demo/load.ts';
import { selectionOf } from '../../core/selection/tree.ts';
import { AppContext } from '../../server/foundation/context.ts';
import { countOf } from '../../server/foundation/rows.ts';
import { webApp } from '../../server/http/app.ts';
import { LEDGER } from '../../server/parts.ts';
import { ImportWorker } from '../../server/records/import/worker.ts';
import { takeOut } from '../../server/records/takeOut.ts';
import { browserOf } from './browserOf.ts';
import { one, openFirm, type TestFirm } from './helpers.ts';

describe('bringing lists in', () => {
  let firm: TestFirm;
  let app: Express;
  let cookie = '';
  let ask: ReturnType<typeof browserOf>['ask'];
  let worker: ImportWorker;
  before(async () => {
    firm = await openFirm({ clients: 12, files: 22 });
    app = webApp(firm.context, LEDGER);
    worker = new ImportWorker(firm.context);
    const maren = browserOf(app);
    const signed = await maren.signIn('maren.okell@quillhurst.example', DEMO_PASSWORD);
    cookie = String(signed.headers['set-cookie']?.[0]).split(';')[0] ?? '';
    ask = maren.ask;
  });
  after(() => firm.close());

  const upload = (bytes: Buffer | string, filename = 'clients.csv') =>
    request(app)
      .post(`/api/imports?filename=${encodeURIComponent(filename)}`)
      .set('cookie', cookie)
      .set('content-type', 'text/csv')
      .send(Buffer.from(bytes));
  const view = async (id: number) => (await ask('get', `/imports/${id}`)).body as ImportView;
  const rowsOf = async (id: number) =>
    ((await ask('get', `/imports/${id}/rows?limit=200`)).body as ImportRows).rows;
  const work = async () => {
    while (await worker.round());
  };
  async function take(csv: string): Promise<number> {
    const answer = await upload(csv);
    expect(answer.status, answer.body.message).to.equal(200);
    return answer.body.id;
  }
  async function check(id: number, existing: 'change' | 'leave' = 'change', columns?: (string | null)[]) {
    const asked = await ask('put', `/imports/${id}`, {
      columns: columns ?? (await view(id)).columns,
      existing,
    });
    expect(asked.status, asked.body.message).to.equal(200);
    await work();
    return view(id);
  }
  /** Everything of the register that a list may touch. */
  async function register() {
    const { db } = firm;
    const tables = [
      'client',
      'person',
      'address',
      'phone',
      'client_person',
      'file',
      'file_person',
      'client_tag',
      'client_interest',
      'client_field_value',
    ] as const;
    const all = await Promise.all(
      tables.map((table) =>
        db(table)
          .select()
          .orderBy(1 as unknown as string),
      ),
    );
    // Rows written anew have other numbers of their own.
    return JSON.stringify(
      all.map((rows) => rows.map((row) => ({ ...row, ...('number_key' in row ? { id: 0 } : {}) }))),
    );
  }

  const MESSY = [
    '\u{FEFF}Client;First name;Surname;E-mail;Mobile;Role;File number;Matter title;Town;Adviser;Tags;Holding area',
    'Fell Farm;Ada;Fell;ada@fell.example;07700 900123;owner;;Hedge planting;Fell;Ines Calder;big, new;12,5 ha',
    'Fell Farm;Ben;Fell;ben@fell.example;;son;;;;;;',
    '"Dray; Sons";Wilf;Dray;not an address;;;;;;;;',
    ';;;;;;;;;;;',
    'Orphan Trust;;;;;;ZZ 1;;;Nobody;;',
    ';;;;;;NOWHERE-1;;;;;',
  ].join('\r\n');

  it('says row by row what would be done and why not, does just that, and takes it all back', async () => {
    const before = await register();
    const id = await take(MESSY);
    const first = await view(id);
    expect([first.delimiter, first.encoding, first.rows]).to.deep.equal(['semicolon', 'utf-8', 5]);
    expect(first.columns).to.deep.equal([
      'client.name',
      'person.firstName',
      'person.lastName',
      'person.email',
      'person.phone',
      'person.role',
      'file.number',
      'file.title',
      'client.place',
      'client.adviser',
      'client.tags',
      'field:1',
    ]);
    const checked = await check(id);
    expect([checked.state, checked.counts]).to.deep.equal([
      'checked',
      { add: 1, change: 1, same: 0, refused: 3 },
    ]);
    expect(await register()).to.equal(before);
    expect((await rowsOf(id)).map(({ line, outcome, words }) => [line, outcome, words])).to.deep.equal([
      [1, 'add', 'New client Fell Farm. New person Ada Fell. New file Hedge planting.'],
      [2, 'change', 'New person Ben Fell.'],
      [3, 'refused', '“not an address” is no email address.'],
      [4, 'refused', '“Nobody” is none of the office’s staff.'],
      [5, 'refused', 'There is no file NOWHERE-1, and no client is named.'],
    ]);
    expect((await ask('post', `/imports/${id}/run`)).status).to.equal(200);
    await work();
    const done = await view(id);
    expect([done.state, done.counts, done.through]).to.deep.equal(['done', checked.counts, 5]);
    const [{ clientId } = { clientId: null }] = await rowsOf(id);
    const client = (await ask('get', `/clients/${clientId}`)).body;
    expect(client).to.deep.include({
      name: 'Fell Farm',
      place: 'Fell',
      adviser: 'Ines Calder',
      since: null,
      tags: ['big', 'new'],
    });
    expect(
      client.people.map(({ name, role, writes }: { name: string; role: string; writes: boolean }) => [
        name,
        role,
        writes,
      ]),
    ).to.deep.equal([
      ['Ada Fell', 'owner', true],
      ['Ben Fell', 'son', false],
    ]);
    expect(client.people[0].phones).to.deep.equal([{ number: '07700 900123', purpose: '' }]);
    expect(client.files.map(({ title }: { title: string }) => title)).to.have.members([
      'General correspondence',
      'Hedge planting',
    ]);
    expect(client.fields.find(({ label }: { label: string }) => label === 'Holding area').value).to.equal(
      '12.5 ha',
    );
    // The same list once more: nothing is left to do.
    const again = await take(MESSY);
    expect((await check(again)).counts).to.deep.equal({ add: 0, change: 0, same: 2, refused: 3 });
    await ask('delete', `/imports/${again}`);
    expect((await ask('post', `/imports/${id}/undo`)).status).to.equal(200);
    await work();
    expect([(await view(id)).state, (await view(id)).problem]).to.deep.equal(['undone', null]);
    await firm.db('tag').delete();
    expect(await register()).to.equal(before);
  });

  it('changes what is here by name, address or file number, or leaves it, as one says', async () => {
    const { db } = firm;
    const file = await one(
      db('file')
        .join('client', 'client.id', 'file.client_id')
        .where('file.general', 0)
        .first({ number: 'file.number', name: 'client.name', client: 'client.id' }),
    );
    const person = await one(
      db('client_person')
        .join('person', 'person.id', 'client_person.person_id')
        .join('address', 'address.person_id', 'person.id')
        .where('client_person.client_id', file.client)
        .first({ email: 'address.email', first: 'person.first_name', last: 'person.last_name' }),
    );
    const csv = [
      'Client,First name,Last name,Email,File number,Place,Stage',
      `${file.name.toUpperCase()},${person.first},${person.last},${person.email.toUpperCase()},,Elsewhere,`,
      `,,,,${file.number},,Survey`,
      `Somebody Else,,,,${file.number},,`,
      `${file.name},Another,One,${person.email},,,`,
    ].join('\n');
    const id = await take(csv);
    const left = await check(id, 'leave');
    expect(left.counts).to.deep.equal({ add: 0, change: 1, same: 2, refused: 1 });
    const before = await register();
    const checked = await check(id, 'change');
    expect(checked.counts.refused).to.equal(1);
    expect((await rowsOf(id)).map(({ words }) => words).slice(2)).to.deep.equal([
      `File ${file.number} is ${file.name}’s, not Somebody Else’s.`,
      'New person Another One.',
    ]);
    await ask('post', `/imports/${id}/run`);
    await work();
    const client = await one(db('client').where({ id: file.client }).first());
    expect(client.place).to.equal('Elsewhere');
    await ask('post', `/imports/${id}/undo`);
    await work();
    expect(await register()).to.equal(before);
  });

  it('leaves what somebody has worked on since, and says so', async () => {
    const id = await take(
      'Client,Place,First name,Last name\nKept Farm,Here,Kit,Kept\nGone Farm,There,Gil,Gone',
    );
    await check(id);
    await ask('post', `/imports/${id}/run`);
    await work();
    const [kept] = await rowsOf(id);
    await ask('put', `/clients/${kept?.clientId}`, { before: { note: '' }, after: { note: 'Rang.' } });
    await ask('post', `/imports/${id}/undo`);
    await work();
    const undone = await view(id);
    expect([undone.state, undone.problem]).to.deep.equal(['undone', 'Kept Farm was changed since.']);
    // It stays whole: with its people and its file.
    const client = (await ask('get', `/clients/${kept?.clientId}`)).body;
    expect([client.people.length, client.files.length]).to.deep.equal([1, 1]);
    expect(await countOf(firm.db('person').where({ last_name: 'Gone' }))).to.equal(0);
    expect(await firm.db('client').whereIn('name', ['Kept Farm', 'Gone Farm']).pluck('name')).to.deep.equal([
      'Kept Farm',
    ]);
  });

  it('goes on after a kill in the midst, in another process, with nothing twice', async () => {
    const rows = Array.from(
      { length: 230 },
      (_, at) => `Row Client ${at % 200},Person,No${at},p${at}@row.example`,
    );
    const id = await take(['Client,First name,Last name,Email', ...rows].join('\n'));
    expect((await check(id)).counts).to.deep.equal({ add: 200, change: 30, same: 0, refused: 0 });
    await ask('post', `/imports/${id}/run`);
    // A process that dies after its third batch: its lease runs out, and what it had begun is rolled back.
    const dying = new ImportWorker(new AppContext(firm.db, firm.config, firm.context.log));
    let batches = 0;
    const keep = (dying as unknown as { keep: (...given: unknown[]) => Promise<void> }).keep.bind(dying);
    (dying as unknown as { keep: unknown }).keep = async (...given: unknown[]) => {
      if (++batches > 1) throw new Error('killed');
      await keep(...given);
    };
    await dying.round().catch(() => undefined);
    const between = await view(id);
    expect([between.state, between.through]).to.deep.equal(['running', 100]);
    expect(await countOf(firm.db('client').where('name', 'like', 'Row Client %'))).to.equal(100);
    await firm.db('import_run').where({ id }).update({ lease_until: null });
    await work();
    expect((await view(id)).state).to.equal('done');
    expect(await countOf(firm.db('client').where('name', 'like', 'Row Client %'))).to.equal(200);
    expect(await countOf(firm.db('address').where('email', 'like', '%@row.example'))).to.equal(230);
    await ask('post', `/imports/${id}/undo`);
    await Promise.all([
      work(),
      new ImportWorker(new AppContext(firm.db, firm.config, firm.context.log)).round(),
    ]);
    await work();
    expect((await view(id)).problem).to.equal(null);
    expect(await countOf(firm.db('client').where('name', 'like', 'Row Client %'))).to.equal(0);
    expect(await countOf(firm.db('address').where('email', 'like', '%@row.example'))).to.equal(0);
  });

  it('remembers what columns held for the next list with the same headings', async () => {
    const headings = 'Wer,Wo,Post';
    const id = await take(`${headings}\nAda Fell,Fell,ada@fell.example`);
    expect((await view(id)).columns).to.deep.equal([null, null, 'person.email']);
    await check(id, 'change', ['client.name', 'client.place', 'person.email']);
    const next = await take(`${headings}\nBen Dale,Dale,ben@dale.example`);
    expect((await view(next)).columns).to.deep.equal(['client.name', 'client.place', 'person.email']);
  });

  it('refuses what is no list, is too large, or is at another step, with a clear word', async () => {
    const png = Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 0, 0, 0, 13]);
    const picture = await upload(png, 'clients.csv');
    expect([picture.status, picture.body.message]).to.deep.equal([
      400,
      'This is no table but a picture (PNG).',
    ]);
    const large = await upload(Buffer.alloc(65 * 1024 * 1024, 'a,b\n'));
    expect([large.status, large.body.message]).to.deep.equal([
      413,
      'A list may have 64 MB. Bring it in in parts.',
    ]);
    const id = await take('Client,Place\nX,Y');
    expect((await ask('post', `/imports/${id}/run`)).status).to.equal(409);
    const nameless = await ask('put', `/imports/${id}`, {
      columns: [null, 'client.place'],
      existing: 'change',
    });
    expect([nameless.status, nameless.body.field]).to.deep.equal([400, 'columns']);
    const twice = await ask('put', `/imports/${id}`, {
      columns: ['client.name', 'client.name'],
      existing: 'change',
    });
    expect([twice.status, twice.body.message]).to.deep.equal([400, 'Two columns cannot both hold the same.']);
    expect(
      (await ask('put', `/imports/${id}`, { columns: ['client.name'], existing: 'change' })).status,
    ).to.equal(400);
    expect((await ask('get', '/imports/999999')).status).to.equal(404);
  });

  it('changes nothing when what was taken out is brought in again, whatever stands there (property)', async () => {
    const { db } = firm;
    const ids: number[] = await db('client').where({ status: 'active' }).orderBy('id').pluck('id');
    const columns = [
      ...['client.name', 'client.status', 'client.kind', 'client.since', 'client.service', 'client.place'],
      ...['client.adviser', 'client.tags', 'client.interests', 'field:1', 'field:2', 'field:3'],
    ];
    const odd = fc
      .array(
        fc.constantFrom('=1+1', '+44', '-', '@x', '"', "'", ';', ',', 'ä', 'ß', ' ', 'Mill', '\t', '1,5'),
        {
          minLength: 1,
          maxLength: 5,
        },
      )
      .map((parts) => parts.join('').trim().replace(/\s+/g, ' '));
    await fc.assert(
      fc.asyncProperty(fc.array(odd, { minLength: 4, maxLength: 4 }), async (words) => {
        const [name = '', place = ''] = words;
        // A name of its own, so that it is told apart from the others.
        await db('client')
          .where({ id: ids[0] ?? 0 })
          .update({ name: `${name}Own Farm`, place });
        await db('client')
          .where({ id: ids[1] ?? 0 })
          .update({ place: words[2] ?? '' });
        const chunks: Buffer[] = [];
        const to = new Writable({
          write: (chunk: Buffer, _encoding, done) => {
            chunks.push(Buffer.from(chunk));
            done();
          },
        });
        const { write } = await takeOut(db, 1, {
          ...{ selection: { ...selectionOf(), past: true }, columns, sort: 'client.name', order: 'asc' },
          ...{ format: 'csv', name: 'All' },
        });
        await write(to);
        const before = await register();
        const id = await take(Buffer.concat(chunks).toString('utf8'));
        expect((await view(id)).columns).to.not.include(null);
        await check(id);
        const rows = await rowsOf(id);
        expect(
          rows.map(({ outcome, words: why }) => [outcome, why]).filter(([outcome]) => outcome !== 'same'),
        ).to.deep.equal([]);
        await ask('post', `/imports/${id}/run`);
        await work();
        expect((await register()) === before).to.equal(true);
      }),
      { numRuns: 25 },
    );
  });
});
