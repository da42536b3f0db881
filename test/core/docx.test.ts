import { DOMParser } from '@xmldom/xmldom';
import { expect } from 'chai';
import fc from 'fast-check';
import { DateTime } from 'luxon';
import type { Known } from '../../core/facts/catalogue.ts';
import { compare, readInstruction, textOf } from '../../core/docx/instruction.ts';
import { dateAs, inCase, numberAs } from '../../core/docx/pictures.ts';
import { Template, type Matching } from '../../core/docx/template.ts';

const W = 'http://schemas.openxmlformats.org/wordprocessingml/2006/main';
const doc = (body: string) =>
  `<?xml version="1.0" encoding="UTF-8" standalone="yes"?><w:document xmlns:w="${W}"><w:body>${body}<w:sectPr/></w:body></w:document>`;
const para = (...runs: string[]) => `<w:p>${runs.join('')}</w:p>`;
const text = (words: string, look = '') => `<w:r>${look}<w:t xml:space="preserve">${words}</w:t></w:r>`;
const BOLD = '<w:rPr><w:b/></w:rPr>';
const mark = (type: string) => `<w:r><w:fldChar w:fldCharType="${type}"/></w:r>`;
const instr = (...parts: string[]) =>
  parts.map((part) => `<w:r><w:instrText xml:space="preserve">${part}</w:instrText></w:r>`).join('');
/** A complex field, its instruction in one run or several. */
const complex = (parts: string[], result = text('«shown»', BOLD)) =>
  mark('begin') + instr(...parts) + mark('separate') + result + mark('end');
const simple = (instruction: string) =>
  `<w:fldSimple w:instr="${instruction}">${text('«x»', BOLD)}</w:fldSimple>`;

const KNOWN: Known = {
  words: {
    'client.name': 'Ellershow Farm',
    'person.firstName': 'agnes',
    today: '3 May 2026',
    'fees.open': '£1,234.50',
    'client.place': '',
    'file.title': 'Fish & chips <b> "so"',
  },
  values: { today: '2026-05-03', 'fees.open': '1234.5' },
  rows: {
    'fee notes': [
      { words: { 'row.number': 'Q1', 'row.amount': '£10.00' }, values: { 'row.amount': '10' } },
      { words: { 'row.number': 'Q2', 'row.amount': '£20.50' }, values: { 'row.amount': '20.5' } },
    ],
  },
};
const fact = (key: string, instead = '') => ({ fact: key, instead });
const MATCHING: Matching = {
  name: fact('client.name'),
  first: fact('person.firstName'),
  today: fact('today'),
  open: fact('fees.open'),
  place: fact('client.place'),
  title: fact('file.title'),
  number: fact('row.number'),
  amount: fact('row.amount'),
};
const merge = (body: string, known = KNOWN, matching = MATCHING) => {
  const { parts, missing } = new Template(new Map([['word/document.xml', doc(body)]])).merge(known, matching);
  const xml = parts.get('word/document.xml') ?? '';
  const read = new DOMParser().parseFromString(xml, 'text/xml');
  const paragraphs = [...read.getElementsByTagName('w:p')].map((each) =>
    [...each.getElementsByTagName('*')]
      .map((node) => (node.localName === 't' ? node.textContent : node.localName === 'br' ? '\n' : ''))
      .join(''),
  );
  return { xml, paragraphs, missing };
};
const merged = (body: string) => merge(body).paragraphs.join('|');
const failing = (work: () => unknown) => {
  try {
    work();
    return 'done';
  } catch (error) {
    return (error as Error).message;
  }
};

