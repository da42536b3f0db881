import { expect } from 'chai';
import { DateTime } from 'luxon';
import fc from 'fast-check';
import rrule from 'rrule';
import {
  anniversariesOn,
  dueAfter,
  isDayOfMonth,
  mornings,
  nextMorning,
  shifted,
  type OrderCalendar,
} from '../../core/orders/days.ts';
import { happeningsOf, hasWords, isMeant } from '../../core/orders/happening.ts';
import { occasionOf, subjectsOf, type Told, type When } from '../../core/orders/order.ts';
import { orderInWords, whenInWords, type OrderNames } from '../../core/orders/sentence.ts';

const { RRule } = rrule;

const CALENDAR: OrderCalendar = {
  zone: 'Europe/London',
  workingDays: [1, 2, 3, 4, 5],
  holidays: new Set(['2026-12-25', '2026-12-28']),
  opens: '09:00',
};
const at = (local: string) => DateTime.fromISO(local, { zone: 'Europe/London' });
const NAMES: OrderNames = {
  wording: (id) => `wording ${id}`,
  staff: (id) => `colleague ${id}`,
  mailing: (id) => `mailing ${id}`,
  field: (_of, fact) => ({ stage: 'Stage', status: 'Status', 'field:3': 'Plan review date' })[fact] ?? fact,
  value: (_of, _fact, value) => (value === null ? '' : String(value)),
};

describe('the days of standing orders', () => {
  it('come on the next working day, when the office opens', () => {
    // Friday, and over Christmas: the 25th and the 28th are holidays.
    const due = (from: string, days: number) =>
      dueAfter(at(from), { days, working: true }, CALENDAR).toFormat("yyyy-MM-dd'T'HH:mm");
    expect(due('2026-11-27T16:20', 1)).to.equal('2026-11-30T09:00');
    expect(due('2026-12-24T10:00', 1)).to.equal('2026-12-29T09:00');
    expect(due('2026-12-24T10:00', 3)).to.equal('2026-12-31T09:00');
  });

  it('come at once without a wait, and on the calendar’s day with one of any days', () => {
    const now = at('2026-11-27T16:20');
    expect(dueAfter(now, { days: 0, working: true }, CALENDAR).toMillis()).to.equal(now.toMillis());
    expect(dueAfter(now, { days: 1, working: false }, CALENDAR).toFormat('yyyy-MM-dd HH:mm')).to.equal(
      '2026-11-28 09:00',
    );
  });

  it('end, where a week has no working day', () => {
    expect(
      dueAfter(at('2026-11-27T16:20'), { days: 1, working: true }, { ...CALENDAR, workingDays: [] }).isValid,
    ).to.equal(true);
  });

  it('have one morning each, over changes of the clocks too', () => {
    expect(mornings(at('2026-03-27T12:00'), at('2026-03-31T06:00'), CALENDAR.zone)).to.deep.equal([
      '2026-03-28',
      '2026-03-29',
      '2026-03-30',
      '2026-03-31',
    ]);
    expect(mornings(at('2026-03-28T06:00'), at('2026-03-28T23:00'), CALENDAR.zone)).to.deep.equal([]);
    expect(nextMorning(at('2026-10-25T05:59'), CALENDAR.zone).toFormat('yyyy-MM-dd HH:mm')).to.equal(
      '2026-10-25 06:00',
    );
  });

  it('are each looked at once, however the looks fall: a property', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 90 * 3600 }), { minLength: 1, maxLength: 40 }),
        fc.constantFrom('Europe/London', 'America/New_York', 'Australia/Lord_Howe'),
        (steps, zone) => {
          let from = DateTime.fromISO('2026-03-01T00:00', { zone });
          const first = from;
          const looked: string[] = [];
          for (const step of steps) {
            const to = from.plus({ seconds: step });
            looked.push(...mornings(from, to, zone));
            from = to;
          }
          expect(looked).to.deep.equal(mornings(first, from, zone));
          expect(new Set(looked).size).to.equal(looked.length);
        },
      ),
    );
  });

  // RFC 7529, section 4.1: "SKIP=BACKWARD" brings the 31st to the last day of a shorter month. RFC 5545's own way to
  // say so is the last of the 28th to the 31st: rrule reads it.
  it('of each month are those of RFC 5545: the 31st is the last', () => {
    for (const wanted of [1, 15, 28, 29, 30, 31]) {
      const days = Array.from({ length: wanted - 27 > 0 ? wanted - 27 : 1 }, (_, index) => wanted - index);
      const rule = new RRule({
        freq: RRule.MONTHLY,
        dtstart: new Date(Date.UTC(2023, 0, 1)),
        until: new Date(Date.UTC(2028, 11, 31)),
        bymonthday: wanted > 28 ? days : [wanted],
        ...(wanted > 28 ? { bysetpos: [-1] } : {}),
      });
      const theirs = rule.all().map((day) => day.toISOString().slice(0, 10));
      const ours: string[] = [];
      for (let day = '2023-01-01'; day <= '2028-12-31'; day = shifted(day, 1))
        if (isDayOfMonth(day, wanted)) ours.push(day);
      expect(ours, String(wanted)).to.deep.equal(theirs);
    }
  });

  it('of each year are those of RFC 5545: of 29 February the last of the month', () => {
    for (const born of ['2004-02-29', '1999-02-28', '2001-12-31', '2012-06-15']) {
      const [year = 0, month = 0, day = 0] = born.split('-').map(Number);
      const leap = month === 2 && day === 29;
      const rule = new RRule({
        freq: RRule.YEARLY,
        dtstart: new Date(Date.UTC(year, month - 1, day)),
        until: new Date(Date.UTC(2030, 11, 31)),
        bymonth: [month],
        bymonthday: leap ? [28, 29] : [day],
        ...(leap ? { bysetpos: [-1] } : {}),
      });
      const theirs = rule
        .between(new Date(Date.UTC(2019, 0, 1)), new Date(Date.UTC(2030, 11, 31)), true)
        .map((each) => each.toISOString().slice(0, 10));
      const ours: string[] = [];
      for (let each = '2019-01-01'; each <= '2030-12-31'; each = shifted(each, 1))
        if (Math.abs(Number(each.slice(5, 7)) - month) < 2 && anniversariesOn(each).includes(born))
          ours.push(each);
      expect(ours, born).to.deep.equal(theirs);
    }
  });
});

