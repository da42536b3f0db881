import { dayWords } from '../office/day.ts';

/** What sort of value a fact is. */
export const FACT_KINDS = [
  'text',
  'long text',
  'number',
  'money',
  'date',
  'yes or no',
  'choice',
  'choices',
  'person',
  'client',
] as const;
export type FactKind = (typeof FACT_KINDS)[number];

/** What a text may be repeated for. */
export const ROWS = ['fee notes', 'files', 'people'] as const;
export type RowsOf = (typeof ROWS)[number];

/** Where a fact comes from. */
export const FACT_SOURCES = [
  'fee note',
  'recipient',
  'client',
  'person',
  'file',
  'adviser',
  'firm',
  'field',
  ...ROWS,
] as const;
export type FactSource = (typeof FACT_SOURCES)[number];

/** Something that can be known of a record: what may be merged into a message, or shown of a client. */
export interface FactInfo {
  key: string;
  label: string;
  kind: FactKind;
  /** Of numbers; else empty. */
  unit: string;
  source: FactSource;
}

/** The facts of one record in words, by key. A missing or empty value is reported, never printed as a blank. */
export type Facts = Readonly<Record<string, string>>;

/** All that is known of one record: facts in words, and of what there are several, each. */
export interface Known {
  words: Facts;
  /** What is behind the words: a day as `2026-05-03`, a number as `1200.5`. */
  values?: Facts;
  rows?: Readonly<Partial<Record<RowsOf, readonly Known[]>>>;
}

const fact =
  <K extends FactKind>(kind: K, unit = '') =>
  <N extends string>(key: N, label: string, source: FactSource) =>
    ({ key, label, kind, unit, source }) as const;
const text = fact('text');
const day = fact('date');

/** What is known of every firm's records; its own fields join them ({@link fieldFact}). */
export const BUILT_IN_FACTS = [
  text('greeting', 'Greeting', 'recipient'),
  text('page.link', 'Link to their own page', 'recipient'),
  text('client.name', 'Client name', 'client'),
  text('client.address', 'Name and postal address', 'client'),
  text('client.place', 'Place', 'client'),
  text('client.service', 'Service', 'client'),
  text('person.title', 'Title', 'person'),
  text('person.firstName', 'First name', 'person'),
  text('person.lastName', 'Last name', 'person'),
  text('file.number', 'File number', 'file'),
  text('file.title', 'File title', 'file'),
  text('file.stage', 'Stage', 'file'),
  text('adviser.name', 'Adviser', 'adviser'),
  text('adviser.email', 'Adviser’s email', 'adviser'),
  text('adviser.phone', 'Adviser’s telephone', 'adviser'),
  text('adviser.title', 'What the adviser is', 'adviser'),
  text('firm.name', 'Firm', 'firm'),
  text('firm.address', 'The firm’s postal address', 'firm'),
  text('firm.phone', 'The firm’s telephone', 'firm'),
  day('today', 'Today’s date', 'firm'),
  fact('money')('fees.open', 'Open fee notes in all', 'client'),
] as const satisfies readonly FactInfo[];

/** What is known of each thing that a text is repeated for. */
export const ROW_FACTS = [
  text('row.number', 'Number', 'fee notes'),
  text('row.words', 'What for', 'fee notes'),
  day('row.issued', 'Day issued', 'fee notes'),
  day('row.due', 'Day due', 'fee notes'),
  fact('number')('row.over', 'Days over its day', 'fee notes'),
  fact('money')('row.amount', 'Amount', 'fee notes'),
  text('row.fileNumber', 'File number', 'files'),
  text('row.title', 'Title', 'files'),
  text('row.stage', 'Stage', 'files'),
  day('row.opened', 'Day opened', 'files'),
  text('row.name', 'Name', 'people'),
  text('row.role', 'Role', 'people'),
  text('row.email', 'Email', 'people'),
] as const satisfies readonly FactInfo[];

/** What is known of the fee note that a piece of paperwork is about, or of the first of an account. */
export const NOTE_FACTS = [
  text('note.number', 'Number of the fee note', 'fee note'),
  text('note.words', 'What it is for', 'fee note'),
  day('note.issued', 'Day it was issued', 'fee note'),
  day('note.due', 'Day it is due', 'fee note'),
  fact('money')('note.amount', 'What it asks for', 'fee note'),
  fact('money')('overdue.sum', 'What is overdue in all', 'fee note'),
  fact('number')('overdue.days', 'Days the oldest is over', 'fee note'),
] as const satisfies readonly FactInfo[];

/** What is known for paper alone: a picture in the place of words. */
export const SIGNED_FACT = text('adviser.signed', 'Adviser’s signature, a picture', 'adviser');

/** A fact without a value of its own does not compile where facts are gathered. */
export type BuiltInKey = (typeof BUILT_IN_FACTS)[number]['key'];

/** A field of the firm's own as a fact. @param id of the field, which stays when its label changes */
export function fieldFact(id: number, label: string, kind: FactKind, unit: string): FactInfo {
  return { key: fieldKey(id), label, kind, unit, source: 'field' };
}

/** The key of one of the firm's own fields among all facts. */
export function fieldKey(id: number): string {
  return `field:${id}`;
}

/** What stands in a field; one of the three at most. */
export interface FieldValue {
  text: string | null;
  number: number | null;
  /** `2026-05-03` */
  date: string | null;
}

/** A field's value as people read it: `14.2 ha`, `£1,200.00`, `3 May 2026`, `yes`; empty when there is none. */
export function fieldWords(
  { text, number, date }: FieldValue,
  unit: string,
  kind: FactKind = 'number',
): string {
  if (number !== null && kind === 'yes or no') return number ? 'yes' : 'no';
  if (number !== null) return numberWords(number, unit, kind === 'money');
  if (date !== null) return dayWords(date);
  return text ?? '';
}

// Made once: making one takes longer than a hundred uses of it.
const FIGURES = new Intl.NumberFormat('en-GB', { maximumFractionDigits: 2 });
const MONEY = new Intl.NumberFormat('en-GB', { minimumFractionDigits: 2, maximumFractionDigits: 2 });

/** A sign such as £ stands before the figures, a word such as ha or EUR behind them. */
function numberWords(number: number, unit: string, money: boolean): string {
  const figures = (money ? MONEY : FIGURES).format(number);
  if (!unit) return figures;
  return /\p{Sc}/u.test(unit) ? `${unit}${figures}` : `${figures} ${unit}`;
}
