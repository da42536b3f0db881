import { Writable } from 'node:stream';
import ExcelJS from 'exceljs';
import { expect } from 'chai';
import Papa from 'papaparse';
import ICAL from 'ical.js';
import type { ManyChange } from '../../contract/index.ts';
import { selectionOf, type Selection } from '../../core/selection/tree.ts';
import { addFeeNote, changeFeeNote, listFeeNotes, removeFeeNote } from '../../server/records/feeNotes.ts';
import { readRecord } from '../../server/records/changing.ts';
import { recordHistory, takeBack } from '../../server/records/history.ts';
import { changeMany, listMany, previewMany, undoMany } from '../../server/records/many/changes.ts';
import { cardOf, takeOut } from '../../server/records/takeOut.ts';
import { one, openFirm, type TestFirm } from './helpers.ts';

const refused = (work: Promise<unknown>) => work.then(() => 'done').catch((error: Error) => error.message);
const PAGE = { offset: 0, limit: 50 };

describe('many records at once', () => {
  let firm: TestFirm;
  before(async () => {
    firm = await openFirm({ clients: 20, files: 34 });
    await firm.db('tag').insert([{ name: 'Board' }, { name: 'Friends' }]);
    await firm.db('client_tag').insert([
      { client_id: 1, tag_id: 1 },
      { client_id: 2, tag_id: 2 },
    ]);
    await firm.db('field').insert({ id: 20, of: 'client', label: 'Colour', kind: 'choices', position: 9 });
    await firm.db('field_choice').insert([
      { id: 7, field_id: 20, label: 'red' },
      { id: 8, field_id: 20, label: 'blue' },
    ]);
  });
  after(() => firm.close());

  /** Every row that such a change could touch, as it stands. */
  const standing = async () => {
    const { db } = firm;
    return JSON.stringify([
      await db('client').orderBy('id').select('id', 'status', 'adviser_id', 'service'),
      await db('file').orderBy('id').select('id', 'adviser_id', 'stage_id'),
      (await db('client_tag')
        .join('tag', 'tag.id', 'client_tag.tag_id')
        .orderBy(['client_id', 'name'])
        .select('client_id', 'name')) as object[],
      await db('client_interest').orderBy(['client_id', 'interest_id']),
      await db('client_field_value').orderBy(['client_id', 'field_id', 'item']),
      (await db('delivery').orderBy(['client_id', 'kind'])).filter(
        ({ way, person_id }) => way !== 'email' || person_id !== null,
      ),
    ]);
  };
  const all: Selection = { ...selectionOf(), past: true };

  const CHANGES: [ManyChange, Selection['subject']][] = [
    [{ what: 'status', value: 'prospect' }, 'client'],
    [{ what: 'adviser', value: 3 }, 'client'],
    [{ what: 'adviser', value: null }, 'file'],
    [{ what: 'service', value: 'Project' }, 'client'],
    [{ what: 'service', value: null }, 'client'],
    [{ what: 'stage', value: 'Survey' }, 'file'],
    [{ what: 'add tag', value: 'New at once' }, 'client'],
    [{ what: 'add tag', value: 'board' }, 'client'],
    [{ what: 'drop tag', value: 'Friends' }, 'client'],
    [{ what: 'add interest', value: 'Orchard days' }, 'client'],
    [{ what: 'drop interest', value: 'River mornings' }, 'client'],
    [{ what: 'delivery', kind: 'mailings', value: 'post' }, 'client'],
    [{ what: 'field', key: 'field:2', value: 12.5 }, 'client'],
    [{ what: 'field', key: 'field:3', value: null }, 'client'],
    [{ what: 'field', key: 'field:20', value: [7, 8] }, 'client'],
  ];

  it('are changed as was shown, and every row is as it was when it is taken back', async () => {
    const stage = await firm.db('stage').where({ name: 'Survey' }).first('id');
    if (!stage) await firm.db('stage').insert({ name: 'Survey' });
    for (const [change, subject] of CHANGES) {
      const selection = { ...all, subject };
      const before = await standing();
      const preview = await previewMany(firm.db, 1, { selection, change, ...PAGE });
      expect(preview.changed, JSON.stringify(change)).to.be.greaterThan(0);
      expect(preview.changed + preview.same).to.equal(subject === 'client' ? 20 : 34);
      const id = await changeMany(firm.db, 1, { selection, change, changed: preview.changed });
      const again = await previewMany(firm.db, 1, { selection, change, ...PAGE });
      expect([again.changed, again.rows]).to.deep.equal([0, []]);
      expect((await standing()) === before).to.equal(false);
      await undoMany(firm.db, 1, id);
      expect((await standing()) === before, JSON.stringify(change)).to.equal(true);
      expect(await refused(undoMany(firm.db, 1, id))).to.contain('taken back already');
    }
  });

  it('say what stands there and what will, in words', async () => {
    const change: ManyChange = { what: 'add tag', value: 'Board' };
    const { rows } = await previewMany(firm.db, 1, { selection: all, change, ...PAGE });
    const second = await readRecord(firm.db, 'client', 2);
    expect(rows.find(({ id }) => id === 2)).to.deep.equal({
      ...{ id: 2, name: second.name, before: 'Friends', after: 'Board, Friends' },
    });
    expect(rows.some(({ id }) => id === 1)).to.equal(false);
  });

  it('are each told in their history, and one is taken back alone; what changed again since stays', async () => {
    const change: ManyChange = { what: 'status', value: 'past' };
    const { changed } = await previewMany(firm.db, 1, { selection: all, change, ...PAGE });
    const id = await changeMany(firm.db, 1, { selection: all, change, changed });
    const done = await firm.db('audit').where({ many_id: id }).orderBy('id').limit(2);
    const [first, second] = done.map((row) => row.subject_id ?? 0);
    const { steps } = await recordHistory(firm.db, { subject: 'client', id: first ?? 0, ...PAGE });
    expect(steps[0]?.fields[0]).to.include({ label: 'Status', after: 'past' });
    await takeBack(firm.db, 1, steps[0]?.id ?? 0);
    expect((await readRecord(firm.db, 'client', first ?? 0)).status).to.not.equal('past');
    await firm
      .db('client')
      .where({ id: second ?? 0 })
      .update({ status: 'prospect' });
    await undoMany(firm.db, 1, id);
    const [told] = await listMany(firm.db, 1);
    expect([told?.words, told?.kept, told?.changed]).to.deep.equal(['Status: past', 2, changed]);
    expect((await readRecord(firm.db, 'client', second ?? 0)).status).to.equal('prospect');
  });

  it('are not changed when they are others than were shown, or to what is not there', async () => {
    const change: ManyChange = { what: 'adviser', value: 4 };
    const before = await standing();
    expect(await refused(changeMany(firm.db, 1, { selection: all, change, changed: 1 }))).to.contain(
      'Look at them again',
    );
    const ask = (wanted: ManyChange, selection = all) =>
      refused(previewMany(firm.db, 1, { selection, change: wanted, ...PAGE }));
    expect(await ask({ what: 'adviser', value: 99 })).to.contain('not here any more');
    expect(await ask({ what: 'service', value: 'None such' })).to.contain('none of the office');
    expect(await ask({ what: 'field', key: 'field:2', value: 'many' })).to.contain('Give a number');
    expect(await ask({ what: 'field', key: 'field:999', value: 1 })).to.contain('cannot be changed');
    expect(await ask({ what: 'status', value: 'past' }, { ...all, subject: 'file' })).to.contain(
      'cannot be changed of these',
    );
    expect((await standing()) === before).to.equal(true);
  });
});

