import { expect } from 'chai';
import fc from 'fast-check';
import { readTime } from '../../core/office/day.ts';
import { calendarOf } from '../../core/timeline/calendar.ts';
import { readInvitation } from '../../core/timeline/invitation.ts';
import { callNames, mentioned } from '../../core/timeline/mentions.ts';

const STAFF = [
  { id: 1, name: 'Maren Okell' },
  { id: 2, name: 'Tobias Fenn' },
  { id: 3, name: 'Tobias Fennimore' },
  { id: 4, name: 'Éloïse Brandt' },
];

describe('whom words call', () => {
  it('knows the whole name, and the first where nobody else bears it', () => {
    expect(mentioned('@Maren please look, and @Tobias Fenn too.', STAFF)).to.deep.equal([1, 2]);
    expect(mentioned('@tobias, which?', STAFF)).to.deep.equal([]);
    expect(mentioned('@Tobias Fennimore', STAFF)).to.deep.equal([3]);
    expect(mentioned('(@éloïse brandt)', STAFF)).to.deep.equal([4]);
    expect(mentioned('@Maren @Maren Okell', STAFF)).to.deep.equal([1]);
  });

  it('calls nobody by an address, by part of a word or a name alone', () => {
    for (const words of ['x@maren.example', 'maren@Maren', '@Marens', 'Maren', '@ Maren', '@'])
      expect(mentioned(words, STAFF), words).to.deep.equal([]);
  });

  it('offers each name that is understood, the longer ones first', () => {
    const names = callNames(STAFF).map(({ name }) => name);
    expect(names).to.include('Éloïse').and.not.include('Tobias');
    expect([...names].sort((a, b) => b.length - a.length)).to.deep.equal(names);
    for (const { id, name } of callNames(STAFF)) expect(mentioned(`@${name}`, STAFF)).to.deep.equal([id]);
  });
});

describe('a time of day as it is typed', () => {
  const KNOWN: [string, string | null][] = [
    ['14:30', '14:30'],
    ['14.30', '14:30'],
    ['1430', '14:30'],
    ['930', '09:30'],
    ['9', '09:00'],
    ['9h15', '09:15'],
    ['2pm', '14:00'],
    ['12am', '00:00'],
    ['12 pm', '12:00'],
    ['24', null],
    ['12:60', null],
    ['13pm', null],
    ['noon', null],
    ['', null],
  ];
  for (const [typed, time] of KNOWN)
    it(`“${typed}” is ${time ?? 'none'}`, () => expect(readTime(typed)).to.equal(time));
});