describe('what standing orders hear', () => {
  const noted = { subject: 'client', id: 7 };

  it('is read out of what is noted of a change, field by field', () => {
    const before = { status: 'active', tags: ['grant'], note: 'x', 'field:3': null };
    const after = { status: 'past', tags: ['grant', 'plan'], note: 'x', 'field:3': '2027-01-05' };
    expect(happeningsOf({ action: 'client changed', ...noted, before, after })).to.deep.equal([
      { kind: 'becomes', subject: 'client', id: 7, fact: 'status', value: 'past' },
      { kind: 'becomes', subject: 'client', id: 7, fact: 'tags', value: ['plan'] },
      { kind: 'becomes', subject: 'client', id: 7, fact: 'field:3', value: '2027-01-05' },
    ]);
  });

  it('is a file that is opened, not the General one that each client begins with', () => {
    const file = { action: 'file opened', subject: 'file', id: 3 };
    expect(
      happeningsOf({ ...file, after: { number: 'QL-1', title: 'A' } }).map(({ kind }) => kind),
    ).to.deep.equal(['file opened']);
    expect(
      happeningsOf({ ...file, after: { number: 'QL-1', title: 'General', general: true } }),
    ).to.deep.equal([]);
  });

  it('is a fee note that is entered, and one that is paid, once', () => {
    const note = { subject: 'fee note', id: 1 };
    const kinds = (action: string, before?: object, after?: object) =>
      happeningsOf({ action, ...note, before, after }).map(({ kind }) => kind);
    expect(kinds('fee note entered', undefined, { paid_on: null })).to.deep.equal(['fee note entered']);
    expect(kinds('fee note entered', undefined, { paid_on: '2026-11-01' })).to.deep.equal([
      'fee note entered',
      'fee note paid',
    ]);
    expect(kinds('fee note changed', { paid_on: null }, { paid_on: '2026-11-01' })).to.deep.equal([
      'fee note paid',
    ]);
    expect(kinds('fee note changed', { paid_on: '2026-11-01' }, { paid_on: '2026-11-02' })).to.deep.equal([]);
    expect(kinds('fee note taken out', { paid_on: null })).to.deep.equal([]);
  });

  it('is nothing where nothing an order can wait for was done', () => {
    expect(happeningsOf({ action: 'picture kept', subject: 'picture', id: 1, after: 'x' })).to.deep.equal([]);
    expect(happeningsOf({ action: 'client changed', ...noted })).to.deep.equal([]);
    expect(happeningsOf({ action: 'client changed', ...noted, before: null, after: 'odd' })).to.deep.equal(
      [],
    );
  });

  it('is what is meant by its field and value, names in any capitals', () => {
    const becomes = (value: string | null): When => ({ on: 'becomes', of: 'client', fact: 'tags', value });
    const tags = { kind: 'becomes' as const, subject: 'client' as const, fact: 'tags', value: ['Plan'] };
    expect(isMeant(becomes('plan'), tags)).to.equal(true);
    expect(isMeant(becomes('grant'), tags)).to.equal(false);
    expect(isMeant(becomes(null), tags)).to.equal(true);
    expect(isMeant(becomes(null), { ...tags, value: null })).to.equal(false);
    expect(isMeant({ ...becomes('plan'), of: 'file' } as When, tags)).to.equal(false);
    expect(isMeant({ on: 'client new' }, tags)).to.equal(false);
  });

  it('has words in any order and capitals', () => {
    expect(hasWords('map  WOOD', 'The wood on the Map')).to.equal(true);
    expect(hasWords('map', 'The mill')).to.equal(false);
    expect(hasWords('', 'anything')).to.equal(true);
  });
});

