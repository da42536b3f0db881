import { expect } from 'chai';
import fc from 'fast-check';
import { DateTime } from 'luxon';
import {
  busiestHour,
  isOpen,
  layOut,
  momentOf,
  NeverDone,
  type OfficeCalendar,
  type Pace,
} from '../../core/pace/pace.ts';

const LONDON: OfficeCalendar = { zone: 'Europe/London', holidays: new Set(['2026-12-25', '2026-12-28']) };
const AT_ONCE: Pace = {
  from: null,
  batch: null,
  hours: null,
  days: [],
  holidays: false,
  room: false,
  answers: null,
};
const WEEKDAYS = [1, 2, 3, 4, 5];
const from = (local: string, zone = 'Europe/London') => DateTime.fromISO(local, { zone }).toMillis();
const told = (at: number, zone = 'Europe/London') =>
  DateTime.fromMillis(at, { zone }).toFormat('ccc d LLL HH:mm');
const one = (count: number) => Array.from({ length: count }, () => 1);
const load = (count: number, { gap = 0, answersIn100 = 0 } = {}) => ({
  mailboxes: one(count),
  gap: () => gap,
  answersIn100,
});
const batches = (pace: Pace, count: number, begin: string, calendar = LONDON) =>
  layOut(pace, load(count), calendar, from(begin, calendar.zone)).batches.map(
    ({ at, count: each }) => `${each} ${told(at, calendar.zone)}`,
  );