describe('invitations from strangers', () => {
  const calendar = (lines: readonly string[], method = 'REQUEST') =>
    [
      'BEGIN:VCALENDAR',
      'VERSION:2.0',
      `METHOD:${method}`,
      'BEGIN:VEVENT',
      'UID:one@elsewhere.example',
      ...lines,
      'END:VEVENT',
      'END:VCALENDAR',
    ].join('\r\n');
  const start = 'DTSTART:20261203T100000Z';
  const read = (lines: readonly string[], method?: string) =>
    readInvitation(calendar(lines, method), 'Europe/London');

  it('tells what is called off, by its method or its state', () => {
    expect(read([start])?.off).to.equal(false);
    expect(read([start], 'CANCEL')?.off).to.equal(true);
    expect(read([start, 'STATUS:CANCELLED'])?.off).to.equal(true);
  });

  it('is none without a day or a name, or where it answers another', () => {
    expect(read([])).to.equal(null);
    expect(read([start], 'REPLY')).to.equal(null);
    expect(readInvitation(calendar([start]).replace('UID:one@elsewhere.example\r\n', ''), 'UTC')).to.equal(
      null,
    );
    for (const text of ['', 'BEGIN:VCARD\r\nEND:VCARD', '{}', 'BEGIN:VCALENDAR', '\0'.repeat(50)])
      expect(readInvitation(text, 'UTC'), text).to.equal(null);
    expect(read(['DTSTART:99990101T000000Z'])).to.equal(null);
    expect(read(['DTSTART:20261345T000000Z'])).to.equal(null);
  });

  it('takes a zone that the calendar explains, and the office’s where none is said', () => {
    const zone = [
      'BEGIN:VTIMEZONE',
      'TZID:Our Own Time',
      'BEGIN:STANDARD',
      'DTSTART:19700101T000000',
      'TZOFFSETFROM:+0530',
      'TZOFFSETTO:+0530',
      'END:STANDARD',
      'END:VTIMEZONE',
      'BEGIN:VEVENT',
    ].join('\r\n');
    const explained = calendar(['DTSTART;TZID=Our Own Time:20261203T100000']).replace('BEGIN:VEVENT', zone);
    expect(readInvitation(explained, 'Europe/London')?.at).to.equal('2026-12-03T04:30:00.000Z');
    expect(readInvitation(calendar(['DTSTART:20260703T100000']), 'Europe/London')?.at).to.equal(
      '2026-07-03T09:00:00.000Z',
    );
    expect(read(['DTSTART;VALUE=DATE:20260703'])).to.include({
      at: '2026-07-02T23:00:00.000Z',
      endsAt: '2026-07-03T23:00:00.000Z',
      wholeDay: true,
    });
  });

  it('is cut to what a meeting may have, and rid of what turns lines around', () => {
    const long = read([
      start,
      `SUMMARY:${'x'.repeat(5000)}`,
      'LOCATION:the \u202egate\u202c\\nby the oak',
      ...Array.from({ length: 500 }, (_, n) => `ATTENDEE:mailto:a${n}@elsewhere.example`),
      'ATTENDEE:tel:+441632960961',
    ]);
    expect(long?.summary).to.have.length(300);
    expect(long?.place).to.equal('the gate by the oak');
    expect(long?.attendees).to.have.length(100);
    expect(read([start, 'DTEND:20261203T090000Z'])?.endsAt).to.equal(null);
    expect(read([start, 'DURATION:PT90M'])?.endsAt).to.equal('2026-12-03T11:30:00.000Z');
    expect(read([start, 'RRULE:FREQ=DAILY'])?.repeats).to.equal(true);
  });

  it('never throws, whatever stands in it', () => {
    fc.assert(
      fc.property(fc.array(fc.string({ maxLength: 60 }), { maxLength: 8 }), (lines) => {
        read([start, ...lines]);
        return true;
      }),
    );
  });
});

describe('calendars of our own', () => {
  it('come back as they went', () => {
    const name = fc.string({ minLength: 1, maxLength: 120, unit: 'grapheme' });
    const moment = fc.integer({ min: 0, max: 2_000_000_000 }).map((at) => new Date(at * 1000).toISOString());
    fc.assert(
      fc.property(name, name, moment, fc.integer({ min: 1, max: 1e6 }), (summary, place, at, length) => {
        const endsAt = new Date(Date.parse(at) + length * 1000).toISOString();
        const event = {
          uid: 'a-1',
          sequence: 3,
          off: false,
          at,
          endsAt,
          summary,
          place,
          description: '',
          attendees: [{ name: 'Agnes “Ag” Garrowby; Ltd', email: 'agnes@garrowby.example' }],
        };
        const text = calendarOf([event], at);
        const back = readInvitation(text, 'Europe/London');
        const plain = (words: string) =>
          words
            .replace(/[\p{Cc}\p{Cf}]/gu, '')
            .trim()
            .replace(/\s+/g, ' ');
        expect(back).to.include({ uid: 'a-1', sequence: 3, off: false, at, endsAt });
        expect(back?.summary).to.equal(plain(summary));
        expect(back?.place).to.equal(plain(place));
        expect(back?.attendees[0]?.email).to.equal('agnes@garrowby.example');
      }),
    );
  });
});
