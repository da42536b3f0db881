import { expect } from 'chai';
import { isOddFirstName, BROKEN_ADDRESS } from '../../core/upkeep/patterns.ts';
import { Gap } from '../../contract/index.ts';
import { gapCounts, readGap, sayRight } from '../../server/records/upkeep/lists.ts';
import { openFirm, type TestFirm } from './helpers.ts';

const MAREN = 1;

describe('records that want a look', () => {
  let firm: TestFirm;
  before(async () => {
    firm = await openFirm({ clients: 20, files: 40 });
    const { db } = firm;
    await db('client').where('id', '>', 0).update({ greeting: null });
    await db('client').where({ id: 1 }).update({ greeting: 'Nobody at all', adviser_id: null });
    await db('client').where({ id: 2 }).update({ postal: '["Nowhere"]' });
    await db('client').where({ id: 3 }).update({ postal: '["Nowhere"]', country: 'DE' });
    await db('client')
      .where({ id: 4 })
      .update({ postal: '["Unter den Buchen 3","10115 Berlin"]', country: 'DE' });
    await db('client').where({ id: 5 }).update({ postal: '[]' });
    await db('client').where({ id: 6 }).update({ postal: '[]', status: 'past' });
    await db('client_person').where({ client_id: 7 }).update({ writes: 0 });
    await db('client_person').where({ client_id: 8 }).delete();
    await db('file').where({ id: 3 }).update({ adviser_id: null, general: 0, closed: null });
    await db('person').where({ id: 1 }).update({ first_name: 'agnes' });
    await db('person').where({ id: 2 }).update({ first_name: 'AGNES' });
    await db('person').where({ id: 3 }).update({ first_name: 'Øystein' });
    await db('address').where({ id: 4 }).update({ returned_at: new Date(), returned_why: 'gone' });
    await db('address').where({ id: 5 }).update({ email: 'no address' });
  });
  after(() => firm.close());

  const page = (gap: Gap, more = {}) => readGap(firm.db, { gap, offset: 0, limit: 100, ...more });
  const ids = async (gap: Gap) => (await page(gap)).rows.map(({ id }) => id);

  it('finds first names as core does, letter for letter', async () => {
    const people = await firm.db('person').select('id', 'first_name');
    const odd = people.filter(({ first_name }) => isOddFirstName(first_name)).map(({ id }) => id);
    expect(odd).to.include.members([1, 2]);
    expect(odd).to.not.include(3);
    expect(await ids('odd names')).to.have.members(odd);
  });

  it('finds addresses that fail as core does', async () => {
    const rows = await firm.db('address').where({ current: 1 }).select('person_id', 'email', 'returned_at');
    const failing = rows.filter(
      ({ email, returned_at }) => returned_at !== null || new RegExp(BROKEN_ADDRESS).test(email),
    );
    expect(await ids('addresses')).to.have.members([...new Set(failing.map(({ person_id }) => person_id))]);
    expect(failing.length).to.be.at.least(2);
  });

  it('finds what is missing, of active clients and open files alone', async () => {
    expect(await ids('greetings')).to.deep.equal([1]);
    expect(await ids('no adviser')).to.include(1);
    expect(await ids('postcodes'))
      .to.include.members([2, 3])
      .and.not.include.members([4, 5]);
    expect(await ids('no postal address'))
      .to.include(5)
      .and.not.include(6);
    expect(await ids('nobody written to'))
      .to.include(7)
      .and.not.include(8);
    expect(await ids('nobody named')).to.include(8);
    expect(await ids('file without adviser')).to.include(3);
    const alone = await firm
      .db('person')
      .whereNotIn('id', firm.db('client_person').select('person_id'))
      .pluck('id');
    expect(await ids('of no client')).to.have.members(alone);
  });

  it('counts what it lists, and pages it', async () => {
    for (const { gap, count } of await gapCounts(firm.db)) {
      const { total, rows } = await page(gap);
      expect([gap, total, rows.length]).to.deep.equal([gap, count, count]);
    }
    const all = (await page('odd names')).rows;
    expect((await page('odd names', { offset: 1, limit: 1 })).rows).to.deep.equal(all.slice(1, 2));
  });

  it('leaves out what somebody said is right, until it changes, and brings it back', async () => {
    const row = (await page('odd names')).rows.find(({ id }) => id === 1);
    const say = (right: boolean) =>
      sayRight(firm.db, MAREN, { gap: 'odd names', id: 1, mark: row?.mark ?? '', right });
    await say(true);
    expect(await ids('odd names')).to.not.include(1);
    await firm.db('person').where({ id: 1 }).update({ first_name: 'agnes m' });
    expect(await ids('odd names')).to.include(1);
    await firm.db('person').where({ id: 1 }).update({ first_name: 'agnes' });
    expect(await ids('odd names')).to.not.include(1);
    await say(false);
    expect(await ids('odd names')).to.include(1);
  });
});
