import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { PaperSettings } from '../../contract/index.ts';
import { paragraph } from '../../core/merge/letter.ts';
import { dayWords } from '../../core/office/day.ts';
import { feeNoteFigures, remittanceSlip, type FeeNoteLine } from '../../core/paperwork/account.ts';
import { paperOf, readFirm, termsOf } from '../foundation/firm.ts';
import { pool } from '../reading/pool.ts';
import { picturesIn } from './materials.ts';

/** How the letter paper looks, around a fee note that nobody owes. @returns the bytes of a PDF */
export async function tryPaper(db: Knex, paper: PaperSettings): Promise<Buffer> {
  const firm = { ...(await readFirm(db)), paper };
  const today = DateTime.now().setZone(firm.zone).toISODate() ?? '';
  const note: FeeNoteLine = {
    ...{ number: '1001', words: 'An afternoon’s advice', issuedOn: today, dueOn: today, paidOn: null },
    ...{ amount: 240, tax: 40, fileNumber: null },
  };
  const { pdf } = await pool.run('letter', [
    {
      paper: paperOf(firm),
      madeAt: new Date(`${today}T12:00:00Z`),
      address: ['Somebody to be written to', '1 Example Lane', 'Anywhere'],
      facts: [
        { label: 'Date', value: dayWords(today) },
        { label: 'Our reference', value: '1001' },
      ],
      subject: 'How our letters look',
      body: {
        type: 'doc',
        content: [
          paragraph('Dear reader,'),
          paragraph(
            'This is how letters, fee notes and statements look on this paper. The address stands where the window of the envelope shows it.',
          ),
          ...feeNoteFigures(note, termsOf(firm)),
        ],
      },
      signature: [paragraph('With kind regards'), paragraph(firm.name)],
      pictures: await picturesIn(db, [], [paper.logo]),
      continued: firm.name,
      slip: remittanceSlip([note], 'Somebody to be written to', termsOf(firm)),
    },
  ]);
  return Buffer.from(pdf);
}
