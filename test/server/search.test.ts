import { noteChange } from '../../server/foundation/changes.ts';
import { transact } from '../../server/foundation/database.ts';
import { expect } from 'chai';
import { search } from '../../server/records/search.ts';
import { openFirm, type TestFirm } from './helpers.ts';
import { filingRegister } from '../../server/records/filingRegister.ts';

describe('finding from the keyboard', () => {
  let firm: TestFirm;
  before(async () => {
    firm = await openFirm({ clients: 20, files: 44 });
    const { db } = firm;
    await db('client').insert([
      { id: 501, name: 'Zennor Water Trust', kind: 'trust', status: 'active', place: 'Zennor' },
      { id: 502, name: 'Old Zennor Farm', kind: 'estate', status: 'active', place: 'Upper Zennor' },
    ]);
    await db('person').insert({ id: 901, first_name: 'Jowan', last_name: 'Trewhella' });
    await db('address').insert({
      person_id: 901,
      email: 'jt@trewhella.example',
      email_key: 'jt@trewhella.example',
    });
    await db('client_person').insert({ client_id: 502, person_id: 901, role: 'owner' });
    const file = (id: number, number: string, title: string, clientId: number, extra = {}) => ({
      id,
      number,
      title,
      client_id: clientId,
      opened: '2026-01-01',
      ...extra,
    });
    await db('file').insert([
      file(9001, 'QL-99001', 'Leat and sluice', 501),
      file(9002, 'QL-99002', 'General correspondence', 501, { general: true }),
      file(9003, 'QL-99003', 'Granite posts', 502),
      file(9004, 'QL-99004', 'Sluice of 1990', 502, { closed: '2026-02-01' }),
    ]);
    await transact(db, (trx) => noteChange(trx, 'records'));
  });
  after(() => firm.close());
  const find = async (words: string) => {
    const { files, clients } = await search(firm.db, await filingRegister(firm.context), words);
    return { files: files.map((each) => each.number), clients: clients.map((each) => each.name) };
  };

  it('by number, whole or begun, in any case', async () => {
    expect((await find('QL-99001')).files[0]).to.equal('QL-99001');
    expect((await find('ql-9900')).files.slice(0, 4)).to.have.members([
      'QL-99001',
      'QL-99002',
      'QL-99003',
      'QL-99004',
    ]);
    expect((await find('99003')).files).to.include('QL-99003');
  });
  it('by any word of name, place or title, begun or whole; open files first', async () => {
    expect((await find('zenn')).clients).to.have.members(['Zennor Water Trust', 'Old Zennor Farm']);
    expect((await find('water tr')).clients).to.deep.equal(['Zennor Water Trust']);
    expect((await find('sluice')).files.slice(0, 2)).to.have.members(['QL-99004', 'QL-99001']);
    expect((await find('leat')).files).to.deep.equal(['QL-99001']);
  });
  it('by a person’s name in order, or the beginning of an address', async () => {
    expect((await find('Trewhella')).clients).to.deep.equal(['Old Zennor Farm']);
    expect((await find('Jowan Trew')).clients).to.deep.equal(['Old Zennor Farm']);
    expect((await find('jowan')).clients).to.deep.equal(['Old Zennor Farm']);
    expect((await find('jt@trewh')).files).to.include('QL-99003');
  });
  it('by words of client and title together', async () => {
    expect((await find('zennor granite')).files).to.deep.equal(['QL-99003']);
  });
  it('finds nothing for nothing, and takes signs as letters', async () => {
    for (const words of ['', '   ', '%', '_____', '+-*"<>()~@', 'zz', 'nosuchwordanywhere'])
      expect([words, await find(words)]).to.deep.equal([words, { files: [], clients: [] }]);
  });
});
