import { expect } from 'chai';
import { drawable } from '../../server/reading/pdf.ts';
import { hasUndrawn, stretches } from '../../core/paperwork/letters.ts';
import fc from 'fast-check';
import { age, ageOn, AGES, daysBetween, isOpenOn, type Charged } from '../../core/paperwork/ageing.ts';
import {
  feeNoteFigures,
  remittanceSlip,
  statementFigures,
  type FeeNoteLine,
} from '../../core/paperwork/account.ts';
import { halfEven, hundredths, inMinorUnits, minorUnits, moneyWords } from '../../core/paperwork/money.ts';
import { LABEL_SHEETS, placeOf, wrongWith } from '../../core/paperwork/labels.ts';
import { envelopeFor, inEnvelopeOrder, pagesWith, sheetsOf } from '../../core/paperwork/pack.ts';
import { ENVELOPES, mm, SHEETS, WINDOWS } from '../../core/paperwork/paper.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { plain } from '../../core/merge/plain.ts';
import { isSigned, signed } from '../../core/paperwork/signed.ts';
import { lookOf } from '../../core/documents/look.ts';

const note = (instead: Partial<FeeNoteLine> = {}): FeeNoteLine => ({
  ...{ number: 'N1', words: 'A survey', issuedOn: '2026-01-05', dueOn: '2026-02-04', paidOn: null },
  ...{ amount: 120, tax: 20, fileNumber: null },
  ...instead,
});
const terms = { currency: 'GBP', taxName: 'VAT', howToPay: ['By transfer to 00-00-00 12345678'] };
const words = (content: ReturnType<typeof statementFigures>) => plain({ type: 'doc', content });

describe('the age of what is open', () => {
  // Worked by hand with a calendar: 2026 is no leap year, 2028 is one.
  const table: [due: string, today: string, days: number, age: string][] = [
    ['2026-03-31', '2026-03-31', 0, 'not due'],
    ['2026-03-31', '2026-03-30', -1, 'not due'],
    ['2026-03-31', '2026-04-01', 1, 'to 30 days'],
    ['2026-03-31', '2026-04-30', 30, 'to 30 days'],
    ['2026-03-31', '2026-05-01', 31, '31 to 60'],
    ['2026-03-31', '2026-05-30', 60, '31 to 60'],
    ['2026-03-31', '2026-05-31', 61, '61 to 90'],
    ['2026-03-31', '2026-06-29', 90, '61 to 90'],
    ['2026-03-31', '2026-06-30', 91, 'over 90'],
    ['2026-02-28', '2026-03-01', 1, 'to 30 days'],
    ['2028-02-28', '2028-03-01', 2, 'to 30 days'],
    ['2026-10-24', '2026-10-26', 2, 'to 30 days'],
  ];
  for (const [due, today, days, expected] of table)
    it(`due ${due}, on ${today}: ${expected}`, () => {
      expect(daysBetween(due, today)).to.equal(days);
      expect(ageOn(due, today)).to.equal(expected);
    });

  it('counts what was issued and not paid by then', () => {
    const today = '2026-05-01';
    expect(isOpenOn(note({ issuedOn: '2026-05-02' }), today)).to.equal(false);
    expect(isOpenOn(note({ paidOn: '2026-05-01' }), today)).to.equal(false);
    expect(isOpenOn(note({ paidOn: '2026-05-02' }), today)).to.equal(true);
  });

  it('adds up to the fee notes that are open, whatever they are', () => {
    const day = fc
      .integer({ min: 0, max: 800 })
      .map((n) => new Date(Date.UTC(2025, 0, 1 + n)).toISOString().slice(0, 10));
    const charged: fc.Arbitrary<Charged> = fc.record({
      issuedOn: day,
      dueOn: day,
      amount: fc.integer({ min: 0, max: 99_999_999 }).map((cents) => cents / 100),
      paidOn: fc.option(day),
    });
    fc.assert(
      fc.property(fc.array(charged, { maxLength: 40 }), day, (notes, today) => {
        const { total, by } = age(notes, today);
        const open = notes.filter((each) => isOpenOn(each, today));
        expect(total).to.equal(open.reduce((sum, { amount }) => sum + BigInt(Math.round(amount * 100)), 0n));
        expect(AGES.reduce((sum, each) => sum + by[each], 0n)).to.equal(total);
      }),
    );
  });
});

