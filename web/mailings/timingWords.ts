import { dayWords } from '../../core/office/day.ts';
import type { Timing } from '../../contract/index.ts';

/**
 * A timing in a few words: `20 every 3 hours from 30 November 2026, 09:30`.
 * @param brief without the time and the hours
 */
export function timingWords(timing: Timing | null, brief = false): string {
  if (!timing) return '';
  const { from, batch, hours } = timing;
  if (brief) {
    const day = from && dayWords(from.slice(0, 10)).replace(/ \d{4}$/, '');
    if (batch) return `${batch.size} every ${spacingWords(batch.minutes)}`;
    return day ? `from ${day}` : hours ? `${hours.from} to ${hours.until}` : 'at once';
  }
  const begins = from ? `from ${dayWords(from.slice(0, 10))}, ${from.slice(11)}` : 'at once';
  if (batch) return `${batch.size} every ${spacingWords(batch.minutes)} ${from ? begins : ''}`.trim();
  return hours ? `${begins}, ${hours.from} to ${hours.until}` : begins;
}

/** `3 hours`, `90 minutes`, `day`. */
export function spacingWords(minutes: number): string {
  const [count, unit] =
    minutes % 1440 === 0
      ? [minutes / 1440, 'day']
      : minutes % 60 === 0
        ? [minutes / 60, 'hour']
        : [minutes, 'minute'];
  return count === 1 ? unit : `${count} ${unit}s`;
}
