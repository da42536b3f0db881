import ICAL from 'ical.js';

// The blank that begins a folded line counts as well (RFC 5545, 3.1; RFC 6350, 3.2), which the library forgets.
ICAL.foldLength = 74;

/** The library for calendars and cards, its lines of 75 octets at most. */
export { ICAL };
