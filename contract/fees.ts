import { z } from 'zod';
import { Id } from './common.ts';
import { Day } from './office.ts';

const Money = z
  .number({ error: 'Give an amount.' })
  .min(0, 'Not less than nothing.')
  .max(9_999_999_999)
  .refine((amount) => Number.isInteger(Math.round(amount * 1e6) / 1e4), {
    message: 'Two figures after the point.',
  });

/** What a fee note says. */
export const FeeNoteFields = z
  .object({
    number: z.string().trim().min(1, 'Give the fee note a number.').max(40),
    issuedOn: Day,
    dueOn: Day,
    /** With tax. */
    amount: Money,
    /** Of the amount. */
    tax: Money,
    paidOn: Day.nullable(),
    fileId: Id.nullable(),
    words: z.string().trim().max(300),
  })
  .refine(({ issuedOn, dueOn }) => dueOn >= issuedOn, {
    message: 'It cannot be due before it is issued.',
    path: ['dueOn'],
  })
  .refine(({ amount, tax }) => tax <= amount, { message: 'The tax is part of the amount.', path: ['tax'] });
export type FeeNoteFields = z.output<typeof FeeNoteFields>;

export const FeeNote = z.object({
  id: z.number(),
  number: z.string(),
  issuedOn: z.string(),
  dueOn: z.string(),
  amount: z.number(),
  tax: z.number(),
  paidOn: z.string().nullable(),
  fileId: z.number().nullable(),
  fileNumber: z.string().nullable(),
  words: z.string(),
  /** Days since it was due while it is open; 0 when it is not yet, or paid. */
  overdue: z.number(),
});
export type FeeNote = z.output<typeof FeeNote>;

/** A client's fee notes, the newest first, and what is open in all. */
export const FeeNotes = z.object({ rows: z.array(FeeNote), total: z.number(), open: z.number() });
export type FeeNotes = z.output<typeof FeeNotes>;
