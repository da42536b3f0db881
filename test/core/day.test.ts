import { expect } from 'chai';
import fc from 'fast-check';
import { dayWords, readDay } from '../../core/office/day.ts';

const TODAY = '2026-11-26';

describe('days as they are typed', () => {
  it('are read in the usual ways, the day before the month', () => {
    for (const [typed, day] of [
      ['3 May 2026', '2026-05-03'],
      ['Sunday 3rd May 2026', '2026-05-03'],
      ['3 may', '2026-05-03'],
      ['3.5.26', '2026-05-03'],
      ['03/05/2026', '2026-05-03'],
      ['3/5', '2026-05-03'],
      ['3-5-2026', '2026-05-03'],
      ['2026-05-03', '2026-05-03'],
      ['29 February 2028', '2028-02-29'],
      ['1.1.95', '1995-01-01'],
      // Thirty years ahead at most, else it was in the last century.
      ['1.1.56', '2056-01-01'],
      ['1.1.57', '1957-01-01'],
      ['today', TODAY],
      [' Tomorrow ', '2026-11-27'],
      ['yesterday', '2026-11-25'],
    ] as const)
      expect([typed, readDay(typed, TODAY)]).to.deep.equal([typed, day]);
  });

  it('are none where the calendar has no such day, or nobody could tell which', () => {
    for (const typed of [
      '',
      '31.4.2026',
      '29 February 2026',
      '5/13',
      'May',
      '12',
      'soon',
      '3 Mud 2026',
      '3.5.6',
    ])
      expect([typed, readDay(typed, TODAY)]).to.deep.equal([typed, null]);
  });

  it('come back as they were written', () => {
    fc.assert(
      fc.property(
        fc.date({ min: new Date('1990-01-01'), max: new Date('2099-12-31'), noInvalidDate: true }),
        (date) => {
          const day = date.toISOString().slice(0, 10);
          expect(readDay(dayWords(day), TODAY)).to.equal(day);
        },
      ),
    );
  });
});
