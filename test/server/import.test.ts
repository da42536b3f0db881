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
      'fee_note',
    ] as const;
    const all = await Promise.all(
      tables.map((table) =>
        db(table)
          .select()
          .orderBy(1 as unknown as string),
      ),
    );
    // Rows written anew have other numbers of their own, and are new to the weighing of mail.
    return JSON.stringify(
      all.map((rows) =>
        rows.map((row) => ({ ...row, ...('number_key' in row ? { id: 0 } : {}), new_at: undefined })),
      ),
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

  it('brings fee notes in: new ones, changed ones, those of another refused, and takes them back', async () => {
    const { db } = firm;
    const file = await one(
      db('file')
        .join('client', 'client.id', 'file.client_id')
        .first('file.number', 'client.name', 'client.id'),
    );
    await db('fee_note').where({ number: 'T-9' }).delete();
    await db('fee_note').insert({
      ...{ client_id: file.id, number: 'T-9', issued_on: '2026-01-05', due_on: '2026-02-05' },
      ...{ amount: 120, tax: 20, paid_on: null, words: 'Survey' },
    });
    const before = await register();
    const id = await take(
      [
        'Client,File number,Invoice no,Invoice date,Due date,Amount,VAT,Paid',
        `${file.name},${file.number},T-10,3 May 2026,2 June 2026,"1,200.00",200,`,
        ',,T-9,,,,,4 March 2026',
        'Brand New Farm,,T-11,2026-05-03,,£50.50,,',
        'Brand New Farm,,T-12,,,10,,',
        'Brand New Farm,,T-9,,,,,4 March 2026',
        `${file.name},,T-13,2026-05-03,2026-04-03,10,,`,
        `${file.name},,T-14,2026-05-03,,10,11,`,
        ',,T-99,2026-05-03,,10,,',
        `${file.name},,,2026-05-03,,10,,`,
      ].join('\n'),
    );
    expect((await view(id)).columns).to.deep.equal([
      'client.name',
      'file.number',
      'fee.number',
      'fee.issued',
      'fee.due',
      'fee.amount',
      'fee.tax',
      'fee.paid',
    ]);
    await check(id);
    const told = await rowsOf(id);
    expect(told.map(({ outcome }) => outcome).join(' ')).to.equal(
      'change change add refused refused refused refused refused refused',
    );
    const words = told.map((row) => row.words);
    expect(words[0]).to.equal('New fee note T-10.');
    expect(words[1]).to.equal('Changes day paid of fee note T-9.');
    expect(words[2]).to.equal('New client Brand New Farm. New fee note T-11.');
    expect(words[3]).to.contain('T-12 is new: the day it was issued and its amount are wanted');
    expect(words[4]).to.contain(`T-9 is ${file.name}’s, not Brand New Farm’s`);
    expect(words[5]).to.contain('due before it is issued');
    expect(words[6]).to.contain('more than its amount');
    expect(words[7]).to.contain('There is no fee note T-99');
    expect(words[8]).to.contain('not its number');
    expect(await register()).to.equal(before);
    await ask('post', `/imports/${id}/run`, {});
    await work();
    expect(
      await one(db('fee_note').where({ number: 'T-10' }).first('amount', 'tax', 'due_on')),
    ).to.deep.equal({
      ...{ amount: 1200, tax: 200, due_on: '2026-06-02' },
    });
    expect((await one(db('fee_note').where({ number: 'T-9' }).first('paid_on'))).paid_on).to.equal(
      '2026-03-04',
    );
    await ask('post', `/imports/${id}/undo`, {});
    await work();
    expect(await view(id)).to.include({ state: 'undone', problem: null });
    expect(await register()).to.equal(before);
    await db('fee_note').where({ number: 'T-9' }).delete();
  });

  it('leaves a fee note that somebody changed since, with its client, and says so', async () => {
    const { db } = firm;
    const id = await take('Client,Invoice no,Invoice date,Amount\nPaid Farm,T-20,2026-05-03,10');
    await check(id);
    await ask('post', `/imports/${id}/run`, {});
    await work();
    const fee = await one(db('fee_note').where({ number: 'T-20' }).first());
    const changed = await ask('put', `/fee-notes/${fee.id}`, {
      ...{ number: 'T-20', issuedOn: fee.issued_on, dueOn: fee.due_on, amount: 11, tax: 0 },
      ...{ paidOn: null, fileId: null, words: '' },
    });
    expect(changed.status, changed.body.message).to.be.below(300);
    await ask('post', `/imports/${id}/undo`, {});
    await work();
    const { state, problem } = await view(id);
    expect([state, problem]).to.deep.equal([
      'undone',
      'Fee note T-20 stays: it was changed since. Paid Farm has fee notes by now.',
    ]);
    // It stays whole, for the fee note’s sake.
    const stays = await one(db('client').where({ name: 'Paid Farm' }).first('id'));
    expect(await db('file').where({ client_id: stays.id })).to.have.length(1);
    await db('fee_note').where({ number: 'T-20' }).delete();
    await db('file').where({ client_id: stays.id }).delete();
    await db('client').where({ id: stays.id }).delete();
  });

  it('names people by address and clients by name in fields of the firm’s own, and refuses whom it cannot tell', async () => {
    const { db } = firm;
    const [person = 0] = await db('field').insert({
      label: 'Solicitor',
      of: 'client',
      kind: 'person',
      position: 30,
    });
    const [client = 0] = await db('field').insert({
      label: 'Neighbour',
      of: 'client',
      kind: 'client',
      position: 31,
    });
    const { email, person_id } = await one(
      db('address')
        .whereIn(
          'email_key',
          db('address').groupBy('email_key').havingRaw('COUNT(*) = 1').select('email_key'),
        )
        .first(),
    );
    const other = await one(db('client').where({ id: 2 }).first('id', 'name'));
    const before = await register();
    const id = await take(
      `Client,Solicitor,Neighbour\nLinked Farm,${email.toUpperCase()},${other.name}\nOther Farm,nobody@nowhere.example,\nThird Farm,,No Such Client`,
    );
    await check(id);
    const rows = await rowsOf(id);
    expect(rows.map(({ outcome }) => outcome)).to.deep.equal(['add', 'refused', 'refused']);
    expect(rows[1]?.words).to.contain('Solicitor: “nobody@nowhere.example” is nobody’s address here');
    await ask('post', `/imports/${id}/run`, {});
    await work();
    const made = await one(db('client').where({ name: 'Linked Farm' }).first('id'));
    const values = await db('client_field_value').where({ client_id: made.id }).orderBy('field_id');
    expect(values.map((row) => [row.field_id, row.person_link, row.client_link])).to.deep.equal([
      [person, person_id, null],
      [client, null, other.id],
    ]);
    await ask('post', `/imports/${id}/undo`, {});
    await work();
    expect(await register()).to.equal(before);
    await db('field').whereIn('id', [person, client]).delete();
  });

  it('brings business cards in as people of clients', async () => {
    const before = await register();
    const id = await take(
      'BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Ada Fell\r\nN:Fell;Ada;;;\r\nORG:Card Farm\r\nEMAIL:ada@card.example\r\nTEL;VALUE=uri:tel:+44-7700-900123\r\nADR:;;1 Lane;Fell;;Q1 1AA;United Kingdom\r\nEND:VCARD\r\n',
    );
    await check(id);
    expect((await view(id)).delimiter).to.equal('card');
    const [row] = await rowsOf(id);
    expect(row?.words).to.equal('New client Card Farm. New person Ada Fell.');
    await ask('post', `/imports/${id}/run`, {});
    await work();
    expect(await one(firm.db('address').where({ email: 'ada@card.example' }).first('current'))).to.deep.equal(
      { current: 1 },
    );
    await ask('post', `/imports/${id}/undo`, {});
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
