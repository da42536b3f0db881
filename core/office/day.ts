const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'];
/** Two figures of a year are of this century up to so many years from now, else of the last. */
const AHEAD = 30;
/** No day is written longer. */
const LONGEST = 60;
const DAY = 24 * 3600 * 1000;

/**
 * The calendar day somebody typed, the day before the month: `3 May 2026`, `3.5.26`, `3/5`, `2026-05-03`, `today`,
 * `tomorrow`, `yesterday`.
 * @param today as `2026-05-03`: where the year is left out it is this one
 * @returns as `2026-05-03`; null when it is no day
 */
export function readDay(text: string, today: string): string | null {
  const typed = text.slice(0, LONGEST).trim().toLowerCase();
  const near = ['yesterday', 'today', 'tomorrow'].indexOf(typed);
  if (near >= 0)
    return new Date(Date.parse(`${today}T00:00:00Z`) + (near - 1) * DAY).toISOString().slice(0, 10);
  const iso = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(typed);
  if (iso) return asDay(Number(iso[1]), Number(iso[2]), Number(iso[3]));
  const figures = /^(\d{1,2})[./ -](\d{1,2})(?:[./ -](\d{2}|\d{4}))?$/.exec(typed);
  if (figures) return asDay(yearOf(figures[3], today), Number(figures[2]), Number(figures[1]));
  const named =
    /^(?:\p{L}{2,10}\s+)?(\d{1,2})(?:st|nd|rd|th)?[ .]?\s*([a-z]{3,9})\.?(?:\s+(\d{2}|\d{4}))?$/u.exec(typed);
  if (!named) return null;
  const month = MONTHS.indexOf((named[2] ?? '').slice(0, 3)) + 1;
  return month ? asDay(yearOf(named[3], today), month, Number(named[1])) : null;
}

function yearOf(figures: string | undefined, today: string): number {
  const now = Number(today.slice(0, 4));
  if (figures === undefined) return now;
  if (figures.length === 4) return Number(figures);
  const year = Math.floor(now / 100) * 100 + Number(figures);
  return year > now + AHEAD ? year - 100 : year;
}

/** A day that the calendar has. */
function asDay(year: number, month: number, day: number): string | null {
  const date = new Date(Date.UTC(year, month - 1, day));
  if (year < 1000 || date.getUTCMonth() !== month - 1 || date.getUTCDate() !== day) return null;
  return date.toISOString().slice(0, 10);
}

// Made once: making one takes longer than a hundred uses of it.
const IN_WORDS = new Intl.DateTimeFormat('en-GB', {
  ...{ day: 'numeric', month: 'long', year: 'numeric', timeZone: 'UTC' },
});

/** A day as the office writes it: `3 May 2026`. */
export function dayWords(day: string): string {
  const at = new Date(`${day}T00:00:00Z`);
  return Number.isNaN(at.getTime()) ? String(at) : IN_WORDS.format(at);
}

/**
 * The time of day somebody typed: `14:30`, `14.30`, `1430`, `9`, `2pm`.
 * @returns as `14:30`; null when it is none
 */
export function readTime(text: string): string | null {
  const typed = text.slice(0, LONGEST).trim().toLowerCase();
  const found = /^(\d{1,2})(?:[:.h]?(\d{2}))?\s?(am|pm)?$/.exec(typed);
  if (!found) return null;
  const half = found[3];
  const hour = Number(found[1]);
  const minute = Number(found[2] ?? 0);
  if (hour > (half ? 12 : 23) || (half && hour === 0) || minute > 59) return null;
  const whole = half ? (hour % 12) + (half === 'pm' ? 12 : 0) : hour;
  return `${String(whole).padStart(2, '0')}:${String(minute).padStart(2, '0')}`;
}
