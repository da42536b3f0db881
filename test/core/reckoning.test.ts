import { expect } from 'chai';
import fc from 'fast-check';
import { estimate } from '../../core/filing/sample.ts';
import { accountOf, addsUp, sumOf, type Known } from '../../core/reckoning/account.ts';

const at = new Date('2026-11-26T10:00:00Z');
const listed = (...uids: number[]) => uids.map((uid) => ({ uid, at }));

describe('the account of a day', () => {
  it('finds what lies on the server and nowhere here', () => {
    const known: Known[] = [
      { uid: 4, state: 'logged' },
      { uid: 5, state: 'suggested' },
      { uid: 7, state: 'private' },
    ];
    const { account, missing } = accountOf(listed(2, 4, 5, 6, 7, 9), known, {
      toComeBelow: 3,
      toComeFrom: 9,
    });
    expect(missing.map(({ uid }) => uid)).to.deep.equal([6]);
    expect(account).to.deep.equal({
      ...{ onServer: 6, taken: 3, toCome: 2, missing: 1 },
      ...{ logged: 1, waiting: 1, aside: 0, private: 1 },
    });
  });

  it('always adds up: a property', () => {
    const state = fc.constantFrom<Known['state']>('logged', 'suggested', 'aside', 'private');
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: 1, max: 60 })),
        fc.uniqueArray(fc.record({ uid: fc.integer({ min: 1, max: 60 }), state }), {
          selector: ({ uid }) => uid,
        }),
        fc.integer({ min: 0, max: 30 }),
        fc.integer({ min: 30, max: 61 }),
        (uids, known, toComeBelow, toComeFrom) => {
          const { account, missing } = accountOf(listed(...uids), known, { toComeBelow, toComeFrom });
          expect(addsUp(account)).to.equal(true);
          expect(account.missing).to.equal(missing.length);
          expect(addsUp(sumOf([account, account]))).to.equal(true);
        },
      ),
    );
  });
});

describe('the estimate from a sample', () => {
  // Clopper and Pearson 1934, at 95 %: the values as usual tables give them, to four places (from memory).
  const TABLE = [
    [0, 20, 0, 0.1684],
    [1, 20, 0.0013, 0.2487],
    [2, 20, 0.0123, 0.317],
    [5, 20, 0.0866, 0.491],
    [0, 10, 0, 0.3085],
    [1, 10, 0.0025, 0.445],
    [10, 10, 0.6915, 1],
    [0, 30, 0, 0.1157],
    [1, 100, 0.0003, 0.0545],
  ] as const;

  it('has the interval of the tables', () => {
    for (const [wrong, looked, from, to] of TABLE) {
      const found = estimate(wrong, looked);
      expect(found.from, `${wrong} of ${looked}`).to.be.closeTo(from, 0.00006);
      expect(found.to, `${wrong} of ${looked}`).to.be.closeTo(to, 0.00006);
    }
  });

  it('is what can be worked out by hand where nothing, or all, was wrong', () => {
    for (const looked of [1, 7, 20, 240])
      expect(estimate(0, looked).to).to.be.closeTo(1 - 0.025 ** (1 / looked), 1e-9);
    expect(estimate(12, 12).from).to.be.closeTo(0.025 ** (1 / 12), 1e-9);
  });

  it('holds the share, is wider the surer it is to be, and mirrors itself: a property', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 240 }), fc.nat(), (looked, drawn) => {
        const wrong = drawn % (looked + 1);
        const found = estimate(wrong, looked);
        expect(found.from).to.be.at.most(found.share + 1e-9);
        expect(found.to).to.be.at.least(found.share - 1e-9);
        const surer = estimate(wrong, looked, 0.99);
        expect(surer.from).to.be.at.most(found.from + 1e-9);
        expect(surer.to).to.be.at.least(found.to - 1e-9);
        expect(estimate(looked - wrong, looked).from).to.be.closeTo(1 - found.to, 1e-9);
      }),
    );
  });

  it('is of some, and of no more than were looked at', () => {
    expect(() => estimate(0, 0)).to.throw(RangeError);
    expect(() => estimate(3, 2)).to.throw(RangeError);
  });
});
