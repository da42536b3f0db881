import { fieldWords } from '../facts/catalogue.ts';
import type { SelectableFact } from './catalogue.ts';

/** What stands in a column, as people read it. @param day how a day or a point of time is told */
export function cellWords(
  value: string | number | null,
  fact: SelectableFact,
  day: (value: string) => string,
): string {
  if (value === null || value === '') return '';
  const chosen = fact.options.find((option) => option.value === value);
  if (chosen) return chosen.title;
  if (fact.kind === 'yes or no') return Number(value) ? 'yes' : 'no';
  if (fact.kind === 'time' || fact.kind === 'day') return day(String(value));
  // Years and counts are not set off by thousands.
  if (fact.key === 'client.since') return String(value);
  if (typeof value === 'number' && (fact.kind === 'number' || fact.kind === 'money'))
    return fieldWords({ text: null, number: value, date: null }, fact.unit, fact.kind);
  return String(value);
}
