import { DateTime } from 'luxon';
import type { PaperKind } from '../../contract/index.ts';
import { fill } from '../../core/merge/fill.ts';
import { inlineText } from '../../core/merge/plain.ts';
import { dayWords } from '../../core/office/day.ts';
import {
  feeNoteFigures,
  reminderFigures,
  remittanceSlip,
  statementFigures,
  sumOf,
  type FeeNoteLine,
} from '../../core/paperwork/account.ts';
import { isOpenOn } from '../../core/paperwork/ageing.ts';
import { MOST_ADDRESS_LINES } from '../../core/paperwork/paper.ts';
import { isSigned, signed } from '../../core/paperwork/signed.ts';
import type { Printed } from '../../core/paperwork/print.ts';
import { paperOf, termsOf, type Firm } from '../foundation/firm.ts';
import { fromJson } from '../foundation/json.ts';
import type { Materials, Piece } from './materials.ts';

/**
 * What stands in the way of a piece, what is odd about it, and what it asks for.
 * @param unknown facts that its words miss
 * @param own it was changed by hand
 */
export function judge(piece: Piece, materials: Materials, unknown: readonly string[], own: boolean) {
  const { record, firm, known, notes, labels } = materials;
  const mail = [
    fromJson('paper_run.mail_subject', record.mail_subject),
    fromJson('paper_run.mail_body', record.mail_body),
  ].map((text) => fill(text, known));
  const address = fromJson('paper_piece.postal', piece.postal);
  const people = fromJson('paper_piece.people', piece.people);
  const byMail = piece.way !== 'post';
  const missing = [
    ...unknown,
    ...(byMail ? mail : []).flatMap((each) => each.missing.map(({ field }) => field)),
  ];
  const problems = [...new Set(missing)].map((field) => `${labels.get(field) ?? field} is missing.`);
  if (byMail && !people.length) problems.push('There is no email address to send it to.');
  if (piece.way !== 'email' && !address.length) problems.push('There is no postal address.');
  const { amount } = figuresOf(record.kind, notes, record.day, firm);
  if (record.kind !== 'letter' && !amount) problems.push('There is nothing to pay.');
  const remarks = [
    ...(address.length > MOST_ADDRESS_LINES ? ['Its address has more lines than the window shows.'] : []),
    ...(own ? ['Its words were changed by hand.'] : []),
  ];
  return { problems, remarks, amount: record.kind === 'letter' ? null : amount };
}

/** A piece as it is to be printed, and how it is judged. */
export function layOut(piece: Piece, materials: Materials) {
  const { record, firm, known, adviser, file, notes, pictures } = materials;
  const own = piece.own_body === null ? null : fromJson('paper_piece.own_body', piece.own_body);
  const written = own ?? fromJson('paper_run.body', record.body);
  const words = fill(signed(written, adviser?.signed ?? null), known);
  const subject = fill(fromJson('paper_run.subject', record.subject), known);
  const figures = figuresOf(record.kind, notes, record.day, firm);
  const address = fromJson('paper_piece.postal', piece.postal);
  const name = address[0] ?? '';
  const printed: Printed = {
    paper: paperOf(firm),
    madeAt: DateTime.fromISO(record.day, { zone: 'utc' }).plus({ hours: 12 }).toJSDate(),
    address: address.slice(0, MOST_ADDRESS_LINES + 1),
    facts: [
      { label: 'Date', value: dayWords(record.day) },
      ...(file ? [{ label: 'Our reference', value: file.number }] : []),
      ...(adviser ? [{ label: 'Adviser', value: adviser.name }] : []),
    ],
    subject: inlineText(subject.doc.content ?? []).trim(),
    body: { type: 'doc', content: [...(words.doc.content ?? []), ...figures.content] },
    signature: [],
    pictures,
    continued: [`${firm.name} to ${name}`, dayWords(record.day)].filter(Boolean).join(', '),
    slip: record.slip && figures.open.length ? remittanceSlip(figures.open, name, termsOf(firm)) : null,
  };
  const judged = judge(
    piece,
    materials,
    [words, subject].flatMap((each) => each.missing.map(({ field }) => field)),
    own !== null,
  );
  if (isSigned(written) && !adviser?.signed)
    judged.remarks.push('Its adviser has no picture of a signature: it is not signed.');
  return { printed, ...judged };
}

/** What a piece says in figures, and what it asks for in all. */
function figuresOf(kind: PaperKind, notes: readonly FeeNoteLine[], day: string, firm: Firm) {
  const terms = termsOf(firm);
  const open = notes.filter((note) => isOpenOn(note, day));
  const [note] = notes;
  const content =
    kind === 'statement'
      ? statementFigures(notes, day, terms)
      : kind === 'reminder'
        ? reminderFigures(notes, day, terms)
        : kind === 'fee note' && note
          ? feeNoteFigures(note, terms)
          : [];
  return { content, open, amount: Number(sumOf(open)) / 100 };
}
