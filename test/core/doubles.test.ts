import { expect } from 'chai';
import fc from 'fast-check';
import {
  CERTAIN,
  clientNameKey,
  compareClients,
  comparePeople,
  PROBABLE,
  type DoubleClient,
  type DoublePerson,
} from '../../core/doubles/compare.ts';
import { allSteps, doubleClients, doublePeople } from '../../core/doubles/find.ts';
import { mergedFields, usualWhose } from '../../core/doubles/merging.ts';
import { renumbered } from '../../core/selection/renumber.ts';
import { selectionOf } from '../../core/selection/tree.ts';

const person = (more: Partial<DoublePerson> = {}): DoublePerson => ({
  id: 1,
  firstName: 'Agnes',
  lastName: 'Garrowby',
  emails: [],
  phones: [],
  clientIds: [],
  postcodes: [],
  ...more,
});
const client = (more: Partial<DoubleClient> = {}): DoubleClient => ({
  id: 1,
  name: 'Garrowby Estate',
  kind: 'estate',
  postal: '',
  postcode: '',
  phones: [],
  emails: [],
  personIds: [],
  ...more,
});

describe('people who are probably the same', () => {
  const pairs: [what: string, one: Partial<DoublePerson>, two: Partial<DoublePerson>, probable: boolean][] = [
    ['a name alone, which two may bear', {}, {}, false],
    ['a name and an address', { emails: ['a@x.example'] }, { emails: ['a@x.example'] }, true],
    ['a name at one client', { clientIds: [3] }, { clientIds: [3] }, true],
    [
      'a name spelt otherwise, and a telephone',
      { phones: ['+441632960961'] },
      { phones: ['+441632960961'], lastName: 'Garroby' },
      true,
    ],
    [
      'names turned round, in one place',
      { postcodes: ['Q11AA'] },
      { postcodes: ['Q11AA'], firstName: 'Garrowby', lastName: 'Agnes' },
      true,
    ],
    [
      'an initial and an address',
      { emails: ['a@x.example'] },
      { emails: ['a@x.example'], firstName: 'A' },
      true,
    ],
    [
      'a couple that shares address, telephone and client',
      { emails: ['a@x.example'], phones: ['+1'], clientIds: [3] },
      { emails: ['a@x.example'], phones: ['+1'], clientIds: [3], firstName: 'Hubert' },
      false,
    ],
    [
      'an office telephone and nothing else',
      { phones: ['+1'] },
      { phones: ['+1'], firstName: 'Ivo', lastName: 'Tarn' },
      false,
    ],
  ];
  for (const [what, one, two, probable] of pairs)
    it(`${what}: ${probable ? 'yes' : 'no'}`, () => {
      const found = comparePeople(person(one), person({ id: 2, ...two }));
      expect(found.score >= PROBABLE, `${found.score}: ${found.reasons.join(', ')}`).to.equal(probable);
      expect(found).to.deep.equal(comparePeople(person({ id: 2, ...two }), person(one)));
    });

  it('count what their names have in common, where one of them has but one', () => {
    const names = (one: Partial<DoublePerson>, two: Partial<DoublePerson>) =>
      comparePeople(person(one), person({ id: 2, ...two })).reasons;
    const last = { firstName: '' };
    expect(names(last, {})).to.deep.equal(['one name in common']);
    expect(names(last, last)).to.deep.equal(['one name in common']);
    expect(names({ firstName: 'Garrowby', lastName: '' }, last)).to.deep.equal(['one name in common']);
    expect(names(last, { lastName: 'Tarn' })).to.deep.equal([]);
    expect(names({ firstName: '', lastName: '' }, { firstName: '', lastName: '' })).to.deep.equal([]);
    expect(names({ lastName: '' }, { lastName: '' })).to.deep.equal(['one name in common']);
  });

  it('are found among many, whatever the order, and each pair once with the smaller number first', () => {
    const people = Array.from({ length: 400 }, (_, n) =>
      person({
        id: n + 1,
        firstName: `F${n}x`,
        lastName: `L${n * 7}y`,
        emails: [`p${n}@x.example`],
        phones: ['+1'],
      }),
    );
    people.push(
      person({ id: 900, emails: ['a@y.example'] }),
      person({ id: 800, emails: ['a@y.example'], phones: ['+2'] }),
    );
    fc.assert(
      fc.property(fc.shuffledSubarray(people, { minLength: people.length }), (shuffled) => {
        expect(allSteps(doublePeople(shuffled)).map(({ a, b }) => [a, b])).to.deep.equal([[800, 900]]);
      }),
      { numRuns: 5 },
    );
  });

  it('cost time in proportion to their number, also where all have everything in common', () => {
    const same = (count: number) =>
      Array.from({ length: count }, (_, id) =>
        person({ id, emails: ['a@x.example'], phones: ['+1'], clientIds: [1], postcodes: ['Q1'] }),
      );
    const took = (count: number) => {
      const people = same(count);
      const began = performance.now();
      allSteps(doublePeople(people));
      return performance.now() - began;
    };
    took(2000);
    expect(took(40_000)).to.be.below(60 * Math.max(took(2000), 1));
  });
});

