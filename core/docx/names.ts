import { ROW_FACTS, ROWS, type RowsOf } from '../facts/catalogue.ts';

/** Names of fields are the same however they are written. */
export const nameKey = (name: string) => name.trim().toLowerCase();

const ROW_KEYS = new Map<string, RowsOf | undefined>(
  ROW_FACTS.map(({ key, source }) => [key, ROWS.find((of) => of === source)]),
);

/** Of what there are several a fact is, by its key; null when it is of one alone. */
export function rowsOfFact(key: string | null): RowsOf | null {
  return ROW_KEYS.get(key ?? '') ?? null;
}
