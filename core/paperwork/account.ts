import { dayWords } from '../office/day.ts';
import type { DocNode } from '../merge/document.ts';
import type { Known } from '../facts/catalogue.ts';
import { AGES, age, daysBetween, isOpenOn, type Age, type Charged } from './ageing.ts';
import { hundredths, moneyWords } from './money.ts';

/** A fee note as it is printed. */
export interface FeeNoteLine extends Charged {
  number: string;
  words: string;
  /** Of the amount. */
  tax: number;
  fileNumber: string | null;
}

const SHORT = new Intl.DateTimeFormat('en-GB', {
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  timeZone: 'UTC',
});
/** As columns have it: `3 Sept 2026`. */
const shortDay = (day: string) => SHORT.format(new Date(`${day}T00:00:00Z`));

/** How each age is headed on paper. */
const AGE_HEADS: Record<Age, string> = {
  'not due': 'Not due yet',
  'to 30 days': '1 to 30 days over',
  '31 to 60': '31 to 60 days over',
  '61 to 90': '61 to 90 days over',
  'over 90': 'over 90 days',
};

/** In which money, and how the firm is paid. */
export interface Terms {
  /** ISO 4217. */
  currency: string;
  /** What the tax is called: `VAT`. */
  taxName: string;
  /** How to pay, lines. */
  howToPay: readonly string[];
}

const text = (words: string, bold = false): DocNode => ({
  type: 'text',
  text: words,
  ...(bold ? { marks: [{ type: 'bold' }] } : {}),
});
const paragraph = (words: string, { bold = false, right = false } = {}): DocNode => ({
  type: 'paragraph',
  ...(right ? { attrs: { textAlign: 'right' } } : {}),
  ...(words ? { content: [text(words, bold)] } : {}),
});

interface Cell {
  words: string;
  right?: boolean;
  bold?: boolean;
  /** In pixels. */
  width?: number;
}

function row(cells: readonly Cell[], head = false): DocNode {
  return {
    type: 'tableRow',
    content: cells.map(({ words, right = false, bold = false, width }) => ({
      type: head ? 'tableHeader' : 'tableCell',
      ...(width ? { attrs: { colwidth: [width] } } : {}),
      content: [paragraph(words, { bold, right })],
    })),
  };
}

const table = (rows: readonly DocNode[], lines = true): DocNode => ({
  type: 'table',
  attrs: { lines },
  content: [...rows],
});

function payment({ howToPay }: Terms): DocNode[] {
  const lines = howToPay.filter((line) => line.trim());
  if (!lines.length) return [];
  return [
    {
      type: 'paragraph',
      content: [
        text('How to pay', true),
        ...lines.flatMap((line): DocNode[] => [{ type: 'hardBreak' }, text(line)]),
      ],
    },
  ];
}

/** The figures of one fee note: what for, net, tax, total; when it is due; how to pay. */
export function feeNoteFigures(note: FeeNoteLine, terms: Terms): DocNode[] {
  const { currency, taxName } = terms;
  const [amount, tax] = [hundredths(note.amount), hundredths(note.tax)];
  const money = (value: bigint) => moneyWords(value, currency);
  return [
    table([
      row(
        [
          { words: 'What for', width: 440 },
          { words: 'Amount', right: true },
        ],
        true,
      ),
      row([{ words: note.words || 'Our services' }, { words: money(amount - tax), right: true }]),
      ...(tax ? [row([{ words: taxName }, { words: money(tax), right: true }])] : []),
      row([
        { words: 'To be paid', bold: true },
        { words: money(amount), right: true, bold: true },
      ]),
    ]),
    paragraph(
      note.paidOn
        ? `Paid on ${dayWords(note.paidOn)}, with thanks.`
        : `Please pay by ${dayWords(note.dueOn)}, naming ${note.number}.`,
    ),
    ...(note.paidOn ? [] : payment(terms)),
  ];
}

/** A slip to be sent with what is paid. */
export function remittanceSlip(notes: readonly FeeNoteLine[], client: string, { currency }: Terms): DocNode {
  return {
    type: 'doc',
    content: [
      paragraph('To be sent with your payment', { bold: true }),
      table(
        [
          row([
            { words: client, width: 330 },
            { words: notes.map(({ number }) => number).join(', ') },
            { words: moneyWords(sumOf(notes), currency), right: true, bold: true },
          ]),
        ],
        false,
      ),
    ],
  };
}