describe('a standing order in words', () => {
  const told: Told = {
    when: { on: 'file opened' },
    selection: null,
    steps: [
      { wait: { days: 1, working: true }, act: { do: 'message', wordingId: 4, by: 'adviser' } },
      {
        wait: { days: 14, working: false },
        act: { do: 'task', words: 'Ring them', for: 'adviser', days: 2 },
      },
    ],
    stops: { unfit: true, answered: false },
  };

  it('is one sentence', () => {
    expect(orderInWords(told, false, 'all clients on a retainer', NAMES)).to.equal(
      'When a file is opened for all clients on a retainer, the next working day prepare “wording 4” for their adviser to release; then after 14 days give their adviser the task “Ring them”, due in 2 days.',
    );
    expect(orderInWords(told, true, '', NAMES)).to.contain('send “wording 4” in the name of their adviser');
  });

  it('says what it waits for', () => {
    const says = (when: When) => whenInWords(when, NAMES);
    expect(says({ on: 'becomes', of: 'file', fact: 'stage', value: 'Report' })).to.equal(
      'a file’s Stage becomes “Report”',
    );
    expect(
      says({ on: 'day', of: 'client', fact: 'field:3', days: 30, side: 'before', yearly: true }),
    ).to.equal('it is 30 days before the client’s day “Plan review date”, every year');
    expect(says({ on: 'fee note overdue', days: 1 })).to.equal('a fee note has been overdue for a day');
    expect(says({ on: 'mailing unanswered', mailingId: 2, days: 7 })).to.equal(
      '“mailing 2” has not been answered for 7 days',
    );
  });

  it('knows which records may be asked about, and which wording serves', () => {
    expect(subjectsOf({ on: 'becomes', of: 'file', fact: 'stage', value: null })).to.deep.equal([
      'client',
      'file',
    ]);
    expect(subjectsOf({ on: 'fee note paid' })).to.deep.equal(['client']);
    expect(occasionOf({ on: 'file opened' })).to.equal('file opened');
    expect(occasionOf({ on: 'becomes', of: 'client', fact: 'status', value: 'past' })).to.equal(
      'client leaving',
    );
    expect(occasionOf({ on: 'month', day: 3 })).to.equal(null);
  });
});