describe('word-processor templates', () => {
  describe('instructions of fields', () => {
    // Written after ECMA-376 part 1, 17.16.1 and 17.16.5.35, from memory: no copy of it was at hand.
    const CASES: [string, string, string[], string[]][] = [
      ['MERGEFIELD name', 'MERGEFIELD', ['name'], []],
      [' mergefield  "Client name"  \\* MERGEFORMAT ', 'MERGEFIELD', ['Client name'], ['* MERGEFORMAT']],
      ['MERGEFIELD due \\@ "d MMMM yyyy"', 'MERGEFIELD', ['due'], ['@ d MMMM yyyy']],
      [
        'MERGEFIELD open \\# "#,##0.00" \\b "Open: " \\f "."',
        'MERGEFIELD',
        ['open'],
        ['# #,##0.00', 'b Open: ', 'f .'],
      ],
      ['MERGEFIELD open \\# 0.00 \\m', 'MERGEFIELD', ['open'], ['# 0.00', 'm ']],
      ['MERGEFIELD name \\*Upper', 'MERGEFIELD', ['name'], ['* Upper']],
      ['MERGEFIELD “Client name”', 'MERGEFIELD', ['Client name'], []],
      ['MERGEFIELD "so \\"called\\""', 'MERGEFIELD', ['so "called"'], []],
      ['IF 3>=2 "yes" "no"', 'IF', ['3', '>=', '2', 'yes', 'no'], []],
      ['IF a <> "b = c" "" "x"', 'IF', ['a', '<>', 'b = c', '', 'x'], []],
      ['', '', [], []],
    ];
    for (const [instruction, kind, args, switches] of CASES)
      it(`reads ${instruction || 'nothing'}`, () => {
        const read = readInstruction<never>([instruction]);
        expect(read.kind).to.equal(kind);
        expect(read.args.map(textOf)).to.deep.equal(args);
        expect(read.switches.map(({ name, value }) => `${name} ${textOf(value)}`)).to.deep.equal(switches);
      });

    it('reads anything in time that grows with its length', () => {
      for (const letter of ['"', '\\', '<', 'a ', '\\"']) {
        const began = performance.now();
        readInstruction<never>([letter.repeat(100_000)]);
        expect(performance.now() - began).to.be.below(2000);
      }
      const began = performance.now();
      compare('a'.repeat(3000), '=', '*a'.repeat(1000) + 'b');
      expect(performance.now() - began).to.be.below(2000);
    });

    it('compares numbers by their size, texts by their letters, with letters that stand for others', () => {
      const holds = (one: string, operator: string, other: string) => compare(one, operator, other);
      expect(holds('9', '<', '10')).to.equal(true);
      expect(holds('£1,200.00', '>=', '1200')).to.equal(true);
      expect(holds('Farm', '=', 'farm')).to.equal(false);
      expect(holds('Farm', '=', 'F*m')).to.equal(true);
      expect(holds('Farm', '=', 'F??m')).to.equal(true);
      expect(holds('Farm', '<>', 'F?m')).to.equal(true);
      expect(holds('', '=', '')).to.equal(true);
      expect(holds('apple', '<', 'pear')).to.equal(true);
    });
  });

  describe('pictures', () => {
    it('show days as luxon does, which is not ours', () => {
      const LIKE: [string, string][] = [
        ['d MMMM yyyy', 'd LLLL yyyy'],
        ['dddd, dd/MM/yy', 'cccc, dd/LL/yy'],
        ['ddd d MMM', 'ccc d LLL'],
        ['HH:mm:ss', 'HH:mm:ss'],
        ["d 'of' MMMM", "d 'of' LLLL"],
        ['h:mm am/pm', 'h:mm a'],
      ];
      const days = fc.date({ min: new Date('1901-01-01'), max: new Date('2199-12-31'), noInvalidDate: true });
      fc.assert(
        fc.property(days, fc.constantFrom(...LIKE), (date, [picture, format]) => {
          const value = date.toISOString().slice(0, 19);
          const wanted = DateTime.fromISO(value, { zone: 'utc', locale: 'en-US' }).toFormat(format);
          expect(dateAs(value, picture)).to.equal(wanted);
        }),
      );
      expect(dateAs('2026-05-03', 'DD.MM.YYYY')).to.equal('03.05.2026');
      expect(dateAs('3 May', 'd')).to.equal(null);
    });

    it('show numbers as Intl does, which is not ours', () => {
      const LIKE: [string, Intl.NumberFormatOptions][] = [
        ['0', { maximumFractionDigits: 0, useGrouping: false }],
        ['#,##0', { maximumFractionDigits: 0 }],
        ['#,##0.00', { minimumFractionDigits: 2, maximumFractionDigits: 2 }],
        ['0.0##', { minimumFractionDigits: 1, maximumFractionDigits: 3, useGrouping: false }],
        ['0000', { minimumIntegerDigits: 4, maximumFractionDigits: 0, useGrouping: false }],
      ];
      fc.assert(
        fc.property(
          fc.double({ min: -1e9, max: 1e9, noNaN: true }),
          fc.constantFrom(...LIKE),
          (value, [picture, like]) => {
            const wanted = new Intl.NumberFormat('en-GB', { ...like, roundingMode: 'halfExpand' }).format(
              value,
            );
            const shown = numberAs(value, picture);
            // What rounds to nought has no sign in ours and one in theirs.
            expect(shown.replace(/^-(?=[0.,]+$)/, '')).to.equal(wanted.replace(/^-(?=[0.,]+$)/, ''));
          },
        ),
      );
    });

    // After the examples of ECMA-376 part 1, 17.16.4.2, from memory.
    const NUMBERS: [number, string, string][] = [
      [15, '$###', '$ 15'],
      [9, '00.00', '09.00'],
      [111053 + 111439, 'x##', '222492'],
      [1.005, '0.00', '1.01'],
      [-5, '#,##0.00;(#,##0.00)', '(5.00)'],
      [0, '0.00;-0.00;nothing', 'nothing'],
      [2456800, '$#,###,###', '$2,456,800'],
      [33, "##'%'", '33%'],
      [-10, '-##', '-10'],
      [10, '+##', '+10'],
      [0.4, '.##', '.4'],
    ];
    for (const [value, picture, shown] of NUMBERS)
      it(`shows ${value} as ${picture}`, () => expect(numberAs(value, picture)).to.equal(shown));

    it('put words into capitals and out of them', () => {
      const all = (format: string) => inCase('o’neill OF the wood-lane', format);
      expect(all('Upper')).to.equal('O’NEILL OF THE WOOD-LANE');
      expect(all('lower')).to.equal('o’neill of the wood-lane');
      expect(all('FirstCap')).to.equal('O’neill OF the wood-lane');
      expect(all('Caps')).to.equal('O’neill Of The Wood-Lane');
      expect(all('MERGEFORMAT')).to.equal('o’neill OF the wood-lane');
    });
  });

  describe('filling in', () => {
    it('takes simple fields and complex ones, whose runs may be split in any way', () => {
      expect(merged(para(text('To '), simple('MERGEFIELD Name'), text('!')))).to.equal('To Ellershow Farm!');
      expect(merged(para(complex([' MERGEFIELD Name '])))).to.equal('Ellershow Farm');
      expect(merged(para(complex([' MERGE', 'FIELD ', '"Na', 'me" \\* Up', 'per ']), text('.')))).to.equal(
        'ELLERSHOW FARM.',
      );
      const inOne = `<w:r>${BOLD}<w:fldChar w:fldCharType="begin"/><w:instrText> MERGEFIELD name </w:instrText><w:fldChar w:fldCharType="separate"/><w:t>x</w:t><w:fldChar w:fldCharType="end"/></w:r>`;
      expect(merged(para(text('A '), inOne, text(' z')))).to.equal('A Ellershow Farm z');
      // Without a result, and one that was marked as put in by a reviewer.
      expect(merged(para(mark('begin') + instr('MERGEFIELD name') + mark('end')))).to.equal('Ellershow Farm');
      expect(merged(para(`<w:ins>${complex(['MERGEFIELD name'])}</w:ins>`))).to.equal('Ellershow Farm');
    });

    it('keeps the look of what stood there', () => {
      const { xml } = merge(para(text('To '), complex(['MERGEFIELD name'])));
      expect(xml).to.contain('<w:rPr><w:b/></w:rPr><w:t xml:space="preserve">Ellershow Farm</w:t>');
    });

    it('shows days and numbers by their pictures, and words in capitals', () => {
      expect(merged(para(complex(['MERGEFIELD today \\@ "dddd d MMM yy"'])))).to.equal('Sunday 3 May 26');
      expect(merged(para(complex(['MERGEFIELD open \\# "€#,##0.0"'])))).to.equal('€1,234.5');
      expect(merged(para(complex(['MERGEFIELD first \\* FirstCap'])))).to.equal('Agnes');
      expect(merged(para(complex(['MERGEFIELD name \\@ "d MMM"'])))).to.equal('Ellershow Farm');
    });

    it('puts words before and behind what is there, and none where nothing is', () => {
      expect(merged(para(complex(['MERGEFIELD name \\b "at " \\f ","']), text(' x')))).to.equal(
        'at Ellershow Farm, x',
      );
      const none = merge(para(complex(['MERGEFIELD place \\b "at " \\f ","']), text('x')));
      expect([none.paragraphs, none.missing]).to.deep.equal([['x'], []]);
    });

    it('chooses by IF, with fields in its words, and fields within fields', () => {
      const nested = (...rest: string[]) =>
        para(
          mark('begin') +
            instr('IF ') +
            complex(['MERGEFIELD open']) +
            instr(...rest) +
            mark('separate') +
            text('x') +
            mark('end'),
        );
      expect(merged(nested(' &gt; 1000 "much" "little"'))).to.equal('much');
      expect(merged(nested(' &lt;= "1000" "little" "mu', 'ch"'))).to.equal('much');
      const within = para(
        mark('begin') +
          instr('IF 1 = 1 "Dear ') +
          complex(['MERGEFIELD first \\* Caps']) +
          instr(' of old" "Sir"') +
          mark('end'),
      );
      expect(merged(within)).to.equal('Dear Agnes of old');
      const asked = para(
        mark('begin') +
          instr('IF ') +
          complex(['MERGEFIELD place']) +
          instr(' = "" "nowhere" "somewhere"') +
          mark('end'),
      );
      expect(merge(asked)).to.deep.include({ paragraphs: ['nowhere'], missing: [] });
    });

    it('tells what is missing, unless something is said instead', () => {
      const body = para(text('In '), complex(['MERGEFIELD place']));
      expect(merge(body).missing).to.deep.equal(['client.place']);
      expect(merge(body, KNOWN, { place: fact('client.place', 'the county') })).to.deep.include({
        paragraphs: ['In the county'],
        missing: [],
      });
      expect(merge(body, KNOWN, {}).missing).to.deep.equal(['place']);
    });

    it('repeats a row of a table for each, and leaves its head alone', () => {
      const cell = (inner: string) => `<w:tc>${inner}</w:tc>`;
      const table = (row: string) =>
        `<w:tbl><w:tr>${cell(para(text('No')))}${cell(para(text('Sum')))}</w:tr><w:tr>${row}</w:tr></w:tbl>`;
      const row =
        cell(para(complex(['MERGEFIELD number']))) +
        cell(para(complex(['MERGEFIELD amount \\# "0.00"']), text(' of '), simple('MERGEFIELD name')));
      expect(merged(table(row) + para(text('end')))).to.equal(
        'No|Sum|Q1|10.00 of Ellershow Farm|Q2|20.50 of Ellershow Farm|end',
      );
      const none = merge(table(row), { ...KNOWN, rows: { 'fee notes': [] } });
      expect(none.paragraphs).to.deep.equal(['No', 'Sum']);
      // A table with that row alone goes; a nested table repeats within its cell only.
      expect(merge(`<w:tbl><w:tr>${row}</w:tr></w:tbl>`, { ...KNOWN, rows: {} }).xml).to.not.contain('w:tbl');
      const nested = `<w:tbl><w:tr>${cell(`${table(row)}${para(text('below'))}`)}</w:tr></w:tbl>`;
      expect(merged(nested)).to.equal('No|Sum|Q1|10.00 of Ellershow Farm|Q2|20.50 of Ellershow Farm|below');
    });

    it('leaves no empty line where a line of fields has nothing', () => {
      const body =
        para(simple('MERGEFIELD name')) + para(simple('MERGEFIELD place \\b x')) + para(text('end'));
      expect(merged(body)).to.equal('Ellershow Farm|end');
      const cell = `<w:tbl><w:tr><w:tc>${para(simple('MERGEFIELD place \\b x'))}</w:tc></w:tr></w:tbl>`;
      expect(merge(cell).paragraphs).to.deep.equal(['']);
    });

    it('leaves other fields as they are, and fills in those in the words of a link', () => {
      const page = complex([' PAGE '], text('1'));
      expect(merge(para(page)).xml).to.contain('<w:instrText xml:space="preserve"> PAGE </w:instrText>');
      const link = complex([' HYPERLINK "https://firm.example" '], complex(['MERGEFIELD name']));
      const { xml, paragraphs } = merge(para(link));
      expect(paragraphs).to.deep.equal(['Ellershow Farm']);
      expect(xml).to.contain('HYPERLINK');
    });

    it('is well-formed whatever a fact holds, and holds it, letter for letter', () => {
      const awkward = fc.oneof(
        fc.string({ unit: 'binary', maxLength: 60 }),
        fc.string({ unit: 'grapheme', maxLength: 60 }),
        fc.constantFrom(
          '<w:t>',
          '&amp;',
          ']]>',
          '\u0000\u0007\u001F',
          'שלום עולם',
          '\uD800',
          'a\r\nb\u2028c',
          '{ MERGEFIELD name }',
          '" \\* Upper',
          'x'.repeat(10_000),
        ),
      );
      fc.assert(
        fc.property(awkward, (value) => {
          const { paragraphs } = merge(para(text('['), complex(['MERGEFIELD name']), text(']')), {
            words: { 'client.name': value },
          });
          const wanted = value
            .trim()
            .replace(/\r\n?|[\u2028\u2029]/g, '\n')
            .replace(/[^\t\n\u0020-\uD7FF\uE000-\uFFFD\u{10000}-\u{10FFFF}]/gu, '');
          expect(paragraphs.join('')).to.equal(`[${wanted}]`);
        }),
      );
    });
  });

  describe('reading', () => {
    const read = (body: string) => new Template(new Map([['word/document.xml', doc(body)]])).read();

    it('says which fields it wants, how often, and whether in a row; and what is left as it is', () => {
      const row = `<w:tbl><w:tr><w:tc>${para(simple('MERGEFIELD Number'))}</w:tc></w:tr></w:tbl>`;
      const body =
        para(simple('MERGEFIELD &quot;Client Name&quot;'), complex(['MERGEFIELD client', ' ', ' name'])) +
        para(complex(['MERGEFIELD "client name" \\* Roman'])) +
        row +
        para(
          mark('begin') +
            instr('IF ') +
            complex(['MERGEFIELD Sum']) +
            instr(' = ') +
            complex(['PAGE']) +
            instr(' "a" "b"') +
            mark('end'),
        ) +
        para(complex(['NEXT']));
      const { fields, warnings } = read(body);
      expect(fields).to.deep.equal([
        { name: 'Client Name', times: 2, inRow: false },
        { name: 'client', times: 1, inRow: false },
        { name: 'Number', times: 1, inRow: true },
        { name: 'Sum', times: 1, inRow: false },
      ]);
      expect(warnings.join(' ')).to.contain('Roman').and.to.contain('PAGE within').and.to.contain('NEXT');
    });

    it('refuses in words what cannot be filled in', () => {
      expect(
        failing(() => read(para(mark('begin') + instr('MERGEFIELD name')) + para(mark('end')))),
      ).to.contain('does not end in its paragraph');
      expect(failing(() => read(para(complex(['MERGEFIELD']))))).to.contain('does not say by a name');
      expect(failing(() => read(para(complex(['IF a ! b "x"']))))).to.contain('compares nothing');
      expect(failing(() => read(para(complex(['INCLUDE', 'PICTURE a.png']))))).to.contain(
        'outside the document',
      );
      expect(failing(() => read(para(mark('begin') + instr('DDEAUTO c a b'))))).to.contain(
        'outside the document',
      );
      const contents =
        para(mark('begin') + instr('TOC') + mark('separate') + complex(['MERGEFIELD name'])) +
        para(mark('end'));
      expect(read(contents).fields.map(({ name }) => name)).to.deep.equal(['name']);
      const deep =
        Array.from({ length: 30 }, () => mark('begin') + instr('IF ')).join('') + mark('end').repeat(30);
      expect(failing(() => read(para(deep)))).to.contain('too deeply');
      const itself = para(mark('begin') + instr('MERGEFIELD ') + complex(['MERGEFIELD name']) + mark('end'));
      expect(failing(() => read(itself))).to.contain('does not say by a name');
      expect(failing(() => read(para(simple('MERGEFIELD a')).repeat(3100)))).to.contain('more fields');
      const names = Array.from({ length: 310 }, (_, at) => para(simple(`MERGEFIELD a${at}`))).join('');
      expect(failing(() => read(names))).to.contain('more different fields');
      const parts = (xml: string) => failing(() => new Template(new Map([['word/document.xml', xml]])));
      expect(parts('<!DOCTYPE x [<!ENTITY a "b">]><x>&a;</x>')).to.contain('definitions of its own');
      expect(parts('<x><y></x>')).to.contain('cannot be read');
    });
  });
});
