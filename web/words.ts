import { DateTime } from 'luxon';
import { useSession } from './session.ts';

/** Times of the firm's zone in the words people use; all take ISO instants. */
export function useTimes() {
  const session = useSession();
  const at = (iso: string) => DateTime.fromISO(iso, { zone: session.zone, locale: 'en-GB' });
  const now = () => DateTime.now().setZone(session.zone);

  /** `09:12` today, `Mon` within a week, `3 May` this year, else `3 May 2024`. */
  function brief(iso: string): string {
    const time = at(iso);
    const days = now().startOf('day').diff(time.startOf('day'), 'days').days;
    if (days < 1) return time.toFormat('HH:mm');
    if (days < 7) return time.toFormat('ccc');
    return time.toFormat(time.year === now().year ? 'd LLL' : 'd LLL yyyy');
  }
  const full = (iso: string) =>
    at(iso).toFormat('ccc d LLL, HH:mm') + (at(iso).year === now().year ? '' : at(iso).toFormat(' yyyy'));
  const clock = (iso: string) => at(iso).toFormat('HH:mm');
  const day = (iso: string) => at(iso).toFormat(at(iso).year === now().year ? 'd LLL' : 'd LLL yyyy');
  const date = (iso: string) => at(iso).toFormat('d LLLL yyyy');
  const weekday = (isoDay: string) => DateTime.fromISO(isoDay, { locale: 'en-GB' }).toFormat('ccc');
  /** `Today`, `Yesterday`, `Mon 16 Nov`; takes a date of the firm's zone. */
  function dayName(isoDay: string): string {
    const day = DateTime.fromISO(isoDay, { zone: session.zone, locale: 'en-GB' });
    const days = now().startOf('day').diff(day, 'days').days;
    return days < 1 ? 'Today' : days < 2 ? 'Yesterday' : day.toFormat('ccc d LLL');
  }
  /** The date of the firm's zone an instant falls on. */
  const dayOf = (iso: string) => at(iso).toISODate() ?? '';
  /** `Today, Tuesday 24 November`; takes a date of the firm's zone. */
  function dayHeading(isoDay: string): string {
    const day = DateTime.fromISO(isoDay, { zone: session.zone, locale: 'en-GB' });
    const days = now().startOf('day').diff(day, 'days').days;
    const words = day.toFormat(day.year === now().year ? 'cccc d LLLL' : 'cccc d LLLL yyyy');
    return days < 1 && days >= 0 ? `Today, ${words}` : words;
  }
  const today = () => now().setLocale('en-GB').toFormat('cccc d LLLL');
  const hour = () => now().hour;

  /** `just now`, `2 min ago`, `since 07:10`, `since Sunday`. */
  function ago(iso: string): string {
    const minutes = Math.floor(now().diff(at(iso), 'minutes').minutes);
    if (minutes < 1) return 'just now';
    if (minutes < 60) return `${minutes} min ago`;
    return since(iso);
  }
  function since(iso: string): string {
    const time = at(iso);
    const days = now().startOf('day').diff(time.startOf('day'), 'days').days;
    if (days < 1) return `since ${time.toFormat('HH:mm')}`;
    if (days < 2) return 'since yesterday';
    if (days < 7) return `since ${time.toFormat('cccc')}`;
    return `since ${time.toFormat('d LLLL')}`;
  }
  return { brief, full, clock, day, dayOf, dayHeading, dayName, date, weekday, today, hour, ago, since };
}

/** `1 message`, `14 messages`. */
export function many(count: number, one: string, more = `${one}s`): string {
  return `${count.toLocaleString('en-GB')} ${count === 1 ? one : more}`;
}

/** `812 KB`, `3.1 MB`. */
export function size(bytes: number): string {
  if (bytes < 1000) return `${bytes} bytes`;
  return bytes < 1_000_000 ? `${Math.round(bytes / 1000)} KB` : `${(bytes / 1_000_000).toFixed(1)} MB`;
}

/** Joins words with commas and a last “and”. */
export function list(words: readonly string[]): string {
  return words.length < 2 ? words.join('') : `${words.slice(0, -1).join(', ')} and ${words.at(-1)}`;
}