describe('money', () => {
  it('has as many figures after the point as its currency (ISO 4217)', () => {
    expect(['GBP', 'EUR', 'JPY', 'KWD'].map(minorUnits)).to.deep.equal([2, 2, 0, 3]);
    // ICU's data, which come from CLDR, for every currency that we say has other than two.
    for (const currency of Intl.supportedValuesOf('currency')) {
      const { maximumFractionDigits: theirs } = new Intl.NumberFormat('en', {
        style: 'currency',
        currency,
      }).resolvedOptions();
      // Of the Iraqi dinar CLDR says how it is used, ISO 4217 how it is parted.
      if (minorUnits(currency) !== 2 && currency !== 'IQD')
        expect([currency, minorUnits(currency)]).to.deep.equal([currency, theirs]);
    }
  });

  it('is written to its minor unit, halves to the even neighbour', () => {
    expect(inMinorUnits(120050n, 'GBP')).to.equal('1200.50');
    expect(inMinorUnits(5n, 'GBP')).to.equal('0.05');
    expect(inMinorUnits(-5n, 'GBP')).to.equal('-0.05');
    expect(inMinorUnits(150n, 'KWD')).to.equal('1.500');
    // 0.50 to 0, 1.50 and 2.50 to 2 (IEEE 754-2019, 4.3.1).
    expect([50n, 150n, 250n, 251n, -150n, -250n].map((value) => inMinorUnits(value, 'JPY'))).to.deep.equal([
      '0',
      '2',
      '2',
      '3',
      '-2',
      '-2',
    ]);
    expect(moneyWords(120050n, 'GBP')).to.equal('£1,200.50');
    expect(moneyWords(9_007_199_254_740_993_00n, 'GBP')).to.equal('£9,007,199,254,740,993.00');
  });

  it('is rounded as ICU rounds halves to even', () => {
    const icu = new Intl.NumberFormat('en', {
      ...{ maximumFractionDigits: 0, useGrouping: false },
      ...({ roundingMode: 'halfEven' } as object),
    });
    fc.assert(
      fc.property(fc.integer({ min: -9_999_999, max: 9_999_999 }), (cents) => {
        const theirs = icu.format((cents / 100).toFixed(2) as unknown as number).replace(/^-0$/, '0');
        expect(String(halfEven(BigInt(cents), 100n))).to.equal(theirs);
      }),
    );
  });

  it('adds up in hundredths where fractions do not', () => {
    expect(hundredths(0.1) + hundredths(0.2)).to.equal(30n);
    expect(hundredths(4.35)).to.equal(435n);
    expect(hundredths(1.005)).to.equal(100n);
  });
});

describe('what an account says', () => {
  it('is each fee note, what is open of it, and how old it is in all', () => {
    const said = words(
      statementFigures(
        [
          note(),
          note({ number: 'N2', amount: 60, tax: 10, paidOn: '2026-04-02' }),
          note({ number: 'N3', amount: 0.5, dueOn: '2026-05-20' }),
        ],
        '2026-05-01',
        terms,
      ),
    );
    expect(said).to.match(/N1 .*A survey .*£120\.00 +£120\.00/);
    expect(said).to.match(/N2 .*£60\.00 +paid 2 Apr 2026/);
    expect(said).to.match(/Open in all .*£120\.50/);
    expect(said).to.match(/£0\.50 +£0\.00 +£0\.00 +£120\.00 +£0\.00/);
    expect(said).to.contain('By transfer to 00-00-00');
  });

  it('is a word of thanks where nothing is open', () => {
    expect(words(statementFigures([note({ paidOn: '2026-02-01' })], '2026-05-01', terms))).to.contain(
      'Nothing is open.',
    );
  });

  it('parts the tax from what a fee note asks for', () => {
    const said = words(feeNoteFigures(note(), terms));
    expect(said)
      .to.match(/A survey +£100\.00/)
      .and.to.match(/VAT +£20\.00/)
      .and.to.match(/To be paid +£120\.00/);
    expect(said).to.contain('Please pay by 4 February 2026, naming N1.');
    expect(words(feeNoteFigures(note({ tax: 0, paidOn: '2026-02-01' }), terms)))
      .to.contain('Paid on 1 February 2026')
      .and.not.to.contain('VAT');
    expect(plain(remittanceSlip([note(), note({ number: 'N2' })], 'Garrowby', terms)))
      .to.contain('Garrowby')
      .and.to.contain('N1, N2')
      .and.to.contain('£240.00');
  });
});

describe('what goes by post', () => {
  it('lies in envelope order: by sheets, then by postcode as the post sorts', () => {
    const piece = (pages: number, postcode: string, client = 'A') => ({ pages, postcode, client });
    const ordered = inEnvelopeOrder(
      [
        piece(3, 'Q1 1AA'),
        piece(1, 'Q10 1AA'),
        piece(2, 'q9 1aa'),
        piece(1, 'Q2 1AA', 'B'),
        piece(1, 'Q2 1AA', 'A'),
      ],
      true,
    );
    expect(ordered.map(({ postcode, client }) => `${postcode} ${client}`)).to.deep.equal([
      'Q2 1AA A',
      'Q2 1AA B',
      'q9 1aa A',
      'Q10 1AA A',
      'Q1 1AA A',
    ]);
    expect([1, 2, 3].map((pages) => sheetsOf(pages, true))).to.deep.equal([1, 1, 2]);
    expect(pagesWith(1, [], true)).to.equal(1);
    expect(pagesWith(1, [1, 2], false)).to.equal(4);
    expect(pagesWith(1, [1, 2], true)).to.equal(6);
    expect([5, 6, 10, 11].map(envelopeFor)).to.deep.equal(['DL', 'C5', 'C5', 'C4']);
  });

  it('has its address where a window of its envelope shows it, folded as it is (ISO 216, ISO 269)', () => {
    expect(SHEETS.A4).to.deep.equal({ width: 210, height: 297 });
    for (const { left, top, width, height, folds } of Object.values(WINDOWS)) {
      expect(left + width).to.be.at.most(SHEETS.A4.width);
      // Above the first fold it lies in the third that shows, and fits into a DL.
      expect(top + height).to.be.at.most(folds[0] ?? 0);
      expect(folds[0]).to.be.at.most(ENVELOPES.DL.height);
      for (const [one, other] of [[0, folds[0]], folds, [folds[1], SHEETS.A4.height]])
        expect((other ?? 0) - (one ?? 0)).to.be.at.most(ENVELOPES.DL.height);
    }
    expect(mm(25.4)).to.equal(72);
  });
});