/** The figures of a reminder: each fee note that is over its day, since when, and what they come to; how to pay. */
export function reminderFigures(notes: readonly FeeNoteLine[], today: string, terms: Terms): DocNode[] {
  const money = (value: bigint) => moneyWords(value, terms.currency);
  const open = notes.filter((note) => isOpenOn(note, today));
  return [
    table([
      row(
        [
          { words: 'Number', width: 64 },
          { words: 'What for' },
          { words: 'Due', width: 94 },
          { words: 'Days over', right: true, width: 80 },
          { words: 'Amount', right: true, width: 112 },
        ],
        true,
      ),
      ...open.map((note) =>
        row([
          { words: note.number },
          { words: note.words },
          { words: shortDay(note.dueOn) },
          { words: String(Math.max(0, daysBetween(note.dueOn, today))), right: true },
          { words: money(hundredths(note.amount)), right: true },
        ]),
      ),
      row([
        { words: '' },
        { words: 'To be paid', bold: true },
        { words: '' },
        { words: '' },
        { words: money(sumOf(open)), right: true, bold: true },
      ]),
    ]),
    ...payment(terms),
  ];
}

/** What fee notes come to, in hundredths. */
export function sumOf(notes: readonly Pick<Charged, 'amount'>[]): bigint {
  return notes.reduce((sum, { amount }) => sum + hundredths(amount), 0n);
}

/** What is known of a fee note as one of several that a text is repeated for. */
export function noteFacts(
  note: Pick<FeeNoteLine, 'number' | 'words' | 'issuedOn' | 'dueOn' | 'amount'>,
  today: string,
  currency: string,
): Known {
  const over = String(Math.max(0, daysBetween(note.dueOn, today)));
  return {
    words: {
      'row.number': note.number,
      'row.words': note.words,
      'row.issued': dayWords(note.issuedOn),
      'row.due': dayWords(note.dueOn),
      'row.over': over,
      'row.amount': moneyWords(hundredths(note.amount), currency),
    },
    values: {
      'row.issued': note.issuedOn,
      'row.due': note.dueOn,
      'row.over': over,
      'row.amount': String(note.amount),
    },
  };
}

/**
 * The figures of a statement: each fee note with what is open of it, what is open in all, and how old it is.
 * @param notes in the order of their days
 * @param today of the statement: what was paid later is open
 */
export function statementFigures(notes: readonly FeeNoteLine[], today: string, terms: Terms): DocNode[] {
  const money = (value: bigint) => moneyWords(value, terms.currency);
  const { total, by } = age(notes, today);
  const state = (note: FeeNoteLine) =>
    isOpenOn(note, today) ? money(hundredths(note.amount)) : `paid ${shortDay(note.paidOn ?? today)}`;
  return [
    table([
      row(
        [
          { words: 'Number', width: 64 },
          { words: 'What for' },
          { words: 'Issued', width: 94 },
          { words: 'Due', width: 94 },
          { words: 'Amount', right: true, width: 88 },
          { words: 'Open', right: true, width: 112 },
        ],
        true,
      ),
      ...notes.map((note) =>
        row([
          { words: note.number },
          { words: note.words },
          { words: shortDay(note.issuedOn) },
          { words: shortDay(note.dueOn) },
          { words: money(hundredths(note.amount)), right: true },
          { words: state(note), right: true },
        ]),
      ),
      row([
        { words: '' },
        { words: 'Open in all', bold: true },
        { words: '' },
        { words: '' },
        { words: '' },
        { words: money(total), right: true, bold: true },
      ]),
    ]),
    ...(total
      ? [
          table([
            row(
              AGES.map((each) => ({ words: AGE_HEADS[each], right: true })),
              true,
            ),
            row(AGES.map((each) => ({ words: money(by[each]), right: true }))),
          ]),
          ...payment(terms),
        ]
      : [paragraph('Nothing is open. Thank you.')]),
  ];
}
