import { expect } from 'chai';
import { calendarOf } from '../../core/timeline/calendar.ts';
import { readInvitation } from '../../core/timeline/invitation.ts';

/** RFC 5545, section 4, "iCalendar Object Examples": the first three, as they stand there. */
const CONFERENCE = `BEGIN:VCALENDAR
PRODID:-//xyz Corp//NONSGML PDA Calendar Version 1.0//EN
VERSION:2.0
BEGIN:VEVENT
DTSTAMP:19960704T120000Z
UID:uid1@example.com
ORGANIZER:mailto:jsmith@example.com
DTSTART:19960918T143000Z
DTEND:19960920T220000Z
STATUS:CONFIRMED
CATEGORIES:CONFERENCE
SUMMARY:Networld+Interop Conference
DESCRIPTION:Networld+Interop Conference
  and Exhibit\\nAtlanta World Congress Center\\n
 Atlanta\\, Georgia
END:VEVENT
END:VCALENDAR
`;
const REVIEW = `BEGIN:VCALENDAR
PRODID:-//RDU Software//NONSGML HandCal//EN
VERSION:2.0
BEGIN:VTIMEZONE
TZID:America/New_York
BEGIN:STANDARD
DTSTART:19981025T020000
TZOFFSETFROM:-0400
TZOFFSETTO:-0500
TZNAME:EST
END:STANDARD
BEGIN:DAYLIGHT
DTSTART:19990404T020000
TZOFFSETFROM:-0500
TZOFFSETTO:-0400
TZNAME:EDT
END:DAYLIGHT
END:VTIMEZONE
BEGIN:VEVENT
DTSTAMP:19980309T231000Z
UID:guid-1.example.com
ORGANIZER:mailto:mrbig@example.com
ATTENDEE;RSVP=TRUE;ROLE=REQ-PARTICIPANT;CUTYPE=GROUP:
 mailto:employee-A@example.com
DESCRIPTION:Project XYZ Review Meeting
CATEGORIES:MEETING
CLASS:PUBLIC
CREATED:19980309T130000Z
SUMMARY:XYZ Project Review
DTSTART;TZID=America/New_York:19980312T083000
DTEND;TZID=America/New_York:19980312T093000
LOCATION:1CP Conference Room 4350
END:VEVENT
END:VCALENDAR
`;
const crlf = (text: string) => text.replace(/\n/g, '\r\n');

describe('RFC 5545, iCalendar', () => {
  it('reads the conference of section 4: times in UTC, folded lines, escaped commas', () => {
    expect(readInvitation(crlf(CONFERENCE), 'Europe/London')).to.deep.include({
      uid: 'uid1@example.com',
      off: false,
      summary: 'Networld+Interop Conference',
      description: 'Networld+Interop Conference and Exhibit\nAtlanta World Congress Center\nAtlanta, Georgia',
      at: '1996-09-18T14:30:00.000Z',
      endsAt: '1996-09-20T22:00:00.000Z',
      organizer: { name: '', email: 'jsmith@example.com' },
    });
  });

  it('reads the review of section 4: times in a zone, an attendee on a folded line', () => {
    // Half past eight in New York is 13:30 in UTC on 12 March 1998 (standard time, five hours behind).
    expect(readInvitation(crlf(REVIEW), 'Europe/London')).to.deep.include({
      uid: 'guid-1.example.com',
      summary: 'XYZ Project Review',
      place: '1CP Conference Room 4350',
      at: '1998-03-12T13:30:00.000Z',
      endsAt: '1998-03-12T14:30:00.000Z',
      attendees: [{ name: '', email: 'employee-a@example.com' }],
    });
  });

  it('reads the lunch of section 3.3.6: a duration of fifteen days, five hours and twenty seconds', () => {
    const text = CONFERENCE.replace('DTEND:19960920T220000Z', 'DURATION:P15DT5H0M20S');
    const from = Date.parse('1996-09-18T14:30:00Z');
    const length = ((15 * 24 + 5) * 3600 + 20) * 1000;
    expect(readInvitation(crlf(text), 'UTC')?.endsAt).to.equal(new Date(from + length).toISOString());
  });

  it('writes lines of 75 octets at most that end in CRLF (section 3.1), with what must be there (3.4, 3.6.1, 3.7)', () => {
    const text = calendarOf(
      [
        {
          uid: 'a-1',
          sequence: 0,
          off: false,
          at: '2026-12-03T10:00:00.000Z',
          endsAt: null,
          summary: `${'Grünfläche über der Brücke, '.repeat(9)};`,
          place: 'a\\b',
          description: 'one\ntwo',
          attendees: [{ name: 'Garrowby; Agnes', email: 'agnes@garrowby.example' }],
        },
      ],
      '2026-11-26T09:00:00.000Z',
    );
    const lines = text.split('\r\n');
    expect(text.replace(/\r\n/g, '')).to.not.match(/[\r\n]/);
    for (const line of lines) expect(Buffer.byteLength(line), line).to.be.at.most(75);
    expect(lines[0]).to.equal('BEGIN:VCALENDAR');
    expect(lines.at(-2)).to.equal('END:VCALENDAR');
    for (const line of [
      'VERSION:2.0',
      'DTSTAMP:20261126T090000Z',
      'DTSTART:20261203T100000Z',
      'UID:a-1',
      'LOCATION:a\\\\b',
      'DESCRIPTION:one\\ntwo',
      // Section 3.2: a value with a semicolon stands in quotes.
      'ATTENDEE;CN="Garrowby; Agnes":mailto:agnes@garrowby.example',
    ])
      expect(text.replace(/\r\n[ \t]/g, '').split('\r\n')).to.include(line);
    expect(text).to.match(/^PRODID:.+$/m);
  });
});
