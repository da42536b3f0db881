import { DateTime, IANAZone } from 'luxon';
import { ICAL } from '../office/ical.ts';

/** Somebody a calendar names. */
export interface Invited {
  name: string;
  email: string;
}

/** What an invitation asks, as iCalendar (RFC 5545) with the methods of RFC 5546 tells it. */
export interface Invitation {
  /** What names it in all calendars. */
  uid: string;
  /** How often it has been changed. */
  sequence: number;
  /** It is called off. */
  off: boolean;
  summary: string;
  place: string;
  description: string;
  /** ISO instants; of whole days their beginning in the zone given. */
  at: string;
  endsAt: string | null;
  wholeDay: boolean;
  /** It repeats; only the first time is told. */
  repeats: boolean;
  organizer: Invited | null;
  attendees: Invited[];
}

/** So much of a calendar is looked at, in letters, and so many are named: what is longer is an attack or a whole year. */
export const MOST_LETTERS = 200_000;
const MOST_ATTENDEES = 100;
const LONGEST = { summary: 300, place: 200, description: 2000, uid: 255, name: 120, email: 254 };
/** Years a meeting may lie in: what is beyond is a mistake, and no time the database keeps. */
const YEARS = [1970, 2200] as const;

/**
 * Reads an invitation out of a calendar a stranger sent.
 * @param text of the part `text/calendar`
 * @param zone of times that name none (RFC 5545, 3.3.5, form 1), and of whole days
 * @returns null where it is none: not a calendar, an answer to one, without day or name
 */
export function readInvitation(text: string, zone: string): Invitation | null {
  const calendar = parsed(text.slice(0, MOST_LETTERS));
  const event = calendar && eventOf(calendar);
  if (!calendar || !event) return null;
  const method = String(calendar.getFirstPropertyValue('method') ?? 'REQUEST').toUpperCase();
  const uid = String(event.getFirstPropertyValue('uid') ?? '').trim();
  const start = event.getFirstProperty('dtstart');
  const at = start && instantOf(start, calendar, zone);
  if (!['REQUEST', 'PUBLISH', 'CANCEL', 'ADD'].includes(method) || !uid || !at) return null;
  if (uid.length > LONGEST.uid) return null;
  const textOf = (name: 'summary' | 'location' | 'description', most: number) =>
    plain(String(event.getFirstPropertyValue(name) ?? ''), most);
  const status = String(event.getFirstPropertyValue('status') ?? '').toUpperCase();
  return {
    uid,
    sequence: Math.min(
      Math.max(Math.trunc(Number(event.getFirstPropertyValue('sequence') ?? 0)) || 0, 0),
      1e9,
    ),
    off: method === 'CANCEL' || status === 'CANCELLED',
    summary: textOf('summary', LONGEST.summary).replace(/\s+/g, ' '),
    place: textOf('location', LONGEST.place).replace(/\s+/g, ' '),
    description: textOf('description', LONGEST.description),
    at: at.time.toUTC().toISO() ?? '',
    endsAt: endOf(event, at, calendar, zone)?.toUTC().toISO() ?? null,
    wholeDay: at.wholeDay,
    repeats: event.hasProperty('rrule') || event.hasProperty('rdate'),
    organizer: invited(event.getFirstProperty('organizer')),
    attendees: event
      .getAllProperties('attendee')
      .slice(0, MOST_ATTENDEES)
      .flatMap((property) => invited(property) ?? []),
  };
}

function parsed(text: string): ICAL.Component | null {
  try {
    const jcal: unknown[] = ICAL.parse(text);
    // Of several calendars in one part the first.
    const first = (Array.isArray(jcal[0]) ? jcal[0] : jcal) as unknown[];
    const component = new ICAL.Component(first as ConstructorParameters<typeof ICAL.Component>[0]);
    return component.name === 'vcalendar' ? component : null;
  } catch {
    return null;
  }
}

/** The meeting itself, not one of its repetitions that was moved. */
function eventOf(calendar: ICAL.Component): ICAL.Component | undefined {
  const events = calendar.getAllSubcomponents('vevent');
  return events.find((event) => !event.hasProperty('recurrence-id')) ?? events[0];
}

interface Instant {
  time: DateTime;
  wholeDay: boolean;
}

/** When a property says something is: in UTC, in a zone by name, in one the calendar explains, or in ours. */
function instantOf(property: ICAL.Property, calendar: ICAL.Component, zone: string): Instant | null {
  try {
    const value: unknown = property.getFirstValue();
    // As it was written: the library makes the 45th of the 13th month into some other day.
    const written: unknown = property.toJSON()[3];
    if (!(value instanceof ICAL.Time) || typeof written !== 'string') return null;
    const tzid = String(property.getFirstParameter('tzid') ?? '');
    const explained = tzid && !IANAZone.isValidZone(tzid) ? zoneWithin(calendar, tzid) : null;
    const named = explained ? 'utc' : IANAZone.isValidZone(tzid) ? tzid : zone;
    const time = DateTime.fromISO(written, { zone: named });
    if (!time.isValid || time.year < YEARS[0] || time.year > YEARS[1]) return null;
    const offset = explained && !value.isDate ? explained.utcOffset(value) : 0;
    return { time: time.minus({ seconds: offset }), wholeDay: value.isDate };
  } catch {
    return null;
  }
}

/** A zone the calendar brings with it: those of some programs bear names of their own. */
function zoneWithin(calendar: ICAL.Component, tzid: string): ICAL.Timezone | null {
  const component = calendar
    .getAllSubcomponents('vtimezone')
    .find((each) => each.getFirstPropertyValue('tzid') === tzid);
  return component ? new ICAL.Timezone({ component, tzid }) : null;
}

/** The end, or what the duration makes of the beginning; nothing before it. */
function endOf(
  event: ICAL.Component,
  { time, wholeDay }: Instant,
  calendar: ICAL.Component,
  zone: string,
): DateTime | null {
  const property = event.getFirstProperty('dtend');
  const duration: unknown = event.getFirstPropertyValue('duration');
  const end = property
    ? (instantOf(property, calendar, zone)?.time ?? null)
    : duration instanceof ICAL.Duration
      ? time.plus({ seconds: duration.toSeconds() })
      : wholeDay
        ? time.plus({ days: 1 })
        : null;
  return end?.isValid && end > time && end.year <= YEARS[1] ? end : null;
}

function invited(property: ICAL.Property | null | undefined): Invited | null {
  if (!property) return null;
  const address = String(property.getFirstValue() ?? '');
  const email = address
    .replace(/^mailto:/i, '')
    .trim()
    .toLowerCase();
  if (!email.includes('@') || email.length > LONGEST.email) return null;
  return { name: plain(String(property.getFirstParameter('cn') ?? ''), LONGEST.name), email };
}

/** Without what steers a terminal or turns a line around. */
function plain(text: string, most: number): string {
  return text
    .slice(0, most * 2)
    .replace(/\r\n?/g, '\n')
    .replace(/[\p{Cc}\p{Cf}]/gu, (mark) => (mark === '\n' ? mark : ''))
    .trim()
    .slice(0, most);
}