describe('clients who are probably the same', () => {
  const pairs: [what: string, one: Partial<DoubleClient>, two: Partial<DoubleClient>, probable: boolean][] = [
    ['a name alone', {}, {}, false],
    ['a name in one place', { postcode: 'Q11AA' }, { postcode: 'Q11AA' }, true],
    [
      'a couple named the other way round, at one address',
      { name: 'Cosmo & Bryony Farrant', postal: '1 Mill Lane' },
      { name: 'Bryony and Cosmo Farrant', postal: '1, Mill Lane.' },
      true,
    ],
    [
      'a company with and without its form',
      { name: 'Hallam Timber Ltd', kind: 'company', phones: ['+1'] },
      { name: 'Hallam Timber', kind: 'company', phones: ['+1'] },
      true,
    ],
    [
      'a man and his company at one address',
      { name: 'Hal Orrest', kind: 'person', postal: '1 Lane', postcode: 'Q1', personIds: [4] },
      { name: 'Orrest Farm Ltd', kind: 'company', postal: '1 Lane', postcode: 'Q1', personIds: [4] },
      false,
    ],
    ['a name in two places', { postcode: 'Q11AA' }, { postcode: 'Q92BB' }, false],
  ];
  for (const [what, one, two, probable] of pairs)
    it(`${what}: ${probable ? 'yes' : 'no'}`, () => {
      const found = compareClients(client(one), client({ id: 2, ...two }));
      expect(found.score >= PROBABLE, `${found.score}: ${found.reasons.join(', ')}`).to.equal(probable);
      expect(allSteps(doubleClients([client(one), client({ id: 2, ...two })]))).to.have.length(
        probable ? 1 : 0,
      );
    });

  it('are told certain where nearly everything is the same', () => {
    const more = { postal: '1 Mill Lane', postcode: 'Q11AA', phones: ['+1'] };
    expect(compareClients(client(more), client({ id: 2, ...more })).score).to.be.at.least(CERTAIN);
    expect(clientNameKey('The Hallam Timber Company Ltd')).to.equal('hallam timber');
    expect(clientNameKey('The Company')).to.equal('company the');
  });
});

describe('one record made of two', () => {
  const kept = {
    name: 'A',
    note: '',
    tags: ['x'],
    phones: [{ number: '01 2', purpose: '' }],
    postal: ['1 Lane'],
    adviserId: null,
  };
  const dropped = {
    name: 'B',
    note: 'Dog',
    tags: ['x', 'y'],
    phones: [
      { number: '012', purpose: 'home' },
      { number: '03', purpose: '' },
    ],
    postal: ['2 Lane'],
    adviserId: 4,
  };

  it('has what is known of either, all of both lists, and the kept one’s where both say something', () => {
    expect(mergedFields(kept, dropped, {})).to.deep.equal({
      name: 'A',
      note: 'Dog',
      tags: ['x', 'y'],
      phones: [
        { number: '01 2', purpose: '' },
        { number: '03', purpose: '' },
      ],
      postal: ['1 Lane'],
      adviserId: 4,
    });
  });

  it('has what somebody chose instead, field by field', () => {
    const whose = {
      name: 'dropped',
      note: 'kept',
      tags: 'kept',
      postal: 'dropped',
      adviserId: 'both',
    } as const;
    expect(mergedFields(kept, dropped, whose)).to.deep.include({
      name: 'B',
      note: '',
      tags: ['x'],
      postal: ['2 Lane'],
      adviserId: null,
    });
    expect(usualWhose('tags', [], [])).to.equal('both');
  });

  it('is what selections mean that named the other: picks by hand, and fields that name a record', () => {
    const line = { fact: 'field:9', test: { op: 'one of' as const, values: [7, 5] } };
    const selection = {
      ...selectionOf({
        match: 'any',
        of: [line, { fact: 'client.adviser', test: { op: 'one of', values: [7] } }],
      }),
      added: [7, 5],
      removed: [7],
    };
    const made = renumbered(selection, 'client', { from: 7, to: 5 }, new Set(['field:9']));
    expect(made.added).to.deep.equal([5]);
    expect(made.removed).to.deep.equal([5]);
    expect(JSON.stringify(made.of)).to.equal(
      JSON.stringify([
        {
          match: 'any',
          of: [
            { ...line, test: { op: 'one of', values: [5] } },
            { fact: 'client.adviser', test: { op: 'one of', values: [7] } },
          ],
        },
      ]),
    );
    expect(renumbered(selection, 'person', { from: 7, to: 5 }, new Set())).to.equal(selection);
  });
});
