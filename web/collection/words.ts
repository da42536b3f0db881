import type { CollectionEntry, CollectionItem, CollectionWanted } from '../../contract/index.ts';
import { DateTime } from 'luxon';
import { useTimes } from '../words.ts';

/** A day such as `2026-05-03` in words. */
export const dayWords = (day: string): string =>
  DateTime.fromISO(day, { locale: 'en-GB' }).toFormat(
    DateTime.fromISO(day).year === DateTime.now().year ? 'd LLL' : 'd LLL yyyy',
  );

/** What became of what lies on clients' pages, in words. */
export function useFares() {
  const { day, full } = useTimes();
  const itemWords = ({ state, collectedAt, collected, until }: CollectionItem): string => {
    const taken = collectedAt
      ? `collected ${full(collectedAt)}${collected > 1 ? `, ${collected} times in all` : ''}`
      : 'not collected';
    if (state === 'lies there') return collectedAt ? taken : `${taken} yet; there until ${dayWords(until)}`;
    return `${state}; ${taken}`;
  };
  const wantedWords = ({ state, askedAt, by, byDay }: CollectionWanted): string =>
    state === 'wanted'
      ? [`asked for ${day(askedAt)}${by ? ` by ${by}` : ''}`, byDay ? `by ${dayWords(byDay)}` : '']
          .filter(Boolean)
          .join(', ')
      : state;
  const entryWords = ({ kind, by, collectedAt, person }: CollectionEntry): string => {
    if (kind === 'line') return `a line from ${person || 'their page'}, left on their page`;
    if (kind === 'came') return `put on their page by ${person || 'them'}`;
    const laid = `laid out for ${person || 'them'}${by ? ` by ${by}` : ''}`;
    return `${laid}; ${collectedAt ? `collected ${full(collectedAt)}` : 'not collected yet'}`;
  };
  return { itemWords, wantedWords, entryWords };
}