describe('a list taken out', () => {
  let firm: TestFirm;
  before(async () => {
    firm = await openFirm({ clients: 12, files: 20 });
    await firm.db('client').where({ id: 2 }).update({ name: '=HYPERLINK("http://x.example","a")' });
    await firm
      .db('client')
      .where({ id: 3 })
      .update({ name: 'Söhne, "und" Töchter\nGmbH', place: '+44 is no sum' });
  });
  after(() => firm.close());

  async function taken(
    format: 'csv' | 'xlsx' | 'vcf',
    subject: Selection['subject'] = 'client',
  ): Promise<Buffer> {
    const chunks: Buffer[] = [];
    const to = new Writable({
      write: (chunk: Buffer, _encoding, done) => {
        chunks.push(Buffer.from(chunk));
        done();
      },
    });
    const columns =
      subject === 'client'
        ? ['client.name', 'client.place', 'client.status', 'field:2', 'field:3', 'client.weOwe']
        : [`${subject}.lastName`];
    const { write } = await takeOut(firm.db, 1, {
      ...{
        selection: { ...selectionOf(), past: true, subject },
        columns,
        sort: columns[0] ?? '',
        order: 'asc',
      },
      ...{ format, name: 'All' },
    });
    await write(to);
    return Buffer.concat(chunks);
  }

  it('as CSV reads back as it stood, and carries no formula', async () => {
    const text = (await taken('csv')).toString('utf8');
    expect(
      text.startsWith('\uFEFFName,Place,Status,"Woodland area, ha",Plan review,We owe an answer\r\n'),
    ).to.equal(true);
    const { data, errors } = Papa.parse<string[]>(text.slice(1), { skipEmptyLines: true });
    expect(errors).to.deep.equal([]);
    expect(data).to.have.length(13);
    const named = (part: string) => data.find(([name]) => name?.includes(part));
    expect(named('HYPERLINK')?.[0]).to.match(/^'=/);
    expect(named('Söhne')?.slice(0, 3)).to.deep.equal([
      'Söhne, "und" Töchter\nGmbH',
      "'+44 is no sum",
      'Active',
    ]);
    const fourth = await one(firm.db('client').where({ id: 4 }).first('name'));
    const wood = await firm
      .db('client_field_value')
      .where({ client_id: 4, field_id: 2 })
      .first('number_value');
    const review = await one(
      firm.db('client_field_value').where({ client_id: 4, field_id: 3 }).first('date_value'),
    );
    const row = data.find(([name]) => name === fourth.name);
    expect(row?.slice(3, 5)).to.deep.equal([wood ? String(wood.number_value) : '', review.date_value]);
  });

  it('as a spreadsheet has numbers and days as such, and texts that are no formulas', async () => {
    const book = new ExcelJS.Workbook();
    await book.xlsx.load((await taken('xlsx')) as unknown as ArrayBuffer);
    const sheet = book.worksheets[0];
    expect(sheet?.rowCount).to.equal(13);
    const cells = (sheet?.getRows(2, 12) ?? []).map((row) => [1, 4, 5].map((at) => row.getCell(at)));
    const formula = cells.find(([name]) => String(name?.value).includes('HYPERLINK'));
    expect([formula?.[0]?.type, formula?.[0]?.value]).to.deep.equal([
      ExcelJS.ValueType.String,
      '=HYPERLINK("http://x.example","a")',
    ]);
    for (const [, wood, review] of cells) {
      expect(wood?.type).to.be.oneOf([ExcelJS.ValueType.Number, ExcelJS.ValueType.Null]);
      expect(review?.type).to.equal(ExcelJS.ValueType.Date);
    }
  });

  it('as cards has one for each person, by RFC 6350', async () => {
    const cards = ICAL.parse((await taken('vcf')).toString('utf8')) as unknown[][];
    const people = await firm.db('client_person').distinct('person_id').pluck('person_id');
    expect(cards).to.have.length(people.length);
    expect(cards.every(([name]) => name === 'vcard')).to.equal(true);
    // RFC 6350, 3.4 and 6.2.2: commas and semicolons within a value are escaped, parts of a name are not joined.
    const card = cardOf({
      ...{
        first: 'Ada',
        last: 'Fell; the elder',
        title: 'Dr',
        role: 'owner',
        clients: ['Fell, Daughters & Co'],
      },
      ...{
        postal: ['The Mill', 'Q1 2AB'],
        country: 'GB',
        emails: ['a@fell.example'],
        phones: ['01632 960 961'],
      },
    });
    const parsed = new ICAL.Component(ICAL.parse(card) as unknown[]);
    expect(parsed.getFirstPropertyValue('n')).to.deep.equal(['Fell; the elder', 'Ada', '', 'Dr', '']);
    expect(parsed.getFirstPropertyValue('org')).to.equal('Fell, Daughters & Co');
    expect(card.split('\r\n').slice(0, 3)).to.deep.equal([
      'BEGIN:VCARD',
      'VERSION:4.0',
      'FN:Dr Ada Fell; the elder',
    ]);
    expect(await refused(taken('vcf', 'file'))).to.contain('Cards are made of people');
  });

  it('leaves a line that says who took out how many', async () => {
    await firm.db('audit').where({ action: 'list taken out' }).delete();
    await taken('csv');
    const [line] = await firm.db('audit').where({ action: 'list taken out' });
    expect(JSON.parse(line?.after_value ?? '{}')).to.include({ format: 'csv', records: 12 });
  });
});

describe('fee notes', () => {
  let firm: TestFirm;
  before(async () => {
    firm = await openFirm({ clients: 6, files: 12 });
    await firm.db('fee_note').delete();
  });
  after(() => firm.close());

  it('are entered, changed, taken out, and reckoned together', async () => {
    const { db } = firm;
    const own = await one(db('file').where({ client_id: 2 }).first('id'));
    const others = await one(db('file').where({ client_id: 3 }).first('id'));
    const note = {
      ...{ number: 'N-1', issuedOn: '2026-01-01', dueOn: '2026-01-31', amount: 120.5, tax: 20.08 },
      ...{ paidOn: null, fileId: own.id, words: 'The survey' },
    };
    const id = await addFeeNote(db, 1, 2, note);
    await addFeeNote(db, 1, 2, { ...note, number: 'N-2', dueOn: '2999-01-01', amount: 79.5, fileId: null });
    expect(await refused(addFeeNote(db, 1, 2, note))).to.equal('There is a fee note N-1 already.');
    expect(await refused(addFeeNote(db, 1, 2, { ...note, number: 'N-3', fileId: others.id }))).to.contain(
      'another client',
    );
    const listed = await listFeeNotes(db, 2, PAGE);
    expect([listed.total, listed.open]).to.deep.equal([2, 200]);
    expect(listed.rows.find((row) => row.id === id)?.overdue).to.be.greaterThan(250);
    expect(listed.rows.find((row) => row.id !== id)?.overdue).to.equal(0);
    await changeFeeNote(db, 1, id, { ...note, paidOn: '2026-02-03' });
    const paid = await listFeeNotes(db, 2, PAGE);
    expect([paid.open, paid.rows.find((row) => row.id === id)?.overdue]).to.deep.equal([79.5, 0]);
    await removeFeeNote(db, 1, id);
    expect((await listFeeNotes(db, 2, PAGE)).total).to.equal(1);
    expect(
      await db('audit').where({ subject: 'fee note', subject_id: id }).orderBy('id').pluck('action'),
    ).to.deep.equal(['fee note entered', 'fee note changed', 'fee note taken out']);
  });
});
