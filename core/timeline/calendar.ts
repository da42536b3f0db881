import { ICAL } from '../office/ical.ts';

/** Something for a calendar. */
export interface CalendarEvent {
  uid: string;
  sequence: number;
  off: boolean;
  /** ISO instants. */
  at: string;
  endsAt: string | null;
  summary: string;
  place: string;
  description: string;
  attendees: readonly { name: string; email: string }[];
}

/**
 * Events as iCalendar (RFC 5545), in UTC, with folded lines that end in CRLF.
 * @param stamp when it is written: an ISO instant
 */
export function calendarOf(events: readonly CalendarEvent[], stamp: string): string {
  const calendar = new ICAL.Component('vcalendar');
  calendar.addPropertyWithValue('prodid', '-//Patient Clerk//EN');
  calendar.addPropertyWithValue('version', '2.0');
  for (const event of events) calendar.addSubcomponent(componentOf(event, stamp));
  return `${calendar.toString()}\r\n`;
}

function componentOf(event: CalendarEvent, stamp: string): ICAL.Component {
  const component = new ICAL.Component('vevent');
  const add = (name: string, value: string | number | ICAL.Time) =>
    component.addPropertyWithValue(name, value as string);
  add('uid', event.uid);
  add('sequence', event.sequence);
  add('dtstamp', timeOf(stamp));
  add('dtstart', timeOf(event.at));
  if (event.endsAt) add('dtend', timeOf(event.endsAt));
  add('summary', event.summary);
  if (event.place) add('location', event.place);
  if (event.description) add('description', event.description);
  add('status', event.off ? 'CANCELLED' : 'CONFIRMED');
  for (const { name, email } of event.attendees) {
    const attendee = new ICAL.Property('attendee', component);
    if (name) attendee.setParameter('cn', name);
    attendee.setValue(`mailto:${email}`);
    component.addProperty(attendee);
  }
  return component;
}

const timeOf = (instant: string) => ICAL.Time.fromJSDate(new Date(instant), true);
