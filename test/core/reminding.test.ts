import { expect } from 'chai';
import fc from 'fast-check';
import {
  addDays,
  remindState,
  ruleFor,
  toneOf,
  type Reminded,
  type RemindRule,
} from '../../core/paperwork/reminding.ts';

const RULE: RemindRule = { off: false, after: 7, every: 14, most: 3 };
const note = (instead: Partial<Reminded> = {}): Reminded => ({
  ...{ issuedOn: '2026-02-01', dueOn: '2026-03-03', amount: 100, paidOn: null },
  ...{ step: 0, remindedOn: null, answered: false },
  ...instead,
});

describe('reminding', () => {
  // Worked by hand on a calendar of 2026.
  const TABLE: [string, Partial<Reminded>, string, string][] = [
    ['on the day it is due', {}, '2026-03-03', 'not due'],
    ['a day over', {}, '2026-03-04', 'later 1 2026-03-10'],
    ['seven days over', {}, '2026-03-10', 'now 1 2026-03-10'],
    ['long over, as after an import', {}, '2026-06-01', 'now 1 2026-03-10'],
    [
      'the next after fourteen days',
      { step: 1, remindedOn: '2026-03-10' },
      '2026-03-23',
      'later 2 2026-03-24',
    ],
    ['the fourteenth day', { step: 1, remindedOn: '2026-03-10' }, '2026-03-24', 'now 2 2026-03-24'],
    [
      'counted from when it went, not from when it should have',
      { step: 1, remindedOn: '2026-04-01' },
      '2026-04-14',
      'later 2 2026-04-15',
    ],
    ['all have gone', { step: 3, remindedOn: '2026-04-07' }, '2026-09-01', 'all sent'],
    ['paid that day', { paidOn: '2026-03-10' }, '2026-03-10', 'paid'],
    ['paid the day after', { paidOn: '2026-03-11' }, '2026-03-10', 'now 1 2026-03-10'],
    ['answered', { step: 1, remindedOn: '2026-03-10', answered: true }, '2026-04-10', 'answered'],
  ];
  for (const [name, instead, today, wanted] of TABLE)
    it(`says where it stands: ${name}`, () => {
      const state = remindState(note(instead), RULE, today);
      expect(Object.values(state).join(' ')).to.equal(wanted);
    });

  it('takes a fee note’s own numbers before its client’s, and those before the firm’s', () => {
    const client = { off: true, after: 10, every: null, most: 1 };
    const own = { off: false, after: null, every: 30, most: null };
    expect(ruleFor(RULE, null, null)).to.deep.equal(RULE);
    expect(ruleFor(RULE, client, null)).to.deep.equal({ off: true, after: 10, every: 14, most: 1 });
    expect(ruleFor(RULE, client, own)).to.deep.equal({ off: false, after: 10, every: 30, most: 1 });
    expect(remindState(note(), ruleFor(RULE, client, null), '2026-06-01').what).to.equal('off');
  });

  it('grows firmer, and no firmer than firm', () => {
    expect([1, 2, 3, 4, 9].map(toneOf)).to.deep.equal(['friendly', 'plain', 'firm', 'firm', 'firm']);
  });

  it('counts days over the ends of months and years', () => {
    expect(addDays('2026-12-31', 1)).to.equal('2027-01-01');
    expect(addDays('2028-02-28', 1)).to.equal('2028-02-29');
    expect(addDays('2026-03-01', -1)).to.equal('2026-02-28');
  });

  it('never goes more often than allowed, nor closer together, looked at on any days', () => {
    const rule = fc.record({
      off: fc.constant(false),
      after: fc.integer({ min: 1, max: 60 }),
      every: fc.integer({ min: 1, max: 60 }),
      most: fc.integer({ min: 1, max: 6 }),
    });
    const looks = fc.array(fc.integer({ min: 0, max: 400 }), { minLength: 1, maxLength: 60 });
    fc.assert(
      fc.property(rule, looks, (own, days) => {
        const gone: string[] = [];
        for (const day of [...days].sort((a, b) => a - b)) {
          const today = addDays('2026-03-03', day);
          const before = note({ step: gone.length, remindedOn: gone.at(-1) ?? null });
          const state = remindState(before, own, today);
          if (state.what !== 'now') continue;
          expect(state.step).to.equal(gone.length + 1);
          gone.push(today);
        }
        expect(gone.length).to.be.at.most(own.most);
        for (const [at, day] of gone.entries())
          expect(
            day >= (at ? addDays(gone[at - 1] ?? '', own.every) : addDays('2026-03-03', own.after)),
          ).to.equal(true);
      }),
    );
  });
});