describe('a pace laid out', () => {
  const paced: Pace = {
    ...AT_ONCE,
    batch: { size: 25, minutes: 180 },
    hours: { from: '09:30', until: '18:00' },
    days: WEEKDAYS,
    holidays: true,
  };

  it('begins three batches of 25 every three hours between 9:30 and 18:00, 75 a day (common practice)', () => {
    expect(batches(paced, 100, '2026-11-30T09:30')).to.deep.equal([
      '25 Mon 30 Nov 09:30',
      '25 Mon 30 Nov 12:30',
      '25 Mon 30 Nov 15:30',
      '25 Tue 1 Dec 09:30',
    ]);
  });

  it('begins two where the whole three hours must end within the hours, 50 a day (common practice)', () => {
    expect(batches({ ...paced, room: true }, 100, '2026-11-30T09:30')).to.deep.equal([
      '25 Mon 30 Nov 09:30',
      '25 Mon 30 Nov 12:30',
      '25 Tue 1 Dec 09:30',
      '25 Tue 1 Dec 12:30',
    ]);
  });

  it('passes over weekends, holidays and the hours before it was begun', () => {
    expect(batches(paced, 76, '2026-12-24T16:00')).to.deep.equal([
      '25 Thu 24 Dec 16:00',
      '25 Tue 29 Dec 09:30',
      '25 Tue 29 Dec 12:30',
      '1 Tue 29 Dec 15:30',
    ]);
    expect(batches({ ...paced, holidays: false }, 30, '2026-12-24T16:00')[1]).to.equal('5 Fri 25 Dec 09:30');
  });

  it('begins on its day, and at once when that has passed', () => {
    expect(batches({ ...paced, from: '2026-12-02T10:00' }, 1, '2026-11-30T08:00')).to.deep.equal([
      '1 Wed 2 Dec 10:00',
    ]);
    expect(batches({ ...paced, from: '2026-11-02T10:00' }, 1, '2026-11-30T12:00')).to.deep.equal([
      '1 Mon 30 Nov 12:00',
    ]);
  });

  it('begins a batch with the day where its spacing is longer than any day’s hours', () => {
    const slow = { ...paced, batch: { size: 10, minutes: 24 * 60 }, room: true };
    expect(batches(slow, 20, '2026-11-30T09:30')).to.deep.equal([
      '10 Mon 30 Nov 09:30',
      '10 Tue 1 Dec 09:30',
    ]);
    expect(batches(slow, 20, '2026-11-30T11:00')).to.deep.equal(['10 Tue 1 Dec 09:30', '10 Wed 2 Dec 09:30']);
  });

  it('expects no more answers a day than there is room for', () => {
    const roomy = { ...AT_ONCE, days: WEEKDAYS, hours: { from: '09:00', until: '17:00' }, answers: 7 };
    const { batches: laid } = layOut(
      roomy,
      load(120, { answersIn100: 14 }),
      LONDON,
      from('2026-11-30T09:00'),
    );
    expect(laid.map(({ at, count }) => `${count} ${told(at)}`)).to.deep.equal([
      '50 Mon 30 Nov 09:00',
      '50 Tue 1 Dec 09:00',
      '20 Wed 2 Dec 09:00',
    ]);
  });

  it('leaves to the next batch what a mailbox may not send by then', () => {
    // One a minute: of 25 in a quarter of an hour it can send 15.
    const tight = { ...paced, batch: { size: 25, minutes: 15 } };
    const { batches: laid, times } = layOut(
      tight,
      load(40, { gap: 60_000 }),
      LONDON,
      from('2026-11-30T17:00'),
    );
    expect(laid.map(({ count }) => count)).to.deep.equal([15, 15, 10]);
    expect(
      times
        .map((time, index) => time - (times[index - 1] ?? time))
        .every((gap) => gap === 0 || gap >= 60_000),
    ).to.equal(true);
  });

  it('says when it would never end', () => {
    expect(() =>
      batches({ ...paced, batch: { size: 1, minutes: 7 * 24 * 60 } }, 400, '2026-11-30T09:30'),
    ).to.throw(NeverDone);
    const never = {
      ...LONDON,
      holidays: new Set(
        Array.from(
          { length: 500 },
          (_, n) => DateTime.fromISO('2026-11-30').plus({ days: n }).toISODate() ?? '',
        ),
      ),
    };
    expect(() => batches(paced, 1, '2026-11-30T09:30', never)).to.throw(NeverDone);
  });

  it('finds the busiest hour', () => {
    const { times } = layOut(paced, load(30, { gap: 6000 }), LONDON, from('2026-11-30T09:30'));
    expect(busiestHour(times, 'Europe/London')).to.deep.equal({ at: from('2026-11-30T09:00'), count: 25 });
    expect(busiestHour([], 'Europe/London')).to.equal(null);
  });

  // IANA time zone database: Europe/London 2027-03-28 01:00 UTC forward, 2026-10-25 01:00 UTC back;
  // America/New_York 2026-11-01 06:00 UTC back; Australia/Lord_Howe moves by half an hour (2026-10-04 forward, from memory).
  it('keeps its hours by the clocks over their changes, and its spacing by the time that passes', () => {
    const every = {
      ...AT_ONCE,
      batch: { size: 1, minutes: 24 * 60 },
      hours: { from: '09:30', until: '18:00' },
    };
    const spring = layOut(every, load(3), LONDON, from('2027-03-27T09:30'));
    expect(spring.times.map((time) => new Date(time).toISOString())).to.deep.equal([
      '2027-03-27T09:30:00.000Z',
      // A day later it is half past ten by the clocks.
      '2027-03-28T09:30:00.000Z',
      '2027-03-29T09:30:00.000Z',
    ]);
    const autumn = layOut(every, load(2), LONDON, from('2026-10-24T09:30'));
    // A day later it is half past eight: it waits for the hours.
    expect(autumn.times.map((time) => told(time))).to.deep.equal(['Sat 24 Oct 09:30', 'Sun 25 Oct 09:30']);
    const night = { ...AT_ONCE, batch: { size: 1, minutes: 60 }, hours: { from: '00:30', until: '03:30' } };
    const hours = (zone: string, begin: string) =>
      layOut(night, load(5), { zone, holidays: new Set() }, from(begin, zone)).times.map((time) =>
        told(time, zone),
      );
    expect(hours('America/New_York', '2026-11-01T00:30')).to.deep.equal([
      'Sun 1 Nov 00:30',
      'Sun 1 Nov 01:30',
      'Sun 1 Nov 01:30',
      'Sun 1 Nov 02:30',
      'Mon 2 Nov 00:30',
    ]);
    expect(hours('Europe/London', '2027-03-28T00:30')).to.deep.equal([
      'Sun 28 Mar 00:30',
      'Sun 28 Mar 02:30',
      'Mon 29 Mar 00:30',
      'Mon 29 Mar 01:30',
      'Mon 29 Mar 02:30',
    ]);
  });

  const clock = fc
    .integer({ min: 0, max: 95 })
    .map((q) => `${String(Math.floor(q / 4)).padStart(2, '0')}:${String((q % 4) * 15).padStart(2, '0')}`);
  const anyPace: fc.Arbitrary<Pace> = fc.record({
    from: fc.option(
      fc
        .integer({ min: 0, max: 90 })
        .map((n) => `${DateTime.fromISO('2026-09-20').plus({ days: n }).toISODate()}T01:30`),
    ),
    batch: fc.option(
      fc.record({ size: fc.integer({ min: 1, max: 100 }), minutes: fc.integer({ min: 1, max: 3000 }) }),
    ),
    hours: fc.option(
      fc
        .tuple(clock, clock)
        .filter(([a, b]) => a !== b)
        .map(([a, b]) => (a < b ? { from: a, until: b } : { from: b, until: a })),
    ),
    days: fc.subarray([1, 2, 3, 4, 5, 6, 7], { minLength: 0 }),
    holidays: fc.boolean(),
    room: fc.boolean(),
    answers: fc.option(fc.integer({ min: 1, max: 30 })),
  });

  it('sends all, in order, nothing outside the hours and nothing above a limit, whatever the pace', () => {
    fc.assert(
      fc.property(
        anyPace,
        fc.constantFrom('Europe/London', 'America/New_York', 'Australia/Lord_Howe', 'UTC'),
        fc.array(fc.integer({ min: 1, max: 3 }), { minLength: 1, maxLength: 150 }),
        fc.integer({ min: 0, max: 90 * 24 * 60 }),
        fc.integer({ min: 0, max: 120_000 }),
        fc.integer({ min: 1, max: 100 }),
        (pace, zone, mailboxes, minutes, gap, answersIn100) => {
          const calendar = { zone, holidays: LONDON.holidays };
          const begin = Date.parse('2026-09-25T00:00:00Z') + minutes * 60_000;
          let laid;
          try {
            laid = layOut(pace, { mailboxes, gap: () => gap, answersIn100 }, calendar, begin);
          } catch (error) {
            expect(error).to.be.instanceOf(NeverDone);
            return;
          }
          const { times, batches: all } = laid;
          expect(times.length).to.equal(mailboxes.length);
          expect(all.reduce((sum, { count }) => sum + count, 0)).to.equal(times.length);
          const last = new Map<number, number>();
          for (const [index, time] of times.entries()) {
            expect(time).to.be.at.least(begin);
            if (pace.from) expect(time).to.be.at.least(momentOf(pace.from, zone));
            expect(isOpen(pace, calendar, time), 'open').to.equal(true);
            const mailbox = mailboxes[index] ?? 0;
            expect(time - (last.get(mailbox) ?? -Infinity), 'the mailbox’s limit').to.be.at.least(gap);
            last.set(mailbox, time);
          }
          let at = 0;
          for (const [index, batch] of all.entries()) {
            const own = times.slice(at, at + batch.count);
            at += batch.count;
            expect(Math.min(...own)).to.be.at.least(batch.at);
            expect(Math.max(...own)).to.equal(batch.until);
            if (pace.batch) expect(batch.count).to.be.at.most(pace.batch.size);
            const next = all[index + 1];
            if (!next) continue;
            expect(batch.until, 'batches in order').to.be.at.most(next.at);
            if (pace.batch) expect(next.at - batch.at, 'spacing').to.be.at.least(pace.batch.minutes * 60_000);
          }
          const perDay = new Map<string, number>();
          for (const time of times) {
            const day = DateTime.fromMillis(time, { zone }).toISODate() ?? '';
            perDay.set(day, (perDay.get(day) ?? 0) + 1);
          }
          if (pace.answers !== null)
            for (const count of perDay.values())
              expect(count).to.be.at.most(Math.max(1, Math.floor((100 * pace.answers) / answersIn100)));
        },
      ),
      { numRuns: 300 },
    );
  });

  it('lays ten thousand out within a moment', () => {
    const began = performance.now();
    layOut({ ...paced, batch: { size: 1, minutes: 1 } }, load(10_000), LONDON, from('2026-11-30T09:30'));
    expect(performance.now() - began).to.be.below(5000);
  });
});
