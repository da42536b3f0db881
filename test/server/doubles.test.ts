import { expect } from 'chai';
import fc from 'fast-check';
import { selectionOf } from '../../core/selection/tree.ts';
import { Refusal } from '../../server/foundation/refusal.ts';
import type { Rows } from '../../server/foundation/tables.ts';
import { changeRecord, readRecord } from '../../server/records/changing.ts';
import { isLookedThrough, lookForDoubles } from '../../server/records/doubles/find.ts';
import { listMerges, mergeDoubles, unmergeDoubles, viewDouble } from '../../server/records/doubles/merge.ts';
import { listDoubles, sayTwo } from '../../server/records/doubles/pairs.ts';
import { removeEntry } from '../../server/timeline/entries.ts';
import { one, openFirm, type TestFirm } from './helpers.ts';

const MAREN = 1;
const PAGE = { offset: 0, limit: 50 };
/** What tells of acts, rather than of records. */
const OF_ACTS = new Set([
  'audit',
  'change_event',
  'record_merge',
  'server_process',
  'turn',
  'setting',
  'session',
]);

describe('doubles', () => {
  let firm: TestFirm;
  before(async () => {
    firm = await openFirm({ clients: 24, files: 40 });
    await firm.sync();
    const { db } = firm;
    await db('tag').insert([
      { id: 1, name: 'Board' },
      { id: 2, name: 'Old friends' },
    ]);
    await db('client_tag').insert([1, 2, 3, 4].map((id) => ({ client_id: id, tag_id: 1 + (id % 2) })));
    await db('phone').insert(
      [1, 2, 3, 4, 5].flatMap((id) => [
        { client_id: id, number: `01632 96000${id}`, number_key: `+44163296000${id}` },
        { person_id: id, number: `07700 90000${id}`, number_key: `+44770090000${id}` },
      ]),
    );
    await db('delivery').insert(
      [1, 2, 3].map((id) => ({
        client_id: id,
        kind: 'letters' as const,
        way: 'post' as const,
        person_id: id,
      })),
    );
    await db('field').insert([
      { id: 20, label: 'Solicitor', of: 'client', kind: 'person', position: 20 },
      { id: 21, label: 'Neighbour', of: 'client', kind: 'client', position: 21 },
    ]);
    await db('client_field_value').insert([
      { client_id: 5, field_id: 20, person_link: 2 },
      { client_id: 6, field_id: 21, client_link: 2 },
    ]);
    const tree = {
      ...selectionOf({ fact: 'field:21', test: { op: 'one of', values: [2, 9] } }),
      added: [2],
      removed: [1],
    };
    await db('selection').insert({
      id: 500,
      name: 'Named',
      owner_id: MAREN,
      tree: JSON.stringify(tree),
      saved_at: new Date(),
      shared: 1,
    });
    await db('selection').insert({
      id: 501,
      name: 'List',
      owner_id: MAREN,
      tree: JSON.stringify(selectionOf()),
      saved_at: new Date(),
      fixed: 1,
    });
    await db('selection_member').insert([1, 2, 3].map((id) => ({ selection_id: 501, client_id: id })));
    const file = await one(db('file').where({ client_id: 2, general: 1 }).first('id'));
    const [mailing] = await db('mailing').limit(1).pluck('id');
    const box = await one(db('mailbox').first('id'));
    await db('dispatch').insert(
      [1, 2].map((id) => ({
        kind: 'mailing',
        mailing_id: mailing,
        client_id: id,
        person_id: id,
        mailbox_id: box.id,
        file_id: file.id,
        to_name: `N${id}`,
        to_address: '',
        message_id: `d${id}@x`,
        facts: '{}',
        state: 'sent' as const,
        next_at: new Date(),
      })),
    );
  });
  after(() => firm.close());

  async function everything(): Promise<Record<string, string[]>> {
    const { db } = firm;
    const [rows] = (await db.raw('SHOW TABLES')) as [Record<string, string>[]];
    const tables = rows
      .map((row) => String(Object.values(row)[0]))
      .filter((name) => !OF_ACTS.has(name) && !name.startsWith('knex'));
    const all = await Promise.all(
      tables.map(async (table) => {
        const found = (await db(table as 'file').select()) as Rows['file'][];
        // That something is new here is for the weighing of mail alone; what comes back is so again.
        return [table, found.map(({ new_at: _, ...row }) => JSON.stringify(row)).sort()] as const;
      }),
    );
    return Object.fromEntries(all);
  }
  const merge = async (subject: 'client' | 'person', keptId: number, droppedId: number, whose = {}) => {
    const { stamp } = await viewDouble(firm.db, { subject, a: keptId, b: droppedId });
    return mergeDoubles(firm.db, MAREN, { subject, keptId, droppedId, whose, stamp });
  };
  const refusal = async (work: Promise<unknown>) => {
    const error: unknown = await work.then(
      () => null,
      (thrown: unknown) => thrown,
    );
    expect(error).to.be.instanceOf(Refusal);
    return error as Refusal;
  };

  it('merging any two clients or people and taking it back restores every row there is', async function () {
    this.timeout(180_000);
    const before = await everything();
    const choice = fc.constantFrom('kept' as const, 'dropped' as const, 'both' as const);
    await fc.assert(
      fc.asyncProperty(
        fc.constantFrom('client' as const, 'person' as const),
        fc.uniqueArray(fc.integer({ min: 1, max: 9 }), { minLength: 2, maxLength: 2 }),
        fc.dictionary(
          fc.constantFrom(
            'name',
            'people',
            'phones',
            'tags',
            'addresses',
            'firstName',
            'delivery',
            'postal',
            'field:1',
          ),
          choice,
        ),
        async (subject, [keptId = 1, droppedId = 2], whose) => {
          const messages = await firm.db('filing').select('message_id', 'file_id');
          const id = await merge(subject, keptId, droppedId, whose);
          expect(await firm.db(subject).where({ id: droppedId })).to.deep.equal([]);
          const now = await firm.db('filing').select('message_id', 'file_id');
          expect(now).to.have.deep.members(messages);
          expect(await unmergeDoubles(firm.db, MAREN, id)).to.equal(0);
          expect(await everything()).to.deep.equal(before);
        },
      ),
      { numRuns: 40 },
    );
  });

  it('merges what two merges made, and parts them one after the other, the last first', async () => {
    const before = await everything();
    const first = await merge('client', 1, 2);
    const second = await merge('client', 3, 1);
    expect((await refusal(unmergeDoubles(firm.db, MAREN, first))).message).to.contain('Take that back first');
    await unmergeDoubles(firm.db, MAREN, second);
    await unmergeDoubles(firm.db, MAREN, first);
    expect((await refusal(unmergeDoubles(firm.db, MAREN, first))).message).to.contain('already');
    expect(await everything()).to.deep.equal(before);
    expect((await listMerges(firm.db, 0, 2)).rows.map(({ id, undone }) => [id, undone])).to.deep.equal([
      [second, true],
      [first, true],
    ]);
  });

  it('names nobody where one of the two named the other', async () => {
    const id = await merge('client', 6, 2);
    expect((await readRecord(firm.db, 'client', 6))['field:21']).to.equal(null);
    await unmergeDoubles(firm.db, MAREN, id);
    expect((await readRecord(firm.db, 'client', 6))['field:21']).to.equal(2);
  });

  it('gives files, mail, fees, mailings and what names it to the one that is kept', async () => {
    const files: number[] = await firm.db('file').where({ client_id: 2 }).pluck('id');
    const mail = await firm.db('filing').whereIn('file_id', files);
    const id = await merge('client', 1, 2, { name: 'dropped' });
    expect(await firm.db('filing').where({ client_id: 1 }).whereIn('file_id', files)).to.have.length(
      mail.length,
    );
    expect(mail).to.not.be.empty;
    expect(await firm.db('file').where({ client_id: 1, general: 1 })).to.have.length(1);
    expect(
      await firm.db('dispatch').whereIn('message_id', ['d1@x', 'd2@x']).orderBy('id').pluck('client_id'),
    ).to.deep.equal([1, null]);
    expect(
      (await one(firm.db('client_field_value').where({ client_id: 6, field_id: 21 }).first())).client_link,
    ).to.equal(1);
    const { tree } = await one(firm.db('selection').where({ id: 500 }).first('tree'));
    expect(JSON.parse(tree)).to.deep.include({ added: [1], removed: [1] });
    expect(tree).to.contain('[1,9]');
    expect(
      await firm.db('selection_member').where({ selection_id: 501 }).orderBy('client_id').pluck('client_id'),
    ).to.deep.equal([1, 3]);
    await unmergeDoubles(firm.db, MAREN, id);
  });

  it('keeps what somebody did since: fields, and mail that came meanwhile; refuses where a list was changed', async () => {
    const before = await readRecord(firm.db, 'client', 1);
    const id = await merge('client', 1, 2, { place: 'dropped', note: 'kept' });
    await changeRecord(firm.db, MAREN, 'client', 1, {
      before: { place: (await readRecord(firm.db, 'client', 1)).place },
      after: { place: 'Elsewhere' },
    });
    const entry = await one(firm.db('timeline').where({ client_id: 1 }).first('id'));
    await removeEntry(firm.db, MAREN, entry.id);
    expect(await unmergeDoubles(firm.db, MAREN, id)).to.equal(1);
    expect(await readRecord(firm.db, 'client', 1)).to.deep.equal({ ...before, place: 'Elsewhere' });
    expect((await one(firm.db('timeline').where({ id: entry.id }).first('gone_at'))).gone_at).to.not.equal(
      null,
    );

    const next = await merge('client', 1, 2);
    const { phones } = await readRecord(firm.db, 'client', 1);
    await changeRecord(firm.db, MAREN, 'client', 1, {
      before: { phones },
      after: { phones: phones.slice(1) },
    });
    expect((await refusal(unmergeDoubles(firm.db, MAREN, next))).message).to.contain(
      'Telephone: changed again since',
    );
  });

  it('refuses what was changed since it was looked at, and what is one already', async () => {
    const { stamp } = await viewDouble(firm.db, { subject: 'client', a: 5, b: 6 });
    await changeRecord(firm.db, MAREN, 'client', 6, { before: { note: '' }, after: { note: 'New' } });
    const draft = { subject: 'client' as const, keptId: 5, droppedId: 6, whose: {}, stamp };
    expect((await refusal(mergeDoubles(firm.db, MAREN, draft))).status).to.equal(409);
    expect((await refusal(viewDouble(firm.db, { subject: 'client', a: 5, b: 99_999 }))).status).to.equal(404);
  });

  it('are looked for when records changed, and stay two where somebody said so', async () => {
    const { db } = firm;
    await lookForDoubles(firm.context);
    expect(await lookForDoubles(firm.context)).to.equal(false);
    const known = (await listDoubles(db, { subject: 'client', ...PAGE })).total;
    const row = await one(db('client').where({ id: 7 }).first('name', 'kind', 'postal'));
    await db('client').where({ id: 8 }).update(row);
    const { note } = await readRecord(db, 'client', 9);
    await changeRecord(db, MAREN, 'client', 9, { before: { note }, after: { note: 'Something' } });
    expect(await isLookedThrough(db)).to.equal(false);
    expect(await lookForDoubles(firm.context)).to.equal(true);
    const page = await listDoubles(db, { subject: 'client', ...PAGE });
    expect([page.total, page.settled]).to.deep.equal([known + 1, true]);
    const pair = page.rows.find(({ a, b }) => a.id === 7 && b.id === 8);
    expect(pair?.reasons).to.include('the same name').and.include('the same postal address');
    await sayTwo(db, MAREN, pair?.id ?? 0, true);
    await changeRecord(db, MAREN, 'client', 9, { before: { note: 'Something' }, after: { note } });
    await lookForDoubles(firm.context);
    expect((await listDoubles(db, { subject: 'client', ...PAGE })).total).to.equal(known);
    await sayTwo(db, MAREN, pair?.id ?? 0, false);
    expect((await listDoubles(db, { subject: 'client', ...PAGE })).total).to.equal(known + 1);
  });
});