describe('as what a document can be looked at', () => {
  const table: [mime: string, name: string, look: ReturnType<typeof lookOf>][] = [
    ['application/pdf', 'x', 'pdf'],
    ['application/octet-stream', 'Report.PDF', 'pdf'],
    ['image/jpeg', 'x', 'picture'],
    ['image/svg+xml', 'x.svg', null],
    ['text/html', 'x.html', null],
    ['text/plain', 'x', 'words'],
    ['application/vnd.x', 'letter.docx', 'words'],
    ['application/zip', 'x.zip', null],
  ];
  for (const [mime, name, look] of table)
    it(`${mime}, ${name}: ${look ?? 'not here'}`, () => expect(lookOf(mime, name)).to.equal(look));
});

describe('the letters of a page', () => {
  const fonts = drawable();
  it('are drawn by the font that has them', () => {
    expect(stretches('Łódź, жmega и so', fonts)).to.deep.equal([
      { text: 'Łódź, ', elsewhere: false },
      { text: 'ж', elsewhere: true },
      { text: 'mega ', elsewhere: false },
      { text: 'и ', elsewhere: true },
      { text: 'so', elsewhere: false },
    ]);
    expect(stretches('', fonts)).to.deep.equal([{ text: '', elsewhere: false }]);
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), (text) => {
        expect(
          stretches(text, fonts)
            .map((each) => each.text)
            .join(''),
        ).to.equal(text);
      }),
    );
  });

  it('are told of where no font has them', () => {
    for (const fine of ['Łódź – “½” €', 'Ελλάδα', 'Москва', 'a\tb\n', '© 2026 #1 *', 'Zoë'])
      expect(hasUndrawn(fine, fonts), fine).to.equal(false);
    for (const odd of ['שלום', '中文', '한국어', 'well 🙂', 'สวัสดี'])
      expect(hasUndrawn(odd, fonts), odd).to.equal(true);
  });
});

describe('labels', () => {
  it('of the usual sheets lie on an A4 sheet beside each other, each in its place', () => {
    for (const sheet of LABEL_SHEETS) {
      expect(wrongWith(sheet), sheet.words).to.equal(null);
      const each = sheet.columns * sheet.rows;
      expect(sheet.words.startsWith(`${each},`)).to.equal(true);
      const last = placeOf(each - 1, sheet);
      expect(last.page).to.equal(0);
      expect(last.x + sheet.width).to.be.at.most(SHEETS.A4.width + 0.5);
      expect(last.y + sheet.height).to.be.at.most(SHEETS.A4.height + 0.5);
      expect(placeOf(each, sheet)).to.deep.equal({ page: 1, x: sheet.left, y: sheet.top });
    }
  });

  it('whose measures do not fit say so', () => {
    const [sheet] = LABEL_SHEETS;
    if (!sheet) throw new Error('there is none');
    expect(wrongWith({ ...sheet, across: 60 })).to.contain('across');
    expect(wrongWith({ ...sheet, down: 30 })).to.contain('down');
    expect(wrongWith({ ...sheet, left: 20 })).to.contain('wider');
    expect(wrongWith({ ...sheet, rows: 9 })).to.contain('higher');
  });
});

describe('a signature on paper', () => {
  const field = { type: 'mergeField', attrs: { field: 'adviser.signed', fallback: '' } };
  const line = (...content: DocNode[]): DocNode => ({ type: 'paragraph', content });
  const words = (text: string): DocNode => ({ type: 'text', text });
  const HASH = 'a'.repeat(64);

  it('stands where its field does, below what else is in the paragraph; or nowhere', () => {
    const text: DocNode = {
      type: 'doc',
      content: [
        line(words('Yours'), field),
        line(field),
        { type: 'blockquote', content: [line(field, words('Maren'))] },
      ],
    };
    const picture = { type: 'picture', attrs: { hash: HASH, width: 190, alt: '' } };
    expect(signed(text, HASH).content).to.deep.equal([
      line(words('Yours')),
      picture,
      picture,
      { type: 'blockquote', content: [line(words('Maren')), picture] },
    ]);
    expect(signed(text, null).content).to.deep.equal([
      line(words('Yours')),
      { type: 'blockquote', content: [line(words('Maren'))] },
    ]);
    expect([isSigned(text), isSigned(line(words('x')))]).to.deep.equal([true, false]);
  });
});
