import type { FactKind } from '../facts/catalogue.ts';

const CASES: Record<string, (words: string) => string> = {
  capitals: (words) => words.toLocaleUpperCase('en-GB'),
  'small letters': (words) => words.toLocaleLowerCase('en-GB'),
  'first letter': (words) => words.charAt(0).toLocaleUpperCase('en-GB') + words.slice(1),
  'each word': (words) => words.replace(/(^|[\s-])(\p{L})/gu, (all) => all.toLocaleUpperCase('en-GB')),
  initials: (words) =>
    words
      .split(/[\s-]+/)
      .flatMap((word) => word.charAt(0) || [])
      .map((letter) => `${letter.toLocaleUpperCase('en-GB')}.`)
      .join(' '),
};
// Made once: making one takes longer than a hundred uses of it.
const day = (look: Intl.DateTimeFormatOptions) =>
  new Intl.DateTimeFormat('en-GB', { ...look, timeZone: 'UTC' });
const DAYS: Record<string, Intl.DateTimeFormat> = {
  'day and month': day({ day: 'numeric', month: 'long' }),
  weekday: day({ weekday: 'long', day: 'numeric', month: 'long', year: 'numeric' }),
  figures: day({ day: '2-digit', month: '2-digit', year: 'numeric' }),
  'month and year': day({ month: 'long', year: 'numeric' }),
};
const NUMBERS: Record<string, Intl.NumberFormat> = {
  whole: new Intl.NumberFormat('en-GB', { maximumFractionDigits: 0 }),
  'two places': new Intl.NumberFormat('en-GB', { minimumFractionDigits: 2, maximumFractionDigits: 2 }),
};

/** Ways of writing a fact, by what they are shown as. */
export interface Format {
  key: string;
  words: string;
}

const AS_IT_IS: Format = { key: '', words: 'as it is' };
const LETTERS: readonly Format[] = [
  { key: 'capitals', words: 'in CAPITALS' },
  { key: 'small letters', words: 'in small letters' },
  { key: 'first letter', words: 'First letter a capital' },
  { key: 'each word', words: 'Each Word With A Capital' },
];

/** How a fact of a kind may be written. */
export function formatsOf(kind: FactKind): readonly Format[] {
  if (kind === 'date')
    return [
      { key: '', words: '3 May 2026' },
      { key: 'day and month', words: '3 May' },
      { key: 'weekday', words: 'Sunday 3 May 2026' },
      { key: 'figures', words: '03/05/2026' },
      { key: 'month and year', words: 'May 2026' },
    ];
  if (kind === 'number' || kind === 'money')
    return [
      AS_IT_IS,
      { key: 'whole', words: 'whole, 1,201' },
      { key: 'two places', words: 'two places, 1,200.50' },
    ];
  return [AS_IT_IS, ...LETTERS, { key: 'initials', words: 'as initials' }];
}

/**
 * A fact as it is to be written.
 * @param words as it is written usually
 * @param value what is behind the words: a day as `2026-05-03`, a number as `1200.5`; undefined for a text
 */
export function formatted(words: string, value: string | undefined, format: string): string {
  const ofDay = DAYS[format];
  if (ofDay && value && /^\d{4}-\d{2}-\d{2}$/.test(value))
    return ofDay.format(new Date(`${value}T00:00:00Z`)).replace(',', '');
  const number = NUMBERS[format];
  if (number && value !== undefined && Number.isFinite(Number(value)))
    // Units and signs stay as they are: only the figures change.
    return words.replace(/-?\d[\d,]*(?:\.\d+)?/, number.format(Number(value)));
  return CASES[format]?.(words) ?? words;
}
